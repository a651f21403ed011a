//! Recognising listings by their shape, wherever they lie in a document: a protocol answer, an evidence file, a bundle's manifest,
//! an agent card, a bare list of tools.

use super::listing::{Captured, Differs, Fetched, ItemKind, Listing, Touched, VariesBy};
use super::take::{Seen, Taking};
use crate::prelude::*;
use crate::read::{Document, Node};
use crate::text::{Located, Pointer, Span};

/// Listings are nested at most this deep.
const MAX_SEARCH: usize = 8;

/// Could these bytes be a listing? For files that cannot be parsed: only what names one unmistakably counts.
pub(crate) fn looks_like_listing(bytes: &[u8]) -> bool {
    [&b"\"inputSchema\""[..], b"\"tsuba-evidence/"].iter().any(|word| memchr::memmem::find(bytes, word).is_some())
}

/// Every listing of a document.
pub(crate) fn listings(document: &Document) -> Vec<Listing> {
    let mut found = Found { listings: Vec::new(), by_server: BTreeMap::new(), seen: Seen::default() };
    let fallback = Located { text: by_file_name(&document.path), ..Located::default() };
    for (pointer, root) in document.rooted() {
        let captured = captured(root, &pointer);
        let server = captured.as_ref().and_then(|_| root.get("entry")?.located(pointer.key("entry")));
        let evidence = captured.is_some();
        let scope = Scope { server, fallback: &fallback, answer: evidence, fixed: evidence };
        if evidence {
            // Even a server that lists nothing has been asked.
            container(root, &pointer, &scope, &mut found, |taking| taking.listing.captured = captured);
        }
        search(root, &pointer, 0, &scope, &mut found);
    }
    found.listings
}

struct Found {
    listings: Vec<Listing>,
    /// The listings by the name of their server.
    by_server: BTreeMap<String, usize>,
    /// Items already taken.
    seen: Seen,
}

/// What the surroundings say.
#[derive(Clone)]
struct Scope<'s> {
    /// The server's name as the surroundings give it.
    server: Option<Located>,
    fallback: &'s Located,
    /// Is this the result of a protocol answer, or the like?
    answer: bool,
    /// Does the document as a whole say whose it is, so that nothing in it can say otherwise?
    fixed: bool,
}

/// Is a document evidence that was captured (`tsuba-evidence/1`)?
pub(crate) fn is_evidence(root: &Node) -> bool {
    root.get("schema").and_then(Node::text).is_some_and(|schema| schema.starts_with("tsuba-evidence/"))
        && root.get("entry").is_some_and(|entry| entry.text().is_some())
}

/// Of which entry a document is evidence, and whether its answers differ.
fn captured(root: &Node, pointer: &Pointer) -> Option<Captured> {
    let text = |key: &str| root.get(key).and_then(Node::text).map(str::to_owned);
    let entry = text("entry").filter(|_| is_evidence(root))?;
    let sessions = root.get("sessions").map(Node::items).unwrap_or_default();
    let asker = |index: &Node| {
        let index: usize = index.scalar()?.parse().ok()?;
        sessions.get(index)?.get("as").and_then(Node::text)
    };
    let differs =
        root.get("differs").map(Node::items).unwrap_or_default().iter().enumerate().filter_map(|(i, item)| {
            let at = pointer.key("differs").index(i);
            let (key, node) = item.first(&["item", "method"])?;
            let askers = item.get("sessions").map(Node::items).unwrap_or_default().iter().filter_map(asker);
            let by = askers.fold(VariesBy::Era, |by, asker| match asker {
                "another client" => VariesBy::Name,
                // Evidence of before says it in other words.
                "a client with more capabilities" | "a client that can more" => VariesBy::Abilities,
                _ => by,
            });
            let what = item.get("what").and_then(Node::text).unwrap_or_default().to_owned();
            Some(Differs { at: node.located(at.key(key))?, what, by })
        });
    let differs = differs.collect();
    let varies = root.get("varies").map(Node::items).unwrap_or_default().iter().enumerate().filter_map(|(i, item)| {
        let (key, node) = item.first(&["item", "method"])?;
        node.located(pointer.key("varies").index(i).key(key))
    });
    let varies = varies.collect();
    let at = pointer.key("cage");
    let touched = |key: &str| {
        let items = root.get("cage").and_then(|cage| cage.get(key)).map(Node::items).unwrap_or_default();
        items.iter().enumerate().filter_map(|(i, item)| item.located(at.key(key).index(i))).collect()
    };
    let touched = Touched { decoys: touched("decoys"), names: touched("names"), contacts: touched("contacts") };
    let package = root.get("package").and_then(|node| fetched(node, &pointer.key("package")));
    let (setup, taken) = (text("setup").unwrap_or_default(), text("taken").unwrap_or_default());
    let (url, print) = (text("url"), text("fingerprint"));
    let answered = sessions.iter().any(is_answered) || (sessions.is_empty() && root.get("troubles").is_none());
    let http = root.get("http").map(Node::items).unwrap_or_default();
    let refused = |answer: &Node| answer.get("answered").and_then(Node::text) == Some("refusal");
    let wants_login = http.iter().any(|answer| {
        let status = answer.get("status").and_then(Node::scalar);
        answer.get("ask").and_then(Node::text) == Some("no-token")
            && (matches!(status.as_deref(), Some("401" | "403")) || refused(answer))
    });
    Some(Captured { setup, entry, taken, url, differs, varies, touched, package, print, answered, wants_login })
}

/// Did a conversation come to its end, or at least as far as the tools?
fn is_answered(session: &Node) -> bool {
    session.get("ended").and_then(Node::text) == Some("complete") || session.get("tools/list").is_some()
}

/// A package that was fetched.
fn fetched(node: &Node, pointer: &Pointer) -> Option<Fetched> {
    let text = |key: &str| node.get(key).filter(|node| node.text().is_some())?.located(pointer.key(key));
    let at = pointer.key("scripts");
    let scripts = node.get("scripts").map(Node::items).unwrap_or_default().iter().enumerate();
    Some(Fetched {
        name: text("name")?,
        version: text("version"),
        published: text("published"),
        deprecated: text("deprecated"),
        scripts: scripts.filter_map(|(index, item)| item.located(at.index(index))).collect(),
    })
}

/// A file's name without its endings; for a name that says nothing, its folder's.
fn by_file_name(path: &str) -> String {
    let mut parts = path.rsplit(['/', '\\']);
    let file = parts.next().unwrap_or_default();
    let stem = file.split('.').find(|part| !part.is_empty()).unwrap_or(file);
    let bare = ["-tools", "_tools", "-listing", "-evidence", "_evidence"].iter().find_map(|end| stem.strip_suffix(end));
    let name = bare.unwrap_or(stem);
    let generic =
        ["tools", "listing", "manifest", "agent", "agent-card", "response", "evidence", "list", "-", "server"];
    match parts.next().filter(|folder| !folder.is_empty() && *folder != ".") {
        Some(folder) if generic.contains(&name) => folder.to_owned(),
        _ => name.to_owned(),
    }
}

/// Keys that belong to the form of an answer and name no server.
fn is_structural(key: &str) -> bool {
    let date = key.len() == 10
        && key.bytes().enumerate().all(|(i, b)| if i == 4 || i == 7 { b == b'-' } else { b.is_ascii_digit() });
    date || key.contains('/')
        || matches!(
            key,
            "result"
                | "results"
                | "response"
                | "responses"
                | "answer"
                | "answers"
                | "initialize"
                | "discover"
                | "modern"
                | "legacy"
                | "evidence"
                | "listing"
                | "listings"
                | "pages"
                | "page"
                | "data"
                | "body"
                | "json"
                | "server"
                | "servers"
                | "output"
                | "eras"
                | "captured"
                | "session"
                | "message"
                | "messages"
                | "payload"
                | "params"
                | "content"
                | "tools"
                | "prompts"
                | "resources"
        )
}

fn search(node: &Node, pointer: &Pointer, depth: usize, scope: &Scope<'_>, found: &mut Found) {
    if depth > MAX_SEARCH {
        return;
    }
    if node.is_list() {
        let items = node.items();
        if items.iter().any(is_tool) {
            container(node, pointer, scope, found, |taking| taking.list(node, pointer, ItemKind::Tool));
            return;
        }
        for (index, item) in items.iter().enumerate() {
            search(item, &pointer.index(index), depth + 1, scope, found);
        }
        return;
    }
    if !node.is_map() {
        return;
    }
    if is_tool(node) {
        container(node, pointer, scope, found, |taking| taking.item(node, pointer, ItemKind::Tool));
        return;
    }
    let mut scope = scope.clone();
    if let Some(server) = named(node, pointer).filter(|_| !scope.fixed) {
        scope.server = Some(server);
    }
    scope.answer |= [
        "jsonrpc",
        "nextCursor",
        "serverInfo",
        "protocolVersion",
        "manifest_version",
        "dxt_version",
        "resultType",
        "supportedVersions",
    ]
    .iter()
    .any(|key| node.get(key).is_some());
    let parts = parts(node, &scope);
    if !parts.is_empty() {
        container(node, pointer, &scope, found, |taking| {
            for (key, kind) in &parts {
                if let Some(list) = node.get(key) {
                    taking.list(list, &pointer.key(key), *kind);
                }
            }
            taking.server(node, pointer);
        });
    }
    for member in node.effective().filter(|m| !parts.iter().any(|(key, _)| *key == m.key.text)) {
        let key = member.key.text.as_str();
        let at = pointer.key(key);
        let mut below = scope.clone();
        below.answer = scope.answer || key == "result";
        if !is_structural(key) && !scope.answer {
            below.server = Some(Located { text: key.to_owned(), span: member.key.span, pointer: at.clone() });
        }
        search(&member.value, &at, depth + 1, &below, found);
    }
}

/// The server's name where a mapping tells it.
fn named(node: &Node, pointer: &Pointer) -> Option<Located> {
    let info = node.get("serverInfo").map(|info| (info, pointer.key("serverInfo")));
    let meta = || {
        let meta = node.get("_meta")?;
        let key = "io.modelcontextprotocol/serverInfo";
        Some((meta.get(key)?, pointer.key("_meta").key(key)))
    };
    if let Some((info, at)) = info.or_else(meta) {
        return info.get("name")?.located(at.key("name"));
    }
    let message = node.first(&["server", "entry"]).filter(|(_, value)| value.text().is_some());
    let manifest = ["manifest_version", "dxt_version", "skills"].iter().any(|key| node.get(key).is_some());
    let own = node.get("name").filter(|_| manifest).map(|name| ("name", name));
    let (key, value) = message.or(own)?;
    value.located(pointer.key(key)).filter(|name| !name.text.is_empty())
}

fn is_tool(node: &Node) -> bool {
    node.get("name").is_some_and(|n| n.text().is_some())
        && node.first(&["inputSchema", "input_schema"]).is_some_and(|(_, schema)| schema.is_map())
}

/// The lists of a mapping that belong to a listing.
fn parts(node: &Node, scope: &Scope<'_>) -> Vec<(&'static str, ItemKind)> {
    let mut out = Vec::new();
    let items = |key: &str| node.get(key).map(Node::items).unwrap_or_default();
    let text = |item: &Node, key: &str| item.get(key).and_then(Node::text).is_some();
    let described = |list: &[Node]| !list.is_empty() && list.iter().all(|i| text(i, "name"));
    if items("tools").iter().any(is_tool) || (scope.answer && described(items("tools"))) {
        out.push(("tools", ItemKind::Tool));
    }
    let near = scope.answer || !out.is_empty();
    let prompts = items("prompts");
    if described(prompts) && (near || prompts.iter().any(|p| p.get("arguments").is_some_and(Node::is_list))) {
        out.push(("prompts", ItemKind::Prompt));
    }
    let addressed = |list: &[Node], key: &str| {
        list.iter().any(|r| text(r, "name") && r.get(key).and_then(Node::text).is_some_and(|uri| uri.contains("://")))
    };
    if addressed(items("resources"), "uri") {
        out.push(("resources", ItemKind::Resource));
    }
    if addressed(items("resourceTemplates"), "uriTemplate") {
        out.push(("resourceTemplates", ItemKind::Template));
    }
    let card =
        ["url", "capabilities", "defaultInputModes", "supportedInterfaces"].iter().any(|key| node.get(key).is_some());
    if card && described(items("skills")) && items("skills").iter().any(|s| text(s, "description")) {
        out.push(("skills", ItemKind::Skill));
    }
    let speaks = node.get("instructions").is_some_and(|n| n.text().is_some());
    if out.is_empty() && scope.answer && speaks {
        // An answer to `initialize` or `server/discover` lists nothing and still tells the model what to do.
        out.push(("tools", ItemKind::Tool));
    }
    out
}

/// Fills the listing of the scope's server, a new one where there is none.
fn container(node: &Node, pointer: &Pointer, scope: &Scope<'_>, found: &mut Found, fill: impl FnOnce(&mut Taking<'_>)) {
    let start = Span { end: node.span.start.saturating_add(1), ..node.span };
    let server = scope.server.clone().unwrap_or_else(|| Located {
        span: start,
        pointer: pointer.clone(),
        ..scope.fallback.clone()
    });
    let index = match found.by_server.get(&server.text) {
        Some(index) => *index,
        None => {
            found.by_server.insert(server.text.clone(), found.listings.len());
            found.listings.push(Listing {
                server,
                pointer: pointer.clone(),
                span: node.span,
                items: Vec::new(),
                passages: Vec::new(),
                captured: None,
            });
            found.listings.len() - 1
        }
    };
    let Some(listing) = found.listings.get_mut(index) else { return };
    fill(&mut Taking { index, listing, seen: &mut found.seen });
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::{Input, read};

    fn found(path: &str, text: &str) -> Vec<String> {
        let document = read(Input { path: path.into(), bytes: text.into(), ..Input::default() }).unwrap();
        listings(&document)
            .iter()
            .map(|l| {
                let items: Vec<_> = l.items.iter().map(|i| format!("{} {}", i.kind.name(), i.name.text)).collect();
                format!("{}: {} ({} texts)", l.server.text, items.join(", "), l.passages.len())
            })
            .collect()
    }

    const TOOL: &str = r#"{"name": "moor", "description": "Moors a ship.", "inputSchema": {"type": "object", "properties": {"berth": {"type": "string", "description": "Which berth"}}}}"#;

    #[test]
    fn listings_of_every_shape_are_recognised() {
        for (path, text, want) in [
            ("berth-board.tools.json", format!(r#"{{"tools": [{TOOL}]}}"#), vec!["berth-board: tool moor (3 texts)"]),
            ("a/b/tools.json", format!(r#"[{TOOL}]"#), vec!["b: tool moor (3 texts)"]),
            ("x.json", TOOL.to_owned(), vec!["x: tool moor (3 texts)"]),
            ("x.json", format!(r#"{{"jsonrpc": "2.0", "id": 1, "result": {{"tools": [{TOOL}]}}}}"#), vec!["x: tool moor (3 texts)"]),
            (
                "x.json",
                format!(r#"{{"server": "quay", "legacy": {{"tools/list": {{"tools": [{TOOL}]}}}}, "modern": {{"tools/list": {{"tools": [{TOOL}]}}}}}}"#),
                vec!["quay: tool moor (3 texts)"],
            ),
            ("x.json", format!(r#"{{"quay": {{"tools": [{TOOL}]}}, "tide": {{"tools": [{TOOL}]}}}}"#), vec!["quay: tool moor (3 texts)", "tide: tool moor (3 texts)"]),
            (
                "x.json",
                r#"{"result": {"serverInfo": {"name": "tide", "version": "1"}, "protocolVersion": "2025-11-25", "instructions": "Ask for tides."}}"#.to_owned(),
                vec!["tide:  (1 texts)"],
            ),
            (
                "manifest.json",
                r#"{"manifest_version": "0.3", "name": "tide", "tools": [{"name": "tides", "description": "Tides."}]}"#.to_owned(),
                vec!["tide: tool tides (2 texts)"],
            ),
            (
                "card.json",
                r#"{"name": "harbour pilot", "url": "https://pilot.example", "skills": [{"id": "p", "name": "pilot", "description": "Pilots."}]}"#.to_owned(),
                vec!["harbour pilot: skill pilot (2 texts)"],
            ),
            (
                "x.json",
                r#"{"result": {"prompts": [{"name": "log", "arguments": [{"name": "day", "description": "Which day"}]}], "resources": [{"name": "r", "uri": "tide://x"}], "resourceTemplates": [{"name": "t", "uriTemplate": "tide://{day}"}]}}"#.to_owned(),
                vec!["x: prompt log, resource r, resource template t (7 texts)"],
            ),
        ] {
            assert_eq!(found(path, &text), want, "{text}");
        }
    }

    #[test]
    fn what_only_looks_like_a_listing_is_none() {
        for text in [
            r#"{"tools": [{"name": "eslint", "version": "9"}]}"#,
            r#"{"tools": ["hammer"]}"#,
            r#"{"skills": [{"name": "welding", "description": "x"}]}"#,
            r#"{"prompts": {"a": "b"}}"#,
            r#"{"resources": [{"name": "r", "uri": "x"}]}"#,
            r#"{"instructions": "Bake for an hour."}"#,
            r#"{"name": "x", "inputSchema": true}"#,
        ] {
            assert!(found("x.json", text).is_empty(), "{text}");
        }
    }

    #[test]
    fn every_place_is_read() {
        let text = r#"{"tools": [{"name": "n", "title": "t", "description": "d", "annotations": {"title": "a"}, "_meta": {"ui": {"resourceUri": "ui://x"}},
            "icons": [{"src": "https://i.example/i.png"}], "execution": {"note": "some words here"},
            "inputSchema": {"type": "object", "title": "st", "required": ["p"], "properties": {"p": {"type": "string", "description": "pd", "enum": ["e1", "e2"],
            "default": "df", "examples": ["ex"], "const": "c"}, "a name that speaks": {"type": "object", "properties": {"q": {"items": {"description": "deep"}}}},
            "description": {"type": "string", "description": "of description"}}}, "outputSchema": {"properties": {"o": {"description": "od"}}}}]}"#;
        let document = read(Input { path: "x.json".into(), bytes: text.into(), ..Input::default() }).unwrap();
        let texts: BTreeSet<String> = listings(&document)[0].passages.iter().map(|p| p.at.text.clone()).collect();
        for want in [
            "n",
            "t",
            "d",
            "a",
            "ui://x",
            "https://i.example/i.png",
            "some words here",
            "st",
            "pd",
            "e1",
            "e2",
            "df",
            "ex",
            "c",
            "a name that speaks",
            "deep",
            "of description",
            "od",
        ] {
            assert!(texts.contains(want), "{want} in {texts:?}");
        }
        assert!(!texts.contains("string") && !texts.contains("object"), "{texts:?}");
    }
}
