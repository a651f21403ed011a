//! Which files are worth reading, by name and by a look at their content. By name only what can never be a setup is left out:
//! program text, pictures, archives; which file a program reads its setup from is not known here.

use aho_corasick::packed::Searcher;

/// What a file's name says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Name {
    /// Written in a notation that setups use.
    Notation,
    /// A dotenv or a key file: read when it lies beside a setup or is named by one.
    Beside,
    /// A table: a list of grants, or more often data.
    Table,
    /// A text for people, which may show a configuration or hold a link that carries one.
    Prose,
    /// An archive of a server, by its ending.
    Bundle,
    /// No ending, or one that says nothing.
    Open,
    /// Never a setup.
    Other,
}

/// Endings of files that are no setups, sorted. They are skipped unread, which is what makes the walk fast.
const NEVER: &[&str] = &[
    "7z", "a", "aac", "ai", "apk", "avi", "avif", "bash", "bat", "bin", "bmp", "br", "bz2", "c", "cc", "cjs", "class",
    "cmake", "cpp", "crt", "cs", "css", "cts", "cu", "d", "dart", "db", "deb", "dll", "dmg", "doc", "docx", "ear",
    "eml", "eot", "eps", "erb", "ex", "exe", "exs", "fish", "flac", "fs", "gem", "gif", "glb", "go", "gql", "gradle",
    "graphql", "groovy", "gz", "h", "hcl", "heic", "hpp", "hs", "ico", "img", "iml", "inl", "iso", "jar", "java",
    "jpeg", "jpg", "js", "jsonl", "jsx", "kt", "kts", "less", "lib", "lock", "log", "lua", "lz4", "m", "m4a", "map",
    "mjs", "ml", "mm", "mo", "mov", "mp3", "mp4", "mpeg", "msi", "mts", "ndjson", "nim", "node", "o", "obj", "odt",
    "ogg", "otf", "out", "parquet", "patch", "pb", "pdf", "php", "pkl", "pl", "plist", "pm", "png", "po", "pptx",
    "proto", "ps1", "psd", "pub", "py", "pyc", "pyd", "pyi", "r", "rar", "rb", "rej", "rlib", "rmeta", "rpm", "rs",
    "s", "sass", "scala", "scss", "sh", "snap", "so", "sol", "sql", "sqlite", "sqlite3", "stl", "sum", "sv", "svelte",
    "svg", "swift", "tar", "tex", "tf", "tgz", "tif", "tiff", "ts", "tsx", "ttf", "v", "vb", "vhd", "vue", "war",
    "wasm", "wav", "webm", "webp", "whl", "wmv", "woff", "woff2", "xls", "xlsx", "xml", "xsl", "xz", "zig", "zip",
    "zsh", "zst",
];

/// Endings are at most this long (bytes); a longer one is none.
const LONGEST_ENDING: usize = 16;

/// Called for every file of a tree: nothing is allocated here.
pub(crate) fn by_name(name: &str) -> Name {
    let bytes = name.as_bytes();
    let begins = |start: &[u8]| bytes.get(..start.len()).is_some_and(|head| head.eq_ignore_ascii_case(start));
    let ends =
        bytes.len().checked_sub(4).and_then(|at| bytes.get(at..)).is_some_and(|t| t.eq_ignore_ascii_case(b".env"));
    if ends || begins(b".env.") {
        return Name::Beside;
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
        b"pem" | b"key" => Name::Beside,
        b"adoc" | b"htm" | b"html" | b"ipynb" | b"markdown" | b"md" | b"mdc" | b"mdx" | b"rst" | b"txt" => Name::Prose,
        lower if NEVER.binary_search_by(|never| never.as_bytes().cmp(lower)).is_ok() => Name::Other,
        _ => Name::Open,
    }
}

/// Files of unknown name are read only up to this size (bytes): a setup is small, and what is large and nameless is data.
pub(crate) const OPEN_LIMIT: u64 = 1024 * 1024;

/// The cheap look at content: does it hold any word that every setup has?
#[derive(Debug)]
pub(crate) struct Prefilter {
    words: Searcher,
    shown: Searcher,
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
    " mcp add",
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

/// A piece of each of these words, one of which stands in every document that the core recognises: a setup in the first lines, a listing and OAuth
/// evidence in the others. Spelled out by case, so that the search runs on vectors; and it begins where three letters are rare in data, since
/// it looks closer at each place that has them (`servers` would be looked at in every `version` and `parser` of a lockfile).
const WORDS: &[&str] = &[
    "mcp",
    "Mcp",
    "MCP",
    // servers, Servers
    "rvers",
    // streamable, Streamable, streamable-http
    "amable",
    // stdio
    "tdio",
    "\"sse\"",
    // extensions
    "xtensions",
    // inputSchema, input_schema
    "utSchema",
    "ut_schema",
    // jsonrpc
    "nrpc",
    // serverInfo
    "rInfo",
    // protocolVersion
    "olVersion",
    // manifest_version, dxt_version
    "t_version",
    // uriTemplate
    "iTemplate",
    // nextCursor
    "tCursor",
    // resultType
    "ultType",
    // "skills", "prompts", "resources"
    "kills\"",
    "mpts\"",
    "urces\"",
    // token_endpoint, authorization_server, token_type
    "n_endpoint",
    "n_server",
    "n_type",
    // jwks_uri
    "wks_uri",
    // bearer_methods_supported, scopes_supported
    "s_supported",
    // redirect_uris
    "t_uris",
    "tsuba-evidence/",
    // scope", scopes"
    "cope\"",
    "copes\"",
    "\"kty\"",
    // registryType, registry_type
    "yType",
    "y_type",
    // mcpName has "mcp"; identityRoles
    "yRoles",
    // PRIVATE KEY-----
    "KEY-----",
    // A letter written as its number: any of the words may stand there in disguise.
    "\\u004",
    "\\u005",
    "\\u006",
    "\\u007",
    "\\U0000004",
    "\\U0000005",
    "\\U0000006",
    "\\U0000007",
    "\\x4",
    "\\x5",
    "\\x6",
    "\\x7",
];

impl Prefilter {
    pub(crate) fn new() -> Option<Self> {
        Some(Self { words: Searcher::new(WORDS)?, shown: Searcher::new(SHOWN)? })
    }

    /// May these bytes be a setup? UTF-16 is let through: its words are not searched for.
    pub(crate) fn passes(&self, bytes: &[u8], name: Name) -> bool {
        match bytes {
            [0xFF, 0xFE, ..] | [0xFE, 0xFF, ..] => true,
            _ if name == Name::Open && looks_binary(bytes) => false,
            _ if name == Name::Table => heads_grants(bytes),
            _ if name == Name::Prose => !looks_binary(bytes) && self.shown.find(bytes).is_some(),
            _ => self.words.find_iter(bytes).any(|met| !is_chance(bytes, met.start(), met.end())),
        }
    }
}

/// Do three letters only happen to stand in a row, as in the base64 of a hash: in a lockfile they always do somewhere? In a name they begin
/// or end a word of it.
fn is_chance(bytes: &[u8], start: usize, end: usize) -> bool {
    let Some(word @ [first, _, last]) = bytes.get(start..end) else { return false };
    if !word.eq_ignore_ascii_case(b"mcp") {
        return false;
    }
    let at = |place: Option<usize>| place.and_then(|place| bytes.get(place)).copied().unwrap_or(b' ');
    let (before, after, next) = (at(start.checked_sub(1)), at(Some(end)), at(Some(end + 1)));
    let hump = |left: u8, right: u8| left.is_ascii_lowercase() && right.is_ascii_uppercase();
    let begins = hump(before, *first);
    let ends = hump(*last, after) || (after.is_ascii_uppercase() && next.is_ascii_lowercase());
    // Of those that begin or end by their case alone a hash has many, so both are asked for.
    let apart = !before.is_ascii_alphanumeric() || !after.is_ascii_alphanumeric();
    !(apart || begins && ends)
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
        assert!(NEVER.is_sorted());
        for (name, want) in [
            ("mcp.json", Name::Notation),
            (".mcp.json", Name::Notation),
            ("Settings.JSONC", Name::Notation),
            ("c.toml", Name::Notation),
            ("x.code-workspace", Name::Notation),
            (".env", Name::Beside),
            (".env.local", Name::Beside),
            ("quay.env", Name::Beside),
            ("config", Name::Open),
            (".mcprc", Name::Open),
            ("servers.conf", Name::Open),
            ("x.backup", Name::Open),
            ("grants.csv", Name::Table),
            ("tide.mcpb", Name::Bundle),
            ("tide.key", Name::Beside),
            ("README.md", Name::Prose),
            ("index.HTML", Name::Prose),
            ("notes.txt", Name::Prose),
            ("main.rs", Name::Other),
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
        ] {
            assert_eq!(filter.passes(text.as_bytes(), Name::Notation), want, "{text}");
        }
        assert!(!filter.passes(b"\0\0mcpServers", Name::Open));
        assert!(filter.passes(b"```json\n{ \"mcpServers\": {} }\n```", Name::Prose));
        assert!(filter.passes(b"add://x?c=eyJjb21tYW5kIjoieCJ9", Name::Prose));
        assert!(filter.passes(b"x:y?%257B%2522command%2522", Name::Prose));
        assert!(!filter.passes(b"How to run an mcp server", Name::Prose));
        assert!(filter.passes(b"\nApp;User;Granted Scopes\ntide", Name::Table));
        assert!(!filter.passes(b"Harbour;Height\nscope;1", Name::Table));
    }
}
