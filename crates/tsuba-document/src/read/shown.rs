//! Servers that a program writes down in a mapping of its own, for whatever library: `{"ledger": {"command": "npx", "args": [...]}}`,
//! `pilot: { url: "https://…/mcp", transport: "sse" }`. What is known is the shape: how a server is started or called, under its name.

use super::constants::Constants;
use super::literal::Reader;
use super::objects::marked;
use super::pasted::client;
use super::{Node, Value};
use crate::prelude::*;
use crate::text::{normal, speaks_of_servers};
use core::ops::Range;

/// What such a mapping has of itself.
const KEYS: &[&str] = &["command", "url"];
/// How it is called, where it says so (without the signs between the words).
const TRANSPORTS: &[&str] = &["http", "sse", "stdio", "streamablehttp", "websocket"];
/// A longer mapping (bytes) is none.
const MAX_BYTES: usize = 16 << 10;

/// May a program hold any?
pub(super) fn may_hold(text: &str) -> bool {
    let has = |word: &str| memchr::memmem::find(text.as_bytes(), word.as_bytes()).is_some();
    ["mcp", "MCP", "Mcp"].into_iter().any(has) && KEYS.iter().any(|key| has(key)) && text.contains('{')
}

/// The servers, each as a client's setup has it, at most so many.
pub(super) fn servers(text: &str, names: &Constants, most: usize) -> Vec<Node> {
    let mut out: Vec<Node> = Vec::new();
    let mut left = text.len().saturating_mul(4).saturating_add(MAX_BYTES);
    for range in marked(text, KEYS) {
        let within = out.last().is_some_and(|last| range.end <= last.span.end as usize);
        if within || range.len() > MAX_BYTES {
            continue;
        }
        if out.len() >= most || range.len() > left {
            break;
        }
        left -= range.len();
        let mut reader = Reader { text, at: range.start, end: range.end, depth: 0, names };
        let Some(node) = reader.mapping(0).filter(is_server) else { continue };
        let Some(name) = name_before(text, &range) else { continue };
        let members: Vec<(&str, Node)> = ["type", "transport", "command", "args", "env", "cwd", "url", "headers"]
            .into_iter()
            .filter_map(|key| Some((key, node.get(key)?.clone())))
            .collect();
        out.push(client(name, members, node.span));
    }
    out
}

/// Does a mapping start a program by a list of arguments, or call an address by a transport?
fn is_server(node: &Node) -> bool {
    let said = node.first(&["transport", "type"]).and_then(|(_, node)| node.text());
    let transport = said.is_some_and(|text| TRANSPORTS.contains(&normal(text).as_str()));
    let words = node.get("args").map(Node::items).unwrap_or_default().iter().filter_map(Node::text);
    let starts = || {
        let command = node.get("command").and_then(Node::text)?;
        let named = core::iter::once(command).chain(words).any(speaks_of_servers);
        Some(node.get("args").is_some_and(|args| matches!(args.value, Value::List(_))) && (transport || named))
    };
    let calls = || {
        let url = node.get("url").and_then(Node::text).filter(|url| url.contains("://"))?;
        let path = url.split(['?', '#']).next().unwrap_or(url).trim_end_matches('/');
        Some(transport || path.ends_with("/mcp") || path.ends_with("/sse"))
    };
    starts().or_else(calls).unwrap_or_default()
}

/// The name that a mapping stands under: a key in quotes or without, or the variable that it is assigned to.
fn name_before<'t>(text: &'t str, range: &Range<usize>) -> Option<&'t str> {
    let before = text.get(..range.start)?.trim_end();
    let before = before.strip_suffix("=>").or_else(|| before.strip_suffix([':', '=']))?.trim_end();
    let quote = before.chars().next_back().filter(|c| matches!(c, '"' | '\'' | '`'));
    let name = match quote {
        Some(quote) => before.strip_suffix(quote)?.rsplit(quote).next()?,
        None => before.rsplit(|c: char| !(c.is_alphanumeric() || "_-".contains(c))).next()?,
    };
    (!name.is_empty() && name.len() < 100 && !name.contains('\n')).then_some(name)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(text: &str) -> Vec<String> {
        let each = |root: Node| {
            let server = &root.get("mcpServers").unwrap().members()[0];
            let (_, what) = server.value.first(&["command", "url"]).unwrap();
            let set = server.value.first(&["env", "headers"]).map_or(0, |(_, set)| set.members().len());
            format!("{} {} {set}", server.key.text, &text[what.span.range()])
        };
        servers(text, &Constants::default(), 9).into_iter().map(each).collect()
    }

    #[test]
    fn servers_are_known_by_their_shape() {
        for (text, want) in [
            (
                "client = MCPClient({\"ledger\": {\"transport\": \"sse\", \"url\": \"https://a.example/x\", \"headers\": {\"A\": \"b\"}},\n \"pilot\": {\"command\": \"npx\", \"args\": [\"-y\", \"pilot-mcp\"]}})",
                &["ledger \"https://a.example/x\" 1", "pilot \"npx\" 0"][..],
            ),
            ("const s = { pilot: { command: 'npx', args: ['-y', 'mcp-pilot'], env: { K: 'v' } } }", &["pilot 'npx' 1"]),
            ("const tide = { url: 'https://a.example/mcp' };", &["tide 'https://a.example/mcp' 0"]),
            // Look-alikes: another program, an address of something else, what is computed, what has no name.
            ("mcp; x = { \"build\": { \"command\": \"make\", \"args\": [\"all\"] } }", &[]),
            ("mcp; x = { \"docs\": { \"url\": \"https://a.example/docs\" } }", &[]),
            ("mcp; x = { \"a\": { \"command\": run, \"args\": [\"mcp\"] } }", &[]),
            ("mcp.start({ \"command\": \"npx\", \"args\": [\"-y\", \"pilot-mcp\"] })", &[]),
        ] {
            assert_eq!(told(text), want, "{text}");
        }
    }

    #[test]
    fn whatever_nests_it_ends() {
        let text = "a: { command: ".repeat(20_000) + &"}".repeat(20_000);
        assert!(servers(&text, &Constants::default(), 9).is_empty());
    }
}
