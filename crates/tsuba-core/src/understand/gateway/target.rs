//! What a route leads to: a program on standard streams, or a server at an address.

use super::Way;
use crate::prelude::*;
use crate::read::{Key, Member, Node, Value};
use crate::text::{Pointer, Span, normal, speaks_of_servers};

/// A target of a route, as a client would have it.
pub(super) struct Target {
    pub(super) node: Node,
    pub(super) at: Pointer,
    /// Is it certainly a tool server?
    pub(super) sure: bool,
}

/// Words for the ways in which a server is spoken to, as keys over where it is.
const KINDS: &[&str] = &["mcp", "sse", "streamablehttp", "http", "openapi", "remote"];
/// Words for an address.
const ADDRESSES: &[&str] = &[
    "url",
    "uri",
    "target",
    "targetUrl",
    "upstream",
    "upstreamUrl",
    "backend",
    "backendUrl",
    "destination",
    "to",
    "proxy_pass",
    "forwardTo",
    "endpoint",
];

/// Is a member the way to a target, not to where the gateway itself listens?
pub(super) fn is_address(key: &str, value: &Node, way: &Way) -> bool {
    way.routed && (key == "stdio" || (KINDS.contains(&key) && value.first(&["host", "url", "uri"]).is_some()))
}

/// What a mapping leads to.
pub(super) fn of(node: &Node, at: &Pointer, way: &Way) -> Vec<Target> {
    if !way.routed {
        return Vec::new();
    }
    let mut out = Vec::new();
    for member in node.effective() {
        let (key, own, value) = (normal(&member.key.text), at.key(&member.key.text), &member.value);
        if key == "stdio" {
            out.extend(program(value, &own).map(|node| Target { node, at: own, sure: true }));
        } else if KINDS.contains(&key.as_str()) && value.is_map() {
            let sure = way.serving || !matches!(key.as_str(), "http" | "openapi" | "remote");
            let kind = if key == "sse" { "sse" } else { "http" };
            out.extend(address(value, &own, kind).map(|node| Target { node, at: own, sure }));
        }
    }
    if out.is_empty() {
        out.extend(direct(node, at, way));
    }
    out
}

/// A route that has the command or the address itself.
fn direct(node: &Node, at: &Pointer, way: &Way) -> Option<Target> {
    let said = node.members().iter().any(|member| {
        let kind = member.value.text().map(normal).unwrap_or_default();
        matches!(normal(&member.key.text).as_str(), "type" | "transport" | "protocol" | "kind")
            && (speaks_of_servers(member.value.text().unwrap_or_default())
                || matches!(kind.as_str(), "stdio" | "sse" | "streamablehttp"))
    });
    let named = way.name.as_ref().is_some_and(|name| speaks_of_servers(&name.text));
    if let Some((_, command)) = node.first(&["command", "cmd"]) {
        let words = command.scalar().into_iter().map(Cow::into_owned);
        let words: Vec<String> =
            words.chain(texts(command)).chain(node.get("args").into_iter().flat_map(texts)).collect();
        let sure = said || named || words.iter().any(|word| speaks_of_servers(word));
        return (!words.is_empty()).then(|| Target { node: node.clone().placed(at), at: at.clone(), sure });
    }
    let (key, value, text) = address_of(node)?;
    // Most of what a gateway routes to is an ordinary service.
    if !(said || named || way.serving || speaks_of_servers(text)) {
        return None;
    }
    let url =
        Member { key: Key { text: "url".to_owned(), span: value.span }, value: value.clone().placed(&at.key(key)) };
    let others = node.clone().placed(at);
    let Value::Map(mut members) = others.value else { return None };
    members.retain(|member| member.key.text != "url");
    members.push(url);
    let node = Node { value: Value::Map(members), ..others };
    Some(Target { node, at: at.clone(), sure: true })
}

/// The address that a mapping has itself.
pub(super) fn address_of(node: &Node) -> Option<(&'static str, &Node, &str)> {
    let (key, value) = node.first(ADDRESSES)?;
    Some((key, value, value.text().filter(|text| text.contains("://"))?))
}

fn texts(node: &Node) -> Vec<String> {
    node.items().iter().filter_map(|item| item.text().map(str::to_owned)).collect()
}

/// A program on standard streams: `{cmd, args, env}`, or a line.
fn program(value: &Node, own: &Pointer) -> Option<Node> {
    if value.first(&["cmd", "command"]).is_some() {
        return Some(value.clone().placed(own));
    }
    let written = value.text().is_some_and(|text| !text.trim().is_empty()) || !texts(value).is_empty();
    written.then(|| map(value.span, vec![member("command", value.clone().placed(own))]))
}

/// A server at an address: a URL, or host, port and path apart.
fn address(value: &Node, own: &Pointer, kind: &str) -> Option<Node> {
    let (key, host) = value.first(&["url", "uri", "host", "address", "endpoint"])?;
    let written = host.text().filter(|text| !text.trim().is_empty())?;
    let port = value.get("port").and_then(Node::scalar);
    let path = value.get("path").and_then(Node::text).unwrap_or_default();
    let secured = value.get("tls").is_some_and(|tls| tls.truth() != Some(false)) || value.get("backendTLS").is_some();
    let text = if written.contains("://") {
        if path.is_empty() || written.splitn(4, '/').count() > 3 {
            written.to_owned()
        } else {
            format!("{written}{}{path}", if path.starts_with('/') { "" } else { "/" })
        }
    } else {
        let scheme = if secured || port.as_deref() == Some("443") { "https" } else { "http" };
        let port = port.map(|port| format!(":{port}")).unwrap_or_default();
        format!("{scheme}://{written}{port}{}{path}", if path.starts_with('/') || path.is_empty() { "" } else { "/" })
    };
    let at = Some(Box::new(own.key(key)));
    let url = Node { at, ..Node::new(host.span, Value::Text(text)) };
    let kind = Node { at: Some(Box::new(own.clone())), ..Node::new(value.span, Value::Text(kind.to_owned())) };
    let mut members = vec![member("url", url), member("type", kind)];
    members.extend(value.get("headers").map(|headers| member("headers", headers.clone().placed(&own.key("headers")))));
    Some(map(value.span, members))
}

fn member(key: &str, value: Node) -> Member {
    Member { key: Key { text: key.to_owned(), span: value.span }, value }
}

fn map(span: Span, members: Vec<Member>) -> Node {
    Node::new(span, Value::Map(members))
}
