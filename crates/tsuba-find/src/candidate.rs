//! Which files are worth reading, by name and by a look at their content. By name only what can never be a setup is left out:
//! program text, pictures, archives; which file a program reads its setup from is not known here.

use aho_corasick::packed::Searcher;
use tsuba_core::read::{instructs_by_front, instructs_by_name};

/// What a file's name says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Name {
    /// Written in a notation that setups use.
    Notation,
    /// A dotenv or a key file: read when it lies beside a setup or is named by one.
    Sidecar,
    /// A table: a list of grants, or more often data.
    Table,
    /// A text for people, which may show a configuration or hold a link that carries one.
    Prose,
    /// One that a program hands to its model.
    Guide,
    /// A script, or a program's text: it may add a server to a client, or hold a configuration.
    Script,
    /// A script of commands, or infrastructure: it may also start a server.
    Shell,
    /// An archive of a server, by its ending.
    Bundle,
    /// Another archive.
    Archive,
    /// A token, by its ending.
    Token,
    /// No ending, or one that says nothing.
    Open,
    /// Never a setup.
    Other,
}

/// Endings of files that are no setups, sorted. They are skipped unread, which is what makes the walk fast.
const NEVER: &[&str] = &[
    "a", "aac", "ai", "apk", "avi", "avif", "bin", "bmp", "br", "c", "cc", "class", "cmake", "cpp", "crt", "css", "cu",
    "d", "db", "deb", "dll", "dmg", "doc", "docx", "ear", "eml", "eot", "eps", "erb", "ex", "exe", "exs", "flac", "fs",
    "gem", "gif", "glb", "gql", "gradle", "graphql", "h", "heic", "hpp", "hs", "ico", "img", "iml", "inl", "iso",
    "jar", "jpeg", "jpg", "kts", "less", "lib", "lock", "lz4", "m", "m4a", "map", "ml", "mm", "mo", "mov", "mp3",
    "mp4", "mpeg", "msi", "nim", "node", "o", "obj", "odt", "ogg", "otf", "out", "parquet", "patch", "pb", "pdf",
    "pkl", "pl", "pm", "png", "po", "pptx", "proto", "psd", "pub", "pyc", "pyd", "pyi", "r", "rej", "rlib", "rmeta",
    "rpm", "s", "sass", "scala", "scss", "snap", "so", "sol", "sql", "sqlite", "sqlite3", "stl", "sum", "sv", "svelte",
    "svg", "tex", "tif", "tiff", "ttf", "v", "vb", "vhd", "vue", "war", "wasm", "wav", "webm", "webp", "wmv", "woff",
    "woff2", "xls", "xlsx", "xml", "xsl", "zig",
];

/// Endings of scripts and of programs' texts, sorted.
const SCRIPTS: &[&str] = &[
    "cjs", "cs", "cts", "dart", "go", "groovy", "java", "js", "jsx", "kt", "lua", "mjs", "mts", "nix", "php", "py",
    "rb", "rs", "swift", "ts", "tsx",
];
/// Endings of lists of commands, and of infrastructure that is written down, sorted.
const SHELLS: &[&str] = &[
    "bash",
    "bat",
    "cmd",
    "cron",
    "fish",
    "hcl",
    "just",
    "ksh",
    "make",
    "mk",
    "mobileconfig",
    "nomad",
    "plist",
    "ps1",
    "psm1",
    "sh",
    "tf",
    "tfvars",
    "zsh",
];
/// Names of scripts without an ending.
const NAMES: &[(&str, Name)] = &[
    ("crontab", Name::Shell),
    ("gnumakefile", Name::Shell),
    ("jenkinsfile", Name::Script),
    ("justfile", Name::Shell),
    ("makefile", Name::Shell),
    ("procfile", Name::Shell),
    ("rakefile", Name::Script),
    ("vagrantfile", Name::Script),
];

/// Endings are at most this long (bytes); a longer one is none.
const LONGEST_ENDING: usize = 16;

/// Called for every file of a tree: nothing is allocated here.
pub(crate) fn by_name(name: &str) -> Name {
    let bytes = name.as_bytes();
    let begins = |start: &[u8]| bytes.get(..start.len()).is_some_and(|head| head.eq_ignore_ascii_case(start));
    let ends =
        bytes.len().checked_sub(4).and_then(|at| bytes.get(at..)).is_some_and(|t| t.eq_ignore_ascii_case(b".env"));
    if ends || begins(b".env.") || name.eq_ignore_ascii_case(".envrc") {
        return Name::Sidecar;
    }
    if let Some((_, kind)) = NAMES.iter().find(|(script, _)| name.eq_ignore_ascii_case(script)) {
        return *kind;
    }
    let Some((_, ending)) = name.strip_prefix('.').unwrap_or(name).rsplit_once('.') else { return Name::Open };
    let mut lower = [0; LONGEST_ENDING];
    let Some(lower) = lower.get_mut(..ending.len()) else { return Name::Open };
    lower.copy_from_slice(ending.as_bytes());
    lower.make_ascii_lowercase();
    match &*lower {
        b"json" | b"jsonc" | b"json5" | b"toml" | b"yaml" | b"yml" | b"code-workspace" => Name::Notation,
        b"csv" | b"tsv" => Name::Table,
        b"mcpb" | b"dxt" => Name::Bundle,
        b"7z" | b"bz2" | b"crate" | b"gz" | b"nupkg" | b"rar" | b"tar" | b"tbz" | b"tbz2" | b"tgz" | b"txz"
        | b"vsix" | b"whl" | b"xz" | b"zip" | b"zst" => Name::Archive,
        b"jwt" | b"jws" => Name::Token,
        b"pem" | b"key" => Name::Sidecar,
        b"adoc" | b"har" | b"htm" | b"html" | b"ipynb" | b"jsonl" | b"log" | b"markdown" | b"md" | b"mdc" | b"mdx"
        | b"ndjson" | b"rst" | b"txt" => match instructs_by_name(name) {
            true => Name::Guide,
            false => Name::Prose,
        },
        lower if SCRIPTS.binary_search_by(|script| script.as_bytes().cmp(lower)).is_ok() => Name::Script,
        lower if SHELLS.binary_search_by(|shell| shell.as_bytes().cmp(lower)).is_ok() => Name::Shell,
        lower if NEVER.binary_search_by(|never| never.as_bytes().cmp(lower)).is_ok() => Name::Other,
        _ => Name::Open,
    }
}

/// Files of unknown name are read only up to this size (bytes): a setup is small, and what is large and nameless is data.
pub(crate) const OPEN_LIMIT: u64 = 1024 * 1024;

/// The cheap look at content: does it hold any word that every setup has?
#[derive(Debug)]
pub(crate) struct Prefilter {
    words: Vec<Searcher>,
    shown: Searcher,
    added: Searcher,
    unasked: Searcher,
}

/// One of these stands in every text that shows a configuration or links to one: the key over the servers, or a value in a link, as it
/// is or in base64 (`{"` begins as `eyJ`).
const SHOWN: &[&str] = &[
    "mcpServers",
    "mcp_servers",
    "mcp-servers",
    "context_servers",
    "\"servers\"",
    "&quot;servers&quot;",
    "\"mcp\"",
    "mcp:",
    "[mcp",
    "mcp add",
    "add-mcp",
    "server_label",
    // Programs that a text shows, and cells of notebooks.
    "StdioServerParam",
    "MCPServerS",
    "ClientTransport",
    "streamablehttp_client",
    "streamable_http_client",
    "sse_client",
    // The claims of a token.
    ".eyJ",
    "=eyJ",
    "?eyJ",
    "#eyJ",
    "%22command%22",
    "%22url%22",
    "%22mcpServers%22",
    "%7B%22",
    "%257B%2522",
    "={\"",
    "?{\"",
];

/// One of these stands in every script that adds a server to a client, or holds a configuration.
const ADDED: &[&str] = &[
    "mcpServers",
    "mcp_servers",
    "mcp-servers",
    "context_servers",
    "mcp add",
    "mcp-add",
    "add-mcp",
    "server_label",
    "StdioServerParam",
    "MCPServer",
    "StdioClientTrans",
    "HTTPClientTransport",
    "HttpClientSse",
    "HttpClientStream",
    "HttpClientTransport",
    "SSEClientTransport",
    "SseClientTransport",
    "ServerParameters.b",
    "mcp.CommandTrans",
    "mcp.StreamableClient",
    "TokioChildProcess",
    "streamablehttp_client",
    "streamable_http_client",
    "sse_client",
    "MCPClient",
    "McpClient",
    "mcp_client",
    "mcp-client",
];

/// A piece of each of these words, one of which stands in every document that the core recognises: a setup, a listing, OAuth evidence. Spelled out
/// by case, so that the search runs on vectors. Each begins where three letters are rare in data, since the search looks closer at each place
/// that has them (`servers` would be looked at in every `version` and `parser` of a lockfile); and they are searched in three groups, put together
/// so that their letters have little in common: for one large group the vectors rule hardly anything out.
const WORDS: [&[&str]; 3] = [
    &[
        // registry_type
        "y_type",
        // scope", scopes"
        "cope",
        // A letter written as its number: any of the words may stand there in disguise.
        "\\u00",
        "\\U000000",
        "\\x5",
        "\\x6",
        "\\x7",
        // redirect_uris
        "t_uris",
        "\"kty\"",
        // extensions
        "xtensions",
        // "skills"
        "kills\"",
        // stdio
        "tdio",
        // serverInfo
        "rInfo",
    ],
    &[
        // servers, Servers
        "rvers",
        // registryType
        "yType",
        // jsonrpc
        "nrpc",
        // bearer_methods_supported, scopes_supported
        "s_supported",
        // "prompts", "resources"
        "mpts\"",
        "urces\"",
        // token_type, token_endpoint, authorization_server
        "n_type",
        "n_endpoint",
        "n_server",
        // manifest_version, dxt_version
        "t_version",
        "\\x4",
        // jwks_uri
        "wks_uri",
        "tsuba-evidence/",
        "tsuba-reading/",
    ],
    &[
        // mcpName, too
        "mcp",
        "Mcp",
        "MCP",
        // resultType
        "ultType",
        // uriTemplate
        "iTemplate",
        // protocolVersion
        "olVersion",
        "\"sse\"",
        // streamable, Streamable, streamable-http
        "amable",
        // inputSchema, input_schema
        "utSchema",
        "ut_schema",
        // nextCursor
        "tCursor",
        // identityRoles
        "yRoles",
        // PRIVATE KEY-----
        "KEY-----",
        // io.modelcontextprotocol.server.name, a label
        "ontextp",
        // The claims of a token.
        ".eyJ",
    ],
];

/// A piece of each word by which a file says what runs without asking, in the ways of writing names. People write such files: what is long is
/// none, and is not searched for them.
const UNASKED: &[&str] = &[
    // bypassPermissions, dangerouslySkipPermissions, permissionMode and its values
    "sPerm",
    "pPermi",
    "ass_perm",
    "ass-perm",
    "kip_perm",
    "kip-perm",
    "\"bypass\"",
    "missionMode",
    "mission_mode",
    "mission-mode",
    "ontAsk",
    "ont_ask",
    "ont-ask",
    "yolo",
    // autoApprove, alwaysAllow, allowedTools, coreTools
    "oApprove",
    "o_approve",
    "o-approve",
    "waysAllow",
    "ways_allow",
    "ways-allow",
    "edTools",
    "ed_tools",
    "ed-tools",
    "coreTools",
    // approvalPolicy, approvalMode, askForApproval
    "valPolicy",
    "val_policy",
    "val-policy",
    "valMode",
    "val_mode",
    "val-mode",
    "orApproval",
    "or_approval",
    "or-approval",
    // sandboxMode, disableSandbox, allowUnsandboxedCommands, a sandbox that is switched off
    "boxMode",
    "box_mode",
    "box-mode",
    "ableSandbox",
    "able_sandbox",
    "nsandboxed",
    "\"sandbox\"",
    // PreToolUse, SessionStart, UserPromptSubmit, SubagentStop
    "oolUse",
    "sionStart",
    "ptSubmit",
    "agentStop",
];

/// So many bytes are searched for one group after the other, while they are near at hand.
pub(crate) const AT_ONCE: usize = 64 << 10;
/// And so many of them again with what follows: more than the longest word and what is looked at around it.
pub(crate) const AGAIN: usize = 32;

impl Prefilter {
    pub(crate) fn new() -> Option<Self> {
        let words = WORDS.into_iter().map(Searcher::new).collect::<Option<Vec<_>>>()?;
        Some(Self {
            words,
            shown: Searcher::new(SHOWN)?,
            added: Searcher::new(ADDED)?,
            unasked: Searcher::new(UNASKED)?,
        })
    }

    /// May these bytes be a setup? UTF-16 is let through: its words are not searched for.
    pub(crate) fn passes(&self, bytes: &[u8], name: Name) -> bool {
        match bytes {
            [0xFF, 0xFE, ..] | [0xFE, 0xFF, ..] => true,
            // Some programs write it without its mark.
            [1..=255, 0, 1..=255, 0, ..] | [0, 1..=255, 0, 1..=255, ..] if name == Name::Notation => true,
            _ if name == Name::Open && looks_binary(bytes) => false,
            _ if name == Name::Table => heads_grants(bytes),
            _ if name == Name::Token => !looks_binary(bytes),
            _ if name == Name::Guide => !looks_binary(bytes),
            _ if name == Name::Prose => {
                !looks_binary(bytes) && (self.shown.find(bytes).is_some() || instructs_by_front(bytes))
            }
            _ if name == Name::Script => !looks_binary(bytes) && self.added.find(bytes).is_some(),
            _ if name == Name::Shell => {
                !looks_binary(bytes) && (self.added.find(bytes).is_some() || names_servers(bytes))
            }
            _ => self.has_word(bytes) || bytes.len() <= AT_ONCE && self.unasked.find(bytes).is_some(),
        }
    }

    fn has_word(&self, bytes: &[u8]) -> bool {
        (0..bytes.len()).step_by(AT_ONCE).any(|start| {
            let end = bytes.len().min(start + AT_ONCE + AGAIN);
            let part = bytes.get(start..end).unwrap_or_default();
            let is_meant = |met: aho_corasick::Match| !is_chance(bytes, start + met.start(), start + met.end());
            self.words.iter().any(|words| words.find_iter(part).any(is_meant))
        })
    }
}

/// Is a piece there by chance? Three letters only happen to stand in a row, as in the base64 of a hash: in a lockfile they always do somewhere;
/// in a name they begin or end a word of it. And of some words only the piece is rare.
fn is_chance(bytes: &[u8], start: usize, end: usize) -> bool {
    let behind = bytes.get(end..).unwrap_or_default();
    let word = match bytes.get(start..end) {
        Some(b"cope") => return !(behind.starts_with(b"\"") || behind.starts_with(b"s\"")),
        Some(b"\\u00" | b"\\U000000") => return !matches!(behind, [b'4'..=b'7', ..]),
        Some(word) if word.eq_ignore_ascii_case(b"mcp") => word,
        _ => return false,
    };
    let [first, _, last] = word else { return false };
    let at = |place: Option<usize>| place.and_then(|place| bytes.get(place)).copied().unwrap_or(b' ');
    let (before, after, next) = (at(start.checked_sub(1)), at(Some(end)), at(Some(end + 1)));
    let hump = |left: u8, right: u8| left.is_ascii_lowercase() && right.is_ascii_uppercase();
    let begins = hump(before, *first);
    let ends = hump(*last, after) || (after.is_ascii_uppercase() && next.is_ascii_lowercase());
    // Of those that begin or end by their case alone a hash has many, so both are asked for.
    let apart = !before.is_ascii_alphanumeric() || !after.is_ascii_alphanumeric();
    !(apart || begins && ends)
}

/// Does a script name a tool server that it may start?
fn names_servers(bytes: &[u8]) -> bool {
    ["mcp", "MCP", "modelcontextprotocol"].iter().any(|word| memchr::memmem::find(bytes, word.as_bytes()).is_some())
}

/// The first line of a table is looked for in so many bytes.
pub(crate) const HEAD: usize = 4096;

/// Does the first line of a table name a column of scopes?
fn heads_grants(bytes: &[u8]) -> bool {
    let head = bytes.get(..bytes.len().min(HEAD)).unwrap_or_default();
    let line = head.split(|byte| *byte == b'\n').find(|line| !line.trim_ascii().is_empty()).unwrap_or_default();
    let lower = line.to_ascii_lowercase();
    ["scope", "permissions"].iter().any(|word| lower.windows(word.len()).any(|window| window == word.as_bytes()))
}

fn looks_binary(bytes: &[u8]) -> bool {
    bytes.iter().take(512).any(|b| *b == 0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_sorted_out() {
        assert!(NEVER.is_sorted() && SCRIPTS.is_sorted() && SHELLS.is_sorted());
        for (name, want) in [
            ("mcp.json", Name::Notation),
            (".mcp.json", Name::Notation),
            ("Settings.JSONC", Name::Notation),
            ("c.toml", Name::Notation),
            ("x.code-workspace", Name::Notation),
            (".env", Name::Sidecar),
            (".env.local", Name::Sidecar),
            ("quay.env", Name::Sidecar),
            (".envrc", Name::Sidecar),
            ("requests.jsonl", Name::Prose),
            ("tide.container", Name::Open),
            ("config", Name::Open),
            (".mcprc", Name::Open),
            ("servers.conf", Name::Open),
            ("x.backup", Name::Open),
            ("grants.csv", Name::Table),
            ("tide.mcpb", Name::Bundle),
            ("tide.tar.gz", Name::Archive),
            ("tide.whl", Name::Archive),
            ("tide.key", Name::Sidecar),
            ("README.md", Name::Prose),
            ("AGENTS.md", Name::Guide),
            ("tides.mdc", Name::Guide),
            ("index.HTML", Name::Prose),
            ("notes.txt", Name::Prose),
            ("setup.sh", Name::Shell),
            ("Makefile", Name::Shell),
            ("Procfile", Name::Shell),
            ("Jenkinsfile", Name::Script),
            ("main.rs", Name::Script),
            ("main.o", Name::Other),
            ("a.png", Name::Other),
            ("package.lock", Name::Other),
            ("A.PNG", Name::Other),
            (".gitignore", Name::Open),
            ("tide.a-very-long-ending-indeed", Name::Open),
            ("tide.ünï", Name::Open),
        ] {
            assert_eq!(by_name(name), want, "{name}");
        }
    }

    #[test]
    fn content_is_sorted_out() {
        let filter = Prefilter::new().unwrap();
        assert!(filter.passes(br#"{"McpServers": {}}"#, Name::Notation));
        assert!(filter.passes(b"\xFF\xFEx\0", Name::Notation));
        assert!(filter.passes(b"{\0}\0", Name::Notation) && filter.passes(b"\0{\0}", Name::Notation));
        assert!(!filter.passes(b"x\0y\0", Name::Open));
        assert!(!filter.passes(br#"{"name": "tide"}"#, Name::Notation));
        for (text, want) in [
            ("x-mcp-y", true),
            ("mcp", true),
            ("tidesmcp", true),
            ("mcptides", true),
            ("tideMcpTool", true),
            ("tideMCPTool", true),
            (r"\u006dcp", true),
            (r#""\x6d\x63\x70Serv""#, true),
            ("sha512-aamcpbb==", false),
            ("sha512-aaMcpbb==", false),
            ("sha512-AAMCPAA==", false),
            ("\"scope\": 1", true),
            ("\"scopes\": 1", true),
            ("\"defaultMode\": \"bypassPermissions\"", true),
            ("approval_policy = \"never\"", true),
            ("a telescope", false),
            ("caf\\u00e9", false),
        ] {
            assert_eq!(filter.passes(text.as_bytes(), Name::Notation), want, "{text}");
        }
        // A word is found wherever the parts that are searched meet.
        for lead in AT_ONCE - 40..AT_ONCE + 2 {
            for word in ["\"mcpServers\"", "tsuba-evidence/1", "\"scopes\"", "\\U0000006d"] {
                let text = "tide ".repeat(lead / 5 + 1);
                let text = format!("{}{word}", text.get(..lead).unwrap());
                assert!(filter.passes(text.as_bytes(), Name::Notation), "{word} at {lead}");
            }
        }
        assert!(!filter.passes(b"\0\0mcpServers", Name::Open));
        assert!(filter.passes(b"```json\n{ \"mcpServers\": {} }\n```", Name::Prose));
        assert!(filter.passes(b"add://x?c=eyJjb21tYW5kIjoieCJ9", Name::Prose));
        assert!(filter.passes(b"x:y?%257B%2522command%2522", Name::Prose));
        assert!(!filter.passes(b"How to run an mcp server", Name::Prose));
        assert!(filter.passes(b"Never tell anybody.", Name::Guide));
        assert!(filter.passes(b"---\nname: a\ndescription: b\n---\nNever tell.", Name::Prose));
        assert!(filter.passes(b"\nApp;User;Granted Scopes\ntide", Name::Table));
        assert!(!filter.passes(b"Harbour;Height\nscope;1", Name::Table));
    }
}
