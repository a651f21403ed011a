//! Recognising a setup by its shape: maps and lists of servers, wherever they are nested. No program's file name is known here.

mod allowed;
mod kind;

pub(super) use allowed::Allowed;
pub use kind::SetupKind;

use crate::prelude::*;
use crate::read::{Document, Member, Node, Notation, Value, front_matter};
use crate::text::{Located, Pointer, Span, normal};
use core::cell::LazyCell;

/// A server found in a document, not yet understood.
#[derive(Clone, Debug)]
pub struct Server<'d> {
    /// Its name: the key, or the item's `name`.
    pub name: Located,
    /// Where its settings are.
    pub pointer: Pointer,
    /// Its settings.
    pub node: &'d Node,
    /// The tools that lists beside the servers let run unasked.
    pub allowed: Arc<Allowed<'d>>,
}

/// What was recognised in a document.
#[derive(Clone, Debug)]
pub struct Found<'d> {
    /// The kind of setup.
    pub kind: SetupKind,
    /// The servers in the order written.
    pub servers: Vec<Server<'d>>,
    /// Lists of input prompts (`inputs`), which may carry defaults.
    pub inputs: Vec<(Pointer, &'d Node)>,
    /// Keys that occur twice.
    pub duplicates: Vec<Located>,
    /// Switches that import servers unasked.
    pub imports: Vec<Located>,
    /// Does all of it stand in strings of the document, which is something else itself?
    pub embedded: bool,
}

impl Found<'_> {
    /// A document that configures no server.
    pub(super) fn nothing(kind: SetupKind) -> Self {
        Found {
            kind,
            servers: Vec::new(),
            inputs: Vec::new(),
            duplicates: Vec::new(),
            imports: Vec::new(),
            embedded: false,
        }
    }
}

/// Settings nest servers at most this deep.
const MAX_SEARCH: usize = 8;
/// More servers than this in one document are not looked at.
const MAX_SERVERS: usize = 200_000;

/// Could these bytes be a setup? For files that cannot be parsed: only what names servers unmistakably counts.
pub(super) fn looks_like_setup(bytes: &[u8]) -> bool {
    ["mcpServers", "mcp_servers", "mcp-servers", "context_servers"].iter().any(|needle| {
        let wide: Vec<u8> = needle.bytes().flat_map(|b| [b, 0]).collect();
        memchr::memmem::find(bytes, needle.as_bytes()).is_some() || memchr::memmem::find(bytes, &wide).is_some()
    })
}

/// Recognises a document; `None` when it configures no server.
pub(super) fn recognise(document: &Document) -> Option<Found<'_>> {
    let mut found = Found::nothing(SetupKind::Client);
    if document.notation == Notation::Dotenv {
        found.kind = SetupKind::Dotenv;
        return Some(found);
    }
    let own = document.rooted().map(|root| (root, false));
    for ((pointer, root), embedded) in own.chain(document.embeds().map(|root| (root, true))) {
        found.embedded = embedded && (found.embedded || found.servers.is_empty() && found.imports.is_empty());
        // An API description lists `servers` of its own (OpenAPI, AsyncAPI).
        if ["openapi", "swagger", "asyncapi"].iter().any(|key| root.get(key).is_some()) {
            continue;
        }
        search(root, &pointer, 0, &mut found);
        // Evidence names the address that was asked at its top and sets up nothing there; what else stands in a file that says it is
        // evidence is looked at like in any other.
        if found.servers.is_empty() && !crate::evidence::is_evidence(root) {
            bare(root, &pointer, &mut found);
        }
    }
    if found.servers.is_empty() && found.imports.is_empty() {
        return None;
    }
    if document.notation == Notation::Prose {
        found.kind = match document.facts.candidate {
            true => SetupKind::Candidate,
            false if is_in_front(document, &found) => SetupKind::Client,
            false => SetupKind::Snippet,
        };
    }
    if document.notation == Notation::Script {
        found.kind = SetupKind::Script;
    }
    if document.notation == Notation::Pasted {
        found.kind = SetupKind::Candidate;
    }
    Some(found)
}

/// Does a text set servers up for what it instructs, by its front matter?
fn is_in_front(document: &Document, found: &Found<'_>) -> bool {
    let first = found.servers.first().map(|server| server.node.span);
    let front = if document.text.starts_with("---") { front_matter(&document.text) } else { None };
    first.zip(front).is_some_and(|(first, front)| first.within(front.span))
}

/// Looks for maps and lists of servers below `node`.
fn search<'d>(node: &'d Node, pointer: &Pointer, depth: usize, found: &mut Found<'d>) {
    if depth > MAX_SEARCH || found.servers.len() >= MAX_SERVERS {
        return;
    }
    // An agent that is written down as a list of tools has the server in a mapping of its own.
    if let Some(server) = node.get("server").filter(|server| is_typed(node) && has_address(server)) {
        let name = name_of(node, pointer, &["server_label", "name", "id"], || "server".to_owned());
        let at = pointer.key("server");
        let allowed = Arc::new(Allowed::beside(node));
        return found.servers.push(Server { name, pointer: at, node: server, allowed });
    }
    if is_hosted(node) {
        let name = name_of(node, pointer, &["server_label", "name", "id"], || "server".to_owned());
        duplicates_below(node, pointer, found, 0);
        let allowed = Arc::new(Allowed::beside(node));
        return found.servers.push(Server { name, pointer: pointer.clone(), node, allowed });
    }
    // What all maps of servers here share is looked for once, and only where there is one.
    let allowed = LazyCell::new(|| Arc::new(Allowed::beside(node)));
    let inputs = LazyCell::new(|| node.get("inputs").filter(|inputs| inputs.is_list()));
    let asks_for_inputs =
        LazyCell::new(|| inputs.is_some_and(|list| list.items().iter().any(|i| i.get("id").is_some())));
    let mut has_table = false;
    for (index, item) in node.items().iter().enumerate().filter(|(_, item)| item.is_map()) {
        search(item, &pointer.index(index), depth + 1, found);
    }
    for member in node.effective() {
        let at = pointer.key(&member.key.text);
        let key = normal(&member.key.text);
        let value = &member.value;
        // Settings of editors have the names of their parts before the key: `agent.mcpServers`, `agent.mcp.servers`.
        let (before, last) = member.key.text.rsplit_once('.').unwrap_or(("", &member.key.text));
        let (before, last) = (before.rsplit('.').next().map(normal).unwrap_or_default(), normal(last));
        match key.as_str() {
            // The key alone says it.
            _ if matches!(last.as_str(), "mcpservers" | "contextservers") => {
                collection(value, &at, &allowed, found, |_| true);
            }
            _ if last == "servers" && before == "mcp" => {
                collection(value, &at, &allowed, found, |server| is_server(server, false));
            }
            "servers" if is_server_table(value, || *asks_for_inputs) => {
                if !has_table {
                    found.inputs.extend(inputs.map(|inputs| (pointer.key("inputs"), inputs)));
                    duplicates(node, pointer, found);
                    has_table = true;
                }
                collection(value, &at, &allowed, found, |server| is_server(server, true));
            }
            "mcp" if value.get("servers").is_none() && value.get("mcpServers").is_none() => {
                collection(value, &at, &allowed, found, |server| is_server(server, false));
            }
            "extensions" => collection(value, &at, &allowed, found, is_extension),
            // Under a key of somebody's own: `toolServers`, `agent_servers`.
            _ if key.len() > 7 && key.ends_with("servers") && holds_servers(value) => {
                collection(value, &at, &allowed, found, |server| is_server(server, false));
            }
            _ => {
                if is_import(&key, value) || is_tool_import(&key, value) {
                    found.imports.push(Located {
                        text: member.key.text.clone(),
                        span: member.key.span,
                        pointer: at.clone(),
                    });
                }
                search(value, &at, depth + 1, found);
            }
        }
    }
}

fn is_import(key: &str, value: &Node) -> bool {
    let on = value.truth() == Some(true);
    (key == "enableallprojectmcpservers" || key == "importmcpservers") && on
}

/// `mcp.discovery.enabled`, `chat.mcp.discovery.enabled: true` as a flat key.
fn is_tool_import(key: &str, value: &Node) -> bool {
    key.contains("mcp")
        && key.contains("discovery")
        && (value.truth() == Some(true) || value.members().iter().any(|m| m.value.truth() == Some(true)))
}

/// The servers of a map or list.
fn collection<'d>(
    value: &'d Node,
    pointer: &Pointer,
    allowed: &Arc<Allowed<'d>>,
    found: &mut Found<'d>,
    accept: impl Fn(&Node) -> bool,
) {
    let before = found.servers.len();
    match &value.value {
        Value::Map(_) => {
            for member in value.effective().filter(|m| m.value.is_map() && accept(&m.value)) {
                found.servers.push(server_of(member, pointer, allowed));
            }
        }
        Value::List(items) => {
            for (index, item) in items.iter().enumerate().filter(|(_, item)| item.is_map() && accept(item)) {
                let at = pointer.index(index);
                let name = name_of(item, &at, &["name", "id", "title"], || format!("#{}", index + 1));
                found.servers.push(Server { name, pointer: at, node: item, allowed: allowed.clone() });
            }
        }
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::Text(_) => {}
    }
    if found.servers.len() > before {
        duplicates(value, pointer, found);
        let servers: Vec<_> = found.servers.iter().skip(before).map(|s| (s.node, s.pointer.clone())).collect();
        for (node, at) in servers {
            duplicates_below(node, &at, found, 0);
        }
    }
    found.servers.truncate(MAX_SERVERS);
}

/// What a server calls itself, else another name at its beginning.
fn name_of(node: &Node, at: &Pointer, keys: &[&str], otherwise: impl FnOnce() -> String) -> Located {
    let named = node.first(keys).and_then(|(key, name)| name.located(at.key(key)));
    named.unwrap_or_else(|| Located {
        text: otherwise(),
        span: Span { end: node.span.start + 1, ..node.span },
        pointer: at.clone(),
    })
}

fn server_of<'d>(member: &'d Member, pointer: &Pointer, allowed: &Arc<Allowed<'d>>) -> Server<'d> {
    let at = pointer.key(&member.key.text);
    let name = Located { text: member.key.text.clone(), span: member.key.span, pointer: at.clone() };
    Server { name, pointer: at, node: &member.value, allowed: allowed.clone() }
}

/// Keys of a mapping that are written again later.
fn duplicates(node: &Node, pointer: &Pointer, found: &mut Found<'_>) {
    let mut seen = BTreeSet::new();
    for member in node.members().iter().rev() {
        if !seen.insert(member.key.text.as_str()) {
            let at = pointer.key(&member.key.text);
            found.duplicates.push(Located { text: member.key.text.clone(), span: member.key.span, pointer: at });
        }
    }
}

fn duplicates_below(node: &Node, pointer: &Pointer, found: &mut Found<'_>, depth: usize) {
    duplicates(node, pointer, found);
    if depth < 3 {
        for member in node.members().iter().filter(|m| m.value.is_map()) {
            duplicates_below(&member.value, &pointer.key(&member.key.text), found, depth + 1);
        }
    }
}

pub(super) const ADDRESSES: &[&str] = &["url", "serverUrl", "httpUrl", "uri", "endpoint", "server_url"];
pub(super) const COMMANDS: &[&str] = &["command", "cmd"];
/// Keys under which a server keeps how it is started or called as a mapping of its own.
const TRANSPORTS: &[&str] = &["transport", "connection"];

/// How a server is started or called, where it keeps that apart: `transport: {type: http, url: …}`.
pub(super) fn transport_of(node: &Node) -> Option<(&'static str, &Node)> {
    let (key, inner) = node.first(TRANSPORTS).filter(|(_, inner)| inner.is_map())?;
    (inner.first(COMMANDS).is_some() || inner.first(ADDRESSES).is_some()).then_some((key, inner))
}

/// A server that a request to a hosted model names among its tools: `{type: mcp, server_label, server_url, …}`.
fn is_hosted(node: &Node) -> bool {
    is_typed(node) && has_address(node)
}

fn is_typed(node: &Node) -> bool {
    node.get("type").and_then(Node::text) == Some("mcp")
}

fn has_address(node: &Node) -> bool {
    node.first(ADDRESSES).is_some_and(|(_, url)| url.text().is_some())
}

/// Is the table under `servers` one of tool servers? Web-server lists, API descriptions and language servers use the word too.
fn is_server_table(table: &Node, asks_for_inputs: impl Fn() -> bool) -> bool {
    let servers: Vec<&Node> = match &table.value {
        Value::Map(members) => members.iter().map(|m| &m.value).collect(),
        Value::List(items) => items.iter().collect(),
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::Text(_) => return false,
    };
    servers.iter().any(|s| is_server(s, true)) || (servers.iter().any(|s| is_server(s, false)) && asks_for_inputs())
}

/// Are all of these servers, and does one say itself that it is a tool server?
fn holds_servers(table: &Node) -> bool {
    let mut servers: Vec<&Node> = table.members().iter().map(|member| &member.value).collect();
    servers.extend(table.items());
    !servers.is_empty() && servers.iter().all(|s| is_server(s, false)) && servers.iter().any(|s| says_so(s))
}

/// Marks of a language server.
const LANGUAGE: &[&str] = &[
    "filetypes",
    "languages",
    "language",
    "rootPatterns",
    "root_markers",
    "rootMarkers",
    "initializationOptions",
    "initialization_options",
    "initOptions",
    "fileTypes",
    "languageId",
    "selector",
    "documentSelector",
    "file-types",
    "roots",
    "config",
];

/// Does a mapping configure a tool server? `strict` asks for a mark that other tables do not have.
fn is_server(node: &Node, strict: bool) -> bool {
    if !node.is_map() || LANGUAGE.iter().any(|key| node.get(key).is_some()) {
        return false;
    }
    if let Some((_, inner)) = transport_of(node) {
        return is_server(inner, strict);
    }
    let typed = node.first(&["type", "transport"]).and_then(|(_, t)| t.text().map(normal)).is_some_and(|t| {
        ["stdio", "sse", "http", "streamablehttp", "local", "remote", "ws", "websocket"].contains(&t.as_str())
    });
    let command = node.first(COMMANDS).map(|(_, c)| c);
    let starts = command.is_some_and(|c| c.text().is_some() || c.is_list() || c.is_map());
    let address = node.first(ADDRESSES).and_then(|(_, a)| a.text());
    let credential = node.first(&["env", "environment", "headers", "args", "arguments", "envFile"]).is_some();
    let mentions = |text: &str| text.to_ascii_lowercase().contains("mcp");
    match (starts, address) {
        (true, _) => !strict || typed || (credential && !is_language_server(node)),
        (false, Some(address)) => {
            !strict
                || typed
                || node.get("headers").is_some_and(Node::is_map)
                || mentions(address)
                || address.trim_end_matches('/').ends_with("/sse")
        }
        (false, None) => false,
    }
}

/// A command that is a language server by its name, or speaks the language protocol on stdio by its switch.
fn is_language_server(node: &Node) -> bool {
    let command = node.get("command").and_then(Node::text).unwrap_or_default().to_ascii_lowercase();
    let lsp =
        ["langserver", "language-server", "-lsp", "_lsp", "lsp-", "analyzer", "gopls", "clangd", "pylsp", "tsserver"]
            .iter()
            .any(|w| command.contains(w));
    let args = node.get("args").map(Node::items).unwrap_or_default();
    lsp || (args.len() == 1 && args.iter().all(|a| a.text() == Some("--stdio")) && node.get("env").is_none())
}

/// `{enabled, type: stdio|sse|streamable_http, cmd, args, envs | uri}`.
fn is_extension(node: &Node) -> bool {
    let typed = node.get("type").and_then(Node::text).map(normal);
    let tool = typed.as_deref().is_some_and(|t| matches!(t, "stdio" | "sse" | "streamablehttp"));
    tool && node.first(&["cmd", "command", "uri", "url"]).is_some()
}

/// Does what is started or called say itself that it is a tool server, by type or by its words?
fn says_so(node: &Node) -> bool {
    let typed = node
        .first(&["type", "transport"])
        .and_then(|(_, t)| t.text().map(normal))
        .is_some_and(|t| ["stdio", "sse", "streamablehttp"].contains(&t.as_str()));
    let words =
        node.get("args").map(Node::items).unwrap_or_default().iter().chain(node.first(ADDRESSES).map(|(_, n)| n));
    typed || words.filter_map(Node::text).any(|text| text.to_ascii_lowercase().contains("mcp"))
}

/// A root that is itself a map of servers, or one server: only where it says so itself, by type or by its words.
fn bare<'d>(root: &'d Node, pointer: &Pointer, found: &mut Found<'d>) {
    if is_server(root, false)
        && root.get("command").is_none_or(|_| root.get("args").is_some())
        && says_so(root)
        && root.get("scripts").is_none()
    {
        let name = name_of(root, pointer, &["name", "id", "title"], || "server".to_owned());
        let allowed = Arc::new(Allowed::beside(root));
        found.servers.push(Server { name, pointer: pointer.clone(), node: root, allowed });
        duplicates_below(root, pointer, found, 0);
        return;
    }
    let members = root.members();
    let all = !members.is_empty() && members.iter().all(|m| is_server(&m.value, false));
    if all && members.iter().any(|m| says_so(&m.value)) {
        collection(root, pointer, &Arc::new(Allowed::beside(root)), found, |server| is_server(server, false));
    }
}

#[cfg(test)]
mod tests;
