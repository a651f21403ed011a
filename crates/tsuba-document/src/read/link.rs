//! Links that carry a configuration: whatever their scheme, one of the values behind `?` or `#` is a server's settings, percent-encoded,
//! in base64, or a link of its own that is.

use super::{Key, Member, Node, Value, json};
use crate::prelude::*;
use crate::text::Span;
use base64::Engine as _;
use base64::engine::general_purpose::{STANDARD_NO_PAD, URL_SAFE_NO_PAD};
use core::ops::Range;

/// A link that carries a configuration.
pub(super) struct Link {
    /// Where it stands.
    pub(super) range: Range<usize>,
    /// What it would set up, as a client has it.
    pub(super) root: Node,
}

/// A link in a link is followed so deep.
const DEEPEST: usize = 3;
/// A longer link is none.
const MAX_LINK_BYTES: usize = 64 << 10;

/// The links of a text, at most so many.
pub(super) fn links(text: &str, most: usize) -> Vec<Link> {
    let mut out = Vec::new();
    let mut at = 0;
    // A scheme needs no slashes behind it (RFC 3986, 3).
    while let Some(colon) = text.get(at..).and_then(|rest| rest.find(':')).map(|n| at + n) {
        let scheme = text.get(..colon).unwrap_or_default();
        let start = scheme
            .rfind(|c: char| !(c.is_ascii_alphanumeric() || "+.-".contains(c)))
            .map_or(0, |n| n + scheme.get(n..).and_then(|rest| rest.chars().next()).map_or(1, char::len_utf8));
        let rest = text.get(colon..).unwrap_or_default();
        let ends =
            |c: char| c.is_whitespace() || matches!(c, '"' | '\'' | '<' | '>' | '`' | ')' | ']' | '}' | '|' | '\\');
        let end = colon + rest.find(ends).unwrap_or(rest.len());
        let written = text.get(start..end).unwrap_or_default();
        if is_scheme(text.get(start..colon).unwrap_or_default()) && written.len() <= MAX_LINK_BYTES {
            let plain = html_escape::decode_html_entities(written);
            if let Some(root) = carried(&plain, 0) {
                out.push(Link { range: start..end, root });
                if out.len() >= most {
                    break;
                }
            }
        }
        at = end.max(colon + 1);
    }
    out
}

/// Is it the name of a scheme, longer than a drive's letter?
fn is_scheme(text: &str) -> bool {
    text.len() > 1
        && text.starts_with(|c: char| c.is_ascii_alphabetic())
        && text.chars().all(|c| c.is_ascii_alphanumeric() || "+.-".contains(c))
}

/// Does a text begin like a link?
fn is_link(text: &str) -> bool {
    text.split_once(':').is_some_and(|(scheme, _)| is_scheme(scheme))
}

/// What one link carries, as a client has it.
pub(crate) fn carried(link: &str, depth: usize) -> Option<Node> {
    let (_, behind) = link.split_once(['?', '#'])?;
    let pairs: Vec<(String, String)> = url::form_urlencoded::parse(behind.replace('#', "&").as_bytes())
        .map(|(name, value)| (name.into_owned(), value.into_owned()))
        .collect();
    let name = pairs.iter().find(|(key, _)| matches!(key.as_str(), "name" | "id" | "server" | "title"));
    let name = name.map_or("server", |(_, name)| name.as_str());
    for (key, value) in &pairs {
        // Some carry it as the name of a value without any.
        for text in [value, key] {
            if let Some(settings) = settings(text) {
                return Some(as_client(settings, name));
            }
            if depth < DEEPEST
                && is_link(text)
                && let Some(inner) = carried(text, depth + 1)
            {
                return Some(inner);
            }
        }
    }
    None
}

/// A value as a mapping: JSON as it is, or in base64.
fn settings(text: &str) -> Option<Node> {
    let read = |text: &str| json::parse(text).ok().filter(|node| !node.members().is_empty());
    if text.trim_start().starts_with('{') {
        return read(text);
    }
    // `+` was read as a blank.
    let packed: String = text.trim().replace(' ', "+").trim_end_matches('=').to_owned();
    if packed.len() < 16 || !packed.bytes().all(|b| b.is_ascii_alphanumeric() || b"+/-_".contains(&b)) {
        return None;
    }
    let bytes = STANDARD_NO_PAD.decode(&packed).or_else(|_| URL_SAFE_NO_PAD.decode(&packed)).ok()?;
    let text = String::from_utf8(bytes).ok()?;
    if text.trim_start().starts_with('{') { read(&text) } else { None }
}

/// `{mcpServers: …}` as it is; the settings of one server under its name.
fn as_client(settings: Node, name: &str) -> Node {
    const COLLECTIONS: &[&str] = &["mcpServers", "mcp_servers", "servers", "context_servers"];
    let inner = ["config", "server", "mcp"].iter().find_map(|key| settings.get(key).filter(|node| is_server(node)));
    let known = settings.get("name").and_then(Node::text).map(str::to_owned);
    let of = |name: String, node: Node| {
        let span = Span::default();
        let member =
            |text: &str, value: Node| Value::Map(vec![Member { key: Key { text: text.to_owned(), span }, value }]);
        Node::new(span, member("mcpServers", Node::new(span, member(&name, node))))
    };
    match inner {
        Some(inner) => of(known.unwrap_or_else(|| name.to_owned()), inner.clone()),
        None if is_server(&settings) => of(known.unwrap_or_else(|| name.to_owned()), settings),
        None if COLLECTIONS.iter().any(|key| settings.get(key).is_some()) => settings,
        // `{tide-table: {command: …}}`
        None => {
            let span = Span::default();
            let key = Key { text: "mcpServers".to_owned(), span };
            Node::new(span, Value::Map(vec![Member { key, value: settings }]))
        }
    }
}

fn is_server(node: &Node) -> bool {
    let text = |key: &str| node.get(key).is_some_and(|value| value.text().is_some());
    text("command") || text("url") || text("serverUrl") || text("httpUrl")
}
