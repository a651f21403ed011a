//! The rows of an entry: what is started or called, what it is given, what it may touch, what its server lists.

use crate::login::LoginRow;
use crate::model::{Named, Place, Text};
use crate::phrases::reason;
use crate::texts::{all_cleaned, cleaned, cleaned_if_any};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tsuba_core::evidence::{self, ItemKind, Power};
use tsuba_core::judge::Verdict;
use tsuba_core::register::ReviewState;
use tsuba_core::understand::credential::{self, Kind};
use tsuba_core::understand::launch::{Pin, Source};
use tsuba_core::understand::{Asks, Transport};

/// An entry.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct EntryRow {
    /// A name for the entry that is stable as long as its path and pointer are.
    #[serde(deserialize_with = "cleaned")]
    pub id: String,
    /// The setup's path.
    pub setup: Text,
    /// Its name.
    pub name: Text,
    /// Where it stands.
    pub place: Place,
    /// `stdio`, `http`, `sse` or `unknown`.
    pub transport: Named<Transport>,
    /// What is started.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub launch: Option<Box<Launch>>,
    /// What is called.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub remote: Option<RemoteRow>,
    /// Credentials handed over; never their values.
    pub credentials: Vec<CredentialRow>,
    /// What it may touch.
    pub reach: ReachRow,
    /// What its server lists, where that is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub listing: Option<Box<ListingRow>>,
    /// The login at its server, where documents speak of it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub login: Option<Box<LoginRow>>,
    /// `always`, `some`, `never` or `unknown`.
    pub asks: Named<Asks>,
    /// Is it switched off?
    pub disabled: bool,
    /// Is it only shown in a text, for whoever may paste it? Then it has findings, but no verdict, and is not counted among the entries.
    #[serde(skip_serializing_if = "core::ops::Not::not", default)]
    pub document: bool,
    /// `refuse`, `fix-first`, `unchecked` or `ready`; left out of what a text shows, in an inventory, and where only some rules were run.
    #[schemars(with = "Option<Named<Verdict>>")]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub verdict: Option<Verdict>,
    /// The rules that decide the verdict, worst first; of what is `unchecked`, what was not seen: `not-asked`, `no-answer`, `not-understood`,
    /// `stale-evidence`.
    #[serde(skip_serializing_if = "Vec::is_empty", default, alias = "reasons")]
    pub because: Vec<Text>,
    /// Where those of them were found that do not stand in the entry itself: in what its server lists, at a gateway or a route before it, in a
    /// list of what runs without asking.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub elsewhere: Vec<ElsewhereRow>,
    /// What was decided on it; left out without a register, and for what only stands for a listing.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub decision: Option<Box<DecisionRow>>,
    /// Stands for everything that decides what is launched or called: moved lines leave it, another package, option or variable
    /// changes it, a rotated secret does not.
    #[serde(deserialize_with = "cleaned")]
    pub fingerprint: String,
}

/// A finding that decides an entry's verdict and stands somewhere else.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct ElsewhereRow {
    /// The rule.
    pub rule: Text,
    /// The file.
    pub setup: Text,
    /// The line, from 1.
    pub line: u32,
}

/// Where an entry stands with the register.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct DecisionRow {
    /// `unknown`, `approved`, `changed`, `expired` or `refused`.
    pub standing: Named<ReviewState>,
    /// The decision's name in the register.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "cleaned_if_any")]
    pub id: Option<String>,
    /// Who decided.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<Text>,
    /// When (`YYYY-MM-DD`).
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "cleaned_if_any")]
    pub on: Option<String>,
    /// The last day on which it holds.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "cleaned_if_any")]
    pub until: Option<String>,
    /// The reason that the reviewer gave.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reason: Option<Text>,
    /// Under which conditions.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub conditions: Vec<Text>,
    /// What is not as it was approved, in words.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub changed: Vec<Text>,
}

/// A launch plan: the flat fields describe the innermost server, `via` what stands around it.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct Launch {
    /// Programs that only pass on, outermost first.
    pub wrappers: Vec<Text>,
    /// The program that fetches or starts the server.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub runner: Option<Text>,
    /// Where it comes from.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub source: Option<Named<Source>>,
    /// The package's name.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub package: Option<Text>,
    /// Its version as written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub version: Option<Text>,
    /// How firmly it is fixed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pin: Option<Named<Pin>>,
    /// The image without tag and digest.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub image: Option<Text>,
    /// The image's tag.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tag: Option<Text>,
    /// The image's digest.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub digest: Option<Text>,
    /// A local program, script, or the address of a remote script.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub script: Option<Text>,
    /// The server's own arguments.
    pub args: Vec<Text>,
    /// Does something in the chain wrap another server?
    pub bridge: bool,
    /// What stands around or beside the server: the same fields without further nesting.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub via: Vec<Via>,
    /// Why the chain could not be followed to its end.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub not_understood: Option<Text>,
}

/// An outer package or image of a chain.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct Via {
    /// The program that fetches or starts it.
    pub runner: Text,
    /// Where it comes from.
    pub source: Named<Source>,
    /// The package, image, script or address.
    pub package: Text,
    /// Its version, tag or digest.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub version: Option<Text>,
    /// How firmly it is fixed.
    pub pin: Named<Pin>,
    /// Is it beside the server, not around it: run before it, or what its image is built from?
    #[serde(skip_serializing_if = "core::ops::Not::not", default)]
    pub aside: bool,
}

/// A remote target.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct RemoteRow {
    /// The address, secrets masked.
    pub url: Text,
    /// The host.
    pub host: Text,
    /// Is it this machine?
    pub loopback: bool,
}

/// A credential handed to a server.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct CredentialRow {
    /// The part of the setup in which it is handed over.
    pub place: Named<credential::Place>,
    /// Under which name.
    pub name: Text,
    /// `plaintext`, `reference`, `placeholder` or `public`.
    pub kind: Named<Kind>,
    /// For plain text: at most four characters and the length.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub masked: Option<Text>,
    /// For plain text: equal for equal secrets, and telling nothing of the value.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "cleaned_if_any")]
    pub fingerprint: Option<String>,
}

/// What an entry may touch.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct ReachRow {
    /// Folders and files as written.
    pub folders: Vec<Text>,
    /// Hosts.
    pub hosts: Vec<Text>,
    /// Powers.
    pub powers: Vec<Named<Power>>,
}

/// What a server lists.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct ListingRow {
    /// The file it was read from.
    pub path: Text,
    /// Why it lists nothing, where its server was asked and has not told what it offers.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unanswered: Option<Text>,
    /// How many tools.
    pub tools: usize,
    /// How many prompts.
    pub prompts: usize,
    /// How many resources and templates.
    pub resources: usize,
    /// For an entry that only stands for a listing: what it lists, each form of it.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub items: Vec<ItemRow>,
    /// For an entry that only stands for a listing: what the server says of itself.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub texts: Vec<TextRow>,
    /// For an entry that only stands for a listing: what in it speaks to the model beyond what a tool takes and gives, whether a rule
    /// tells it or not; what most wants to be read first.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub orders: Vec<OrderRow>,
    /// So many further ones are not listed.
    #[serde(skip_serializing_if = "is_none", default)]
    pub more_orders: usize,
    /// For an entry that only stands for a listing: the ids of the entries whose server it is.
    #[serde(skip_serializing_if = "Vec::is_empty", default, deserialize_with = "all_cleaned")]
    pub of: Vec<String>,
}

/// A sentence, or the name of a parameter, that speaks to the model.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct OrderRow {
    /// Where it stands, in words.
    pub whereabouts: Text,
    /// Where it is written.
    pub place: Place,
    /// What it does (`hides`, `asks for`, …), with the words by which it does so.
    pub speaks: Vec<Text>,
    /// It, with what is not seen made visible.
    pub text: Text,
    /// Does a finding tell it as well?
    pub told: bool,
}

/// Is there nothing to tell of?
fn is_none(count: &usize) -> bool {
    *count == 0
}

/// A tool, prompt, resource or skill.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct ItemRow {
    /// `tool`, `prompt`, `resource`, `resource template` or `skill`.
    pub kind: Named<ItemKind>,
    /// Its name.
    pub name: Text,
    /// Stands for all that is listed of it.
    #[serde(deserialize_with = "cleaned")]
    pub fingerprint: String,
    /// What it says of its effects: does it only read?
    #[serde(skip_serializing_if = "Option::is_none")]
    pub read_only: Option<bool>,
    /// Likewise: may it destroy?
    #[serde(skip_serializing_if = "Option::is_none")]
    pub destructive: Option<bool>,
    /// Every text of it that a model reads.
    pub texts: Vec<TextRow>,
}

/// A text that a model reads.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct TextRow {
    /// Where it stands, in words.
    pub place: Named<evidence::Place>,
    /// It, with what is not seen made visible.
    pub text: Text,
}

impl EntryRow {
    /// Is it counted: is it set up somewhere, and more than the listing of another entry's server?
    pub fn counts(&self) -> bool {
        !self.document && self.listing.as_ref().is_none_or(|listing| listing.of.is_empty())
    }

    /// What decides its verdict, in words, with its place where that is another file; what stands at the same place is said together.
    pub(crate) fn reasons(&self) -> Vec<String> {
        let place = |rule: &Text| self.elsewhere.iter().find(|found| found.rule == *rule);
        let place = |rule: &Text| place(rule).map(|found| (&found.setup, found.line));
        let title = |rule: &Text| reason(rule.as_str()).unwrap_or(rule.as_str()).to_owned();
        let mut out = Vec::new();
        for alike in self.because.chunk_by(|one, next| place(one).is_some() && place(one) == place(next)) {
            let mut titles = alike.iter().map(title).collect::<Vec<_>>().join(", ");
            if let Some((setup, line)) = alike.first().and_then(place) {
                titles.push_str(&format!(" ({setup}:{line})"));
            }
            out.push(titles);
        }
        out
    }
}
