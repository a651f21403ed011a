//! Which kinds a document may be of, by the words in its text: a recogniser need not walk through a document that lacks a word which
//! everything it recognises has. One pass over the text, and no more than a necessary condition: what has the words is then looked at.

use crate::prelude::*;
use crate::read::{Document, Notation};
use aho_corasick::{AhoCorasick, AhoCorasickKind, Input};
use once_cell::race::OnceBox;

/// What a document may be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Signs {
    /// A client's setup.
    pub(super) setup: bool,
    /// A listing of what a server offers.
    pub(super) listing: bool,
    /// OAuth metadata, tokens, grants.
    pub(super) oauth_documents: bool,
    /// What runs without asking.
    pub(super) permissions: bool,
}

impl Signs {
    const ALL: Self = Self { setup: true, listing: true, oauth_documents: true, permissions: true };

    /// Of a document. Only notations of data are told apart; a text for people is looked at whole.
    pub(super) fn of(document: &Document) -> Self {
        if !matches!(document.notation, Notation::Json | Notation::Yaml | Notation::Toml) {
            return Self::ALL;
        }
        let own = Words::in_text(&document.text).map_or(Self::ALL, Self::by);
        Self { setup: own.setup || !document.embedded.is_empty(), ..own }
    }

    fn by(words: Words) -> Self {
        let has = |all: &[u64]| words.has(all);
        let calls = words.any(COMMAND | ADDRESS);
        Self {
            setup: (has(&[MCP]) && (calls || words.any(SERVERS | DISCOVERY)))
                || (has(&[SERVERS]) && (calls || has(&[CONTEXT])))
                || (has(&[TYPED]) && calls),
            listing: words.any(SCHEMA | EVIDENCE | PROMPTS | RESOURCES | SKILLS)
                || (has(&[ANSWER]) && words.any(TOOLS | INSTRUCTIONS)),
            oauth_documents: has(&[ISSUER, ENDPOINT])
                || words.any(PROTECTED | PAPER | SCOPE)
                || has(&[TOKEN, TOKEN_TYPE])
                || has(&[ACTIVE, TOKEN_TYPE])
                || has(&[ASK])
                || words.any(EVIDENCE),
            permissions: words.any(UNASKED),
        }
    }
}

const MCP: u64 = 1;
const SERVERS: u64 = 1 << 1;
const COMMAND: u64 = 1 << 2;
const ADDRESS: u64 = 1 << 3;
const DISCOVERY: u64 = 1 << 4;
const CONTEXT: u64 = 1 << 5;
const TYPED: u64 = 1 << 6;
const SCHEMA: u64 = 1 << 7;
const EVIDENCE: u64 = 1 << 8;
const PROMPTS: u64 = 1 << 9;
const RESOURCES: u64 = 1 << 10;
const SKILLS: u64 = 1 << 11;
const ANSWER: u64 = 1 << 12;
const TOOLS: u64 = 1 << 13;
const INSTRUCTIONS: u64 = 1 << 14;
const ISSUER: u64 = 1 << 15;
const ENDPOINT: u64 = 1 << 16;
const PROTECTED: u64 = 1 << 18;
const PAPER: u64 = 1 << 19;
const SCOPE: u64 = 1 << 20;
const TOKEN: u64 = 1 << 21;
const TOKEN_TYPE: u64 = 1 << 22;
const ACTIVE: u64 = 1 << 23;
const ASK: u64 = 1 << 24;
const UNASKED: u64 = 1 << 25;
/// A letter written as its number: then any word may stand there in disguise.
const ESCAPED: u64 = 1 << 26;

/// What is recognised in a document that lacks the signs of it: nothing ever may be. Keys are compared without their signs (`mcp_servers`), and one
/// whose signs stand within a word (`mcp_ser_vers`) is nobody's: what only such a key makes a setup is rightly none.
pub(crate) fn missed(document: &Document) -> Option<&'static str> {
    let signs = Signs::of(document);
    let torn = || {
        let plain: String = document.text.chars().filter(char::is_ascii_alphanumeric).collect();
        Words::in_text(&plain).map_or(Signs::ALL, Signs::by)
    };
    if !signs.setup && super::setup::recognise(document).is_some() && !torn().setup {
        return Some("a setup");
    }
    if !signs.listing && !crate::evidence::listings(document).is_empty() && !torn().listing {
        return Some("a listing");
    }
    if !signs.permissions && !super::permissions::permissions(document, &[]).is_empty() && !torn().permissions {
        return Some("what runs unasked");
    }
    (!signs.oauth_documents && !crate::evidence::oauth::oauth_documents(document).is_empty() && !torn().oauth_documents)
        .then_some("a paper")
}

/// Every word, and what it is a sign of. Case does not count.
const WORDS: &[(&str, u64)] = &[
    ("mcp", MCP),
    ("servers", SERVERS),
    ("command", COMMAND),
    ("cmd", COMMAND),
    ("url", ADDRESS),
    ("uri", ADDRESS),
    ("endpoint", ADDRESS | ENDPOINT),
    ("discovery", DISCOVERY),
    ("context", CONTEXT),
    ("stdio", TYPED),
    ("sse", TYPED),
    ("streamable", TYPED),
    ("inputschema", SCHEMA),
    ("input_schema", SCHEMA),
    ("tsuba-evidence/", EVIDENCE),
    ("prompts", PROMPTS),
    ("resources", RESOURCES),
    ("resourcetemplates", RESOURCES),
    ("skills", SKILLS),
    ("jsonrpc", ANSWER),
    ("nextcursor", ANSWER),
    ("serverinfo", ANSWER),
    ("protocolversion", ANSWER),
    ("manifest_version", ANSWER),
    ("dxt_version", ANSWER),
    ("result", ANSWER),
    ("supportedversions", ANSWER),
    ("tools", TOOLS),
    ("instructions", INSTRUCTIONS),
    ("issuer", ISSUER),
    ("jwks_uri", ENDPOINT),
    ("authorization_server", PROTECTED),
    ("bearer_methods_supported", PROTECTED),
    ("scopes_supported", PROTECTED),
    ("resource_signing_alg_values_supported", PROTECTED),
    ("dpop_bound_access_tokens_required", PROTECTED),
    ("tls_client_certificate_bound_access_tokens", PROTECTED),
    ("kty", PAPER),
    ("response_types_supported", PAPER),
    ("grant_types_supported", PAPER),
    ("code_challenge_methods_supported", PAPER),
    ("redirect_uris", PAPER),
    ("token_endpoint_auth_method", PAPER),
    ("scope", SCOPE),
    ("permissions", SCOPE),
    ("scp", SCOPE),
    ("access_token", TOKEN),
    ("token_type", TOKEN_TYPE),
    ("client_id", TOKEN_TYPE),
    ("active", ACTIVE),
    ("\"ask\"", ASK),
    ("'ask'", ASK),
    ("ask :", ASK),
    ("ask:", ASK),
    ("ask =", ASK),
    ("ask=", ASK),
    ("__", UNASKED),
    ("\"mcp\"", UNASKED),
    ("autoapprove", UNASKED),
    ("auto_approve", UNASKED),
    ("auto-approve", UNASKED),
    ("alwaysallow", UNASKED),
    ("always_allow", UNASKED),
    ("always-allow", UNASKED),
    ("askforapproval", UNASKED),
    ("ask_for_approval", UNASKED),
    ("ask-for-approval", UNASKED),
    ("approvalpolicy", UNASKED),
    ("approval_policy", UNASKED),
    ("approval-policy", UNASKED),
    ("approvalmode", UNASKED),
    ("approval_mode", UNASKED),
    ("approval-mode", UNASKED),
    ("defaultmode", UNASKED),
    ("default_mode", UNASKED),
    ("default-mode", UNASKED),
    ("permissionmode", UNASKED),
    ("permission_mode", UNASKED),
    ("permission-mode", UNASKED),
    ("bypass", UNASKED),
    ("yolo", UNASKED),
    ("skip_permissions", UNASKED),
    ("skippermissions", UNASKED),
    ("skip-permissions", UNASKED),
    ("sandbox", UNASKED),
    ("hooks", UNASKED),
    ("\\u004", ESCAPED),
    ("\\u005", ESCAPED),
    ("\\u006", ESCAPED),
    ("\\u007", ESCAPED),
    ("\\u0000004", ESCAPED),
    ("\\u0000005", ESCAPED),
    ("\\u0000006", ESCAPED),
    ("\\u0000007", ESCAPED),
    ("\\x4", ESCAPED),
    ("\\x5", ESCAPED),
    ("\\x6", ESCAPED),
    ("\\x7", ESCAPED),
    // A line that goes on in the next one may break a key anywhere.
    ("\\\n", ESCAPED),
    ("\\\r", ESCAPED),
];

/// The words of a text, a bit each.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Words(u64);

impl Words {
    /// `None` where words may stand in it in disguise.
    fn in_text(text: &str) -> Option<Self> {
        let automaton = automaton()?;
        let mut seen = 0;
        for met in automaton.find_overlapping_iter(Input::new(text)) {
            seen |= WORDS.get(met.pattern().as_usize()).map_or(0, |(_, sign)| *sign);
            if seen & ESCAPED != 0 {
                return None;
            }
        }
        Some(Self(seen))
    }

    fn any(self, signs: u64) -> bool {
        self.0 & signs != 0
    }

    fn has(self, all: &[u64]) -> bool {
        all.iter().all(|sign| self.any(*sign))
    }
}

fn automaton() -> Option<&'static AhoCorasick> {
    static AUTOMATON: OnceBox<Option<AhoCorasick>> = OnceBox::new();
    let build = || {
        let mut builder = AhoCorasick::builder();
        builder.ascii_case_insensitive(true).kind(Some(AhoCorasickKind::DFA));
        Box::new(builder.build(WORDS.iter().map(|(word, _)| word)).ok())
    };
    AUTOMATON.get_or_init(build).as_ref()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::read;

    #[test]
    fn signs_are_told_apart() {
        let of = |name: &str, text: &str| {
            let input = crate::read::Input { path: name.into(), bytes: text.into(), ..Default::default() };
            let Signs { setup, listing, oauth_documents, .. } = Signs::of(&read(input).unwrap());
            [setup, listing, oauth_documents]
        };
        for (text, want) in [
            (r#"{"mcpServers": {"tides": {"command": "tides"}}}"#, [true, false, false]),
            (r#"{"\u006dcpServers": {"tides": {"command": "tides"}}}"#, [true, true, true]),
            (r#"{"name": "moor", "inputSchema": {}}"#, [false, true, false]),
            (r#"{"issuer": "https://id.example", "token_endpoint": "https://id.example/t"}"#, [false, false, true]),
            (r#"{"access_token": "x", "token_type": "Bearer"}"#, [false, false, true]),
            // What data is full of is no sign.
            (
                r#"{"lockfileVersion": 3, "packages": {"x": {"resolved": "https://x", "integrity": "sha512-aMcPb"}}}"#,
                [false; 3],
            ),
            (r#"{"files.exclude": {"**/target": true}, "editor.tabSize": 4}"#, [false; 3]),
            (r#"{"compilerOptions": {"strict": true, "lib": ["dom"]}, "include": ["src"]}"#, [false; 3]),
        ] {
            assert_eq!(of("x.json", text), want, "{text}");
        }
        assert_eq!(of("x.yaml", "\"\\x6dcpServers\": {}"), [true; 3]);
        assert_eq!(of("x.md", "nothing"), [true; 3]);
    }
}
