//! Evidence files (`tsuba-evidence/1`): what was answered, kept as it was written.

use crate::wire::Raw;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::evidence::oauth::Claims;

/// The name of the format; it changes only where old readers could misread.
pub const SCHEMA: &str = "tsuba-evidence/1";

/// What was captured of one entry.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Evidence {
    /// `tsuba-evidence/1`.
    pub schema: &'static str,
    /// The program that captured it.
    pub tool: Tool,
    /// The date in UTC, as `2026-11-25`.
    pub taken: String,
    /// The setup that the entry stands in.
    pub setup: String,
    /// The entry's name.
    pub entry: String,
    /// The entry's fingerprint in reports: what was asked is what was judged.
    pub fingerprint: String,
    /// `stdio`, `http` or `sse`.
    pub transport: &'static str,
    /// The address, without what is secret in it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub url: Option<String>,
    /// The program and its arguments, without what is secret in them.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub command: Vec<String>,
    /// The package that was fetched to be started; absent where nothing was.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub package: Option<Package>,
    /// What the token in use says of itself; absent where none was used, or where it cannot be read.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub token: Option<Token>,
    /// The conversations, in the order held.
    pub sessions: Vec<Session>,
    /// Where the server answers clients differently.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub differs: Vec<Difference>,
    /// Where the server answers the same client otherwise the second time: a time stamp, another order of words.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub varies: Vec<Difference>,
    /// Questions about the login, and what was answered over HTTP.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub http: Vec<HttpAnswer>,
    /// What a local server touched in its cage; absent where it had none.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cage: Option<Touched>,
    /// What went wrong outside of any session.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub troubles: Vec<String>,
}

/// What a server touched in its cage, over all its conversations.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Touched {
    /// Decoys that were opened: files that a home folder would have and that a server has no use for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub decoys: Vec<String>,
    /// Names of hosts that were asked for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub names: Vec<String>,
    /// Addresses and ports that were tried, as `tcp 198.18.0.0:443`; nobody was reached. 198.18.0.0/16 stands for the names, in order.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub contacts: Vec<String>,
    /// Limits that were passed.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub limits: Vec<String>,
    /// Files and folders that were made, moved or deleted.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub written: Vec<String>,
    /// Programs that ran, the server too. One that ran for less than some milliseconds may be missing.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub programs: Vec<String>,
    /// Variables by which the setup has the server's loader take in other code, by their names. The loader obeyed them inside the walls.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub loader: Vec<String>,
    /// Which of these lists are cut off: more was touched than they hold.
    #[serde(skip_serializing_if = "BTreeSet::is_empty")]
    pub cut: BTreeSet<String>,
}

impl Touched {
    /// With what was touched another time.
    pub(crate) fn add(&mut self, other: Self) {
        self.cut.extend(other.cut);
        for (own, more) in [
            (&mut self.decoys, other.decoys),
            (&mut self.written, other.written),
            (&mut self.programs, other.programs),
            (&mut self.names, other.names),
            (&mut self.contacts, other.contacts),
            (&mut self.limits, other.limits),
            (&mut self.loader, other.loader),
        ] {
            for what in more {
                if !own.contains(&what) {
                    own.push(what);
                }
            }
        }
    }
}

/// A package, as the client of its registry tells it. Nothing of it ran while it was fetched.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Package {
    /// The client: `npm` or `pip`.
    pub client: &'static str,
    /// Its name.
    pub name: String,
    /// What was asked for, as `@saltmarsh/tide-table@^2.4`.
    pub asked: String,
    /// The version that came.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub version: Option<String>,
    /// The digest of what came, as the client checked it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub integrity: Option<String>,
    /// The date on which that version was published, where the registry tells it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub published: Option<String>,
    /// Why it is given up, where its publisher says so.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub deprecated: Option<String>,
    /// The packages that would have run something while they were installed, it and those it needs, as `name@version`.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub scripts: Vec<String>,
    /// How many packages came with it, itself counted.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub packages: Option<usize>,
}

/// The token that a capture listed with. The token itself is kept nowhere.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Token {
    /// Its claims, as far as they say how far it reaches (RFC 9068, 2.2).
    pub claims: TokenClaims,
}

/// Claims of a token.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct TokenClaims {
    /// What it lets do, with a blank between two scopes.
    pub scope: String,
    /// Whom it is meant for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub aud: Vec<String>,
    /// When it was issued, in seconds since 1970.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub iat: Option<i64>,
    /// When it ends, likewise.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub exp: Option<i64>,
}

impl Token {
    /// Reads a JSON Web Token; `None` where it is another kind of token.
    pub(crate) fn read(token: &str) -> Option<Self> {
        let claims = Claims::decode(token)?;
        let (scope, aud) = (claims.scopes.join(" "), claims.audience);
        Some(Self { claims: TokenClaims { scope, aud, iat: claims.issued, exp: claims.expires } })
    }
}

/// A program.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Tool {
    /// Its name.
    pub name: &'static str,
    /// Its version.
    pub version: &'static str,
}

/// The eras of the protocol.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Era {
    /// A session begins with `initialize` (2024-11-05 to 2025-11-25).
    Handshake,
    /// Every request stands for itself (2026-07-28).
    Stateless,
}

impl Era {
    /// Both, the older first.
    pub const ALL: [Self; 2] = [Self::Handshake, Self::Stateless];

    /// Its name in evidence files.
    pub fn name(self) -> &'static str {
        match self {
            Self::Handshake => "handshake",
            Self::Stateless => "stateless",
        }
    }
}

/// One conversation.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Session {
    /// The era.
    pub era: Era,
    /// Which client asked: `tsuba`; `another client`, which says that it is somebody else; `a client with more capabilities`; or `tsuba again`, where something differed.
    #[serde(rename = "as")]
    pub profile: &'static str,
    /// The revision that was agreed on.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub protocol: Option<String>,
    /// The results by method, each with its pages; as they were written, but for secrets.
    #[serde(flatten)]
    #[schemars(with = "BTreeMap<String, serde_json::Value>")]
    pub answers: BTreeMap<&'static str, Vec<Raw>>,
    /// Errors by method.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    #[schemars(with = "BTreeMap<String, serde_json::Value>")]
    pub errors: BTreeMap<&'static str, Raw>,
    /// What the server asked of the client; each was refused.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub asked: Vec<Asked>,
    /// How many notifications came, by method.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub notices: BTreeMap<String, usize>,
    /// `complete`, or why it ended before.
    pub ended: String,
    /// What was not as the protocol has it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub troubles: Vec<String>,
}

/// A request of the server.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Asked {
    /// The method.
    pub method: String,
    /// The parameters.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schemars(with = "Option<serde_json::Value>")]
    pub params: Option<Raw>,
}

/// Two answers to the same question that are not the same.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Difference {
    /// The sessions, as indexes.
    pub sessions: [usize; 2],
    /// The method.
    pub method: String,
    /// The item's name, where it is about one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub item: Option<String>,
    /// `only in the first`, `only in the second`, `not the same`.
    pub what: &'static str,
}

/// An answer to a question about the login.
#[derive(Debug, Default, Serialize, JsonSchema)]
pub struct HttpAnswer {
    /// What was asked, as `no-token`.
    pub ask: &'static str,
    /// The issuer that was asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub issuer: Option<String>,
    /// The address.
    pub url: String,
    /// The status; absent where there was no answer.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub status: Option<u16>,
    /// The headers that say something about the login, the origin or where it goes on.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub headers: BTreeMap<String, String>,
    /// What a call without a token, or with a wrong one, was answered with a status of success: `result`, `refusal` (an error that wants a login), `page` (for people),
    /// `error` or `other`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub answered: Option<&'static str>,
    /// The address for messages that an event stream of the older transport names first.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub endpoint: Option<String>,
    /// The body where it is JSON.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schemars(with = "Option<serde_json::Value>")]
    pub body: Option<Raw>,
    /// Why there was no answer.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub failed: Option<String>,
}

/// The JSON Schema of evidence files.
pub fn schema() -> String {
    let generator = schemars::generate::SchemaSettings::draft2020_12().for_serialize().into_generator();
    let schema = generator.into_root_schema_for::<Evidence>();
    serde_json::to_string_pretty(&schema).unwrap_or_default() + "\n"
}
