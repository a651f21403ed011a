//! Configurations in braces inside of other texts: in the here-document of a script, a string of a program, an example without a fence.

use super::mapped::Mapped;
use super::{Node, json, literal};
use crate::prelude::*;
use crate::text::Span;
use core::ops::Range;

/// Keys by which such a mapping configures servers.
const KEYS: &[&str] =
    &["mcpServers", "mcp_servers", "mcp-servers", "context_servers", "\"servers\"", "server_url", "server_label"];
/// A longer one is none.
const MAX_OBJECT_BYTES: usize = 256 << 10;

/// A configuration in a text.
pub(super) struct Object {
    /// Where it is written.
    pub(super) range: Range<usize>,
    /// What it says; its places are those of the text.
    pub(super) root: Node,
}

/// May a text hold any?
pub(super) fn may_hold(text: &str) -> bool {
    text.contains('{') && KEYS.iter().any(|key| text.contains(key))
}

/// The outermost configurations of a text that can be read, in their order, at most so many.
pub(super) fn objects(text: &str, most: usize) -> Vec<Object> {
    let mut out: Vec<Object> = Vec::new();
    // What is read again and again, since it stands within more and more braces, ends somewhere.
    let mut left = text.len().saturating_mul(4).saturating_add(MAX_OBJECT_BYTES);
    for range in marked(text, KEYS) {
        let inside = out.last().is_some_and(|last| range.end <= last.range.end);
        if inside || range.len() > MAX_OBJECT_BYTES {
            continue;
        }
        if out.len() >= most || range.len() > left {
            break;
        }
        left -= range.len();
        let written = text.get(range.clone()).unwrap_or_default();
        let root = read(written, range.start).or_else(|| literal::mapping(text, range.clone()).filter(has_servers));
        if let Some(root) = root {
            out.push(Object { range, root });
        }
    }
    out
}

/// In a language that is not known any braces may look like a mapping: only what holds a server by its key counts.
fn has_servers(root: &Node) -> bool {
    let server = |node: &Node| node.first(&["command", "url", "serverUrl", "httpUrl"]).is_some();
    let holds = |node: &Node| node.members().iter().any(|member| server(&member.value));
    KEYS.iter().filter_map(|key| root.get(key.trim_matches('"'))).any(|node| server(root) || holds(node))
        || root.get("server_url").is_some()
}

fn read(written: &str, at: usize) -> Option<Node> {
    let is_map = |node: &Node| !node.members().is_empty();
    if let Some(root) = json::parse(written).ok().filter(is_map) {
        let shifted = |span: Span| Span::new(at + span.start as usize, at + span.end as usize);
        return Some(root.moved(&shifted));
    }
    // In a string of its own each quote is written with its escape.
    let mut mapped = Mapped::default();
    if !written.contains("\\\"") || !mapped.push_escaped(written, at) {
        return None;
    }
    let root = json::parse(&mapped.text).ok().filter(is_map)?;
    Some(root.moved(&|span| mapped.place(span)))
}

/// What stands in braces and has one of the keys itself: the outer ones first.
pub(super) fn marked(text: &str, keys: &[&str]) -> Vec<Range<usize>> {
    let mut marks: Vec<usize> = keys
        .iter()
        .flat_map(|key| {
            let searched = memchr::memmem::find_iter(text.as_bytes(), key.as_bytes());
            searched.filter(|at| is_key(text, at + key.len())).collect::<Vec<_>>()
        })
        .collect();
    marks.sort_unstable();
    let mut marks = marks.into_iter().peekable();
    let (mut open, mut out): (Vec<(usize, bool)>, Vec<Range<usize>>) = (Vec::new(), Vec::new());
    for at in memchr::memchr2_iter(b'{', b'}', text.as_bytes()) {
        while marks.next_if(|mark| *mark < at).is_some() {
            if let Some((_, marked)) = open.last_mut() {
                *marked = true;
            }
        }
        if text.as_bytes().get(at) == Some(&b'{') {
            open.push((at, false));
        } else if let Some((start, true)) = open.pop() {
            out.push(start..at + 1);
        }
    }
    out.sort_unstable_by_key(|range| (range.start, core::cmp::Reverse(range.end)));
    out
}

/// Does a colon or an assignment follow, behind the quote that closes the key?
fn is_key(text: &str, end: usize) -> bool {
    let rest = text.get(end..).unwrap_or_default();
    let rest = rest.trim_start_matches(['\\', '"', '\'']).trim_start();
    rest.starts_with(':') || rest.starts_with('=') && !rest.starts_with("==") && !rest.starts_with("=>")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn objects_are_found_where_they_stand() {
        for (text, want) in [
            ("cat > f <<EOF\n{ \"mcpServers\": { \"a\": { \"url\": \"u\" } } }\nEOF\n", &["\"u\""][..]),
            ("run({ mcpServers: { a: { url: 'u', }, } }, { x })", &["'u'"]),
            ("x = \"{\\\"mcpServers\\\": {\\\"a\\\": {\\\"url\\\": \\\"u\\\"}}}\"", &["\\\"u\\\""]),
            (
                "f(a) { b }\n{\"servers\": {\"a\": {\"url\": \"u\"}}, \"inputs\": []} {\"mcp_servers\": {\"c\": {\"url\": \"v\"}}}",
                &["\"u\"", "\"v\""],
            ),
            (
                "x = jsonencode({\n  mcpServers = {\n    a = { url = \"u\" }\n    b = { url = \"v\" }\n  }\n})",
                &["\"u\""],
            ),
            ("programs.agent = { mcpServers = { a = { url = \"u\"; args = [ \"b\" \"c\" ]; }; }; };", &["\"u\""]),
            ("c = {\"mcpServers\": {\"a\": {\"url\": \"u\", \"on\": True}}}", &["\"u\""]),
            // The braces around are those of a program.
            ("function f() { return { \"mcpServers\": { \"a\": { \"url\": \"u\" } } }; }", &["\"u\""]),
            // Look-alikes.
            ("let c = { mcpServers: servers };", &[]),
            ("The key mcpServers: { names them }", &[]),
            ("{ \"mcpServers\": { \"a\": ", &[]),
            ("{ \"x\": \"mcpServers\" }", &[]),
        ] {
            let written = |object: &Object| {
                let servers = object.root.members().iter().find(|member| member.value.is_map()).unwrap();
                let url = servers.value.members()[0].value.get("url").unwrap();
                text[url.span.range()].to_owned()
            };
            let found: Vec<String> = objects(text, 9).iter().map(written).collect();
            assert_eq!(found, want, "{text}");
        }
    }
}
