//! Configuration inside configuration: a setup in a string of a pipeline, a cluster's manifest, a task list; a script in one, that adds servers.

use super::objects;
use super::script;
use super::words::Dialect;
use super::{Node, Notation, Value, json, toml, yaml};
use crate::prelude::*;
use crate::text::{Located, Pointer, Span, normal};

/// More strings are not looked into in one document.
const MAX_STRINGS: usize = 400;
/// A longer one (bytes) is none.
const MAX_STRING_BYTES: usize = 256 << 10;
/// Strings under these keys are written for people, and show at most.
const FOR_PEOPLE: &[&str] = &[
    "description",
    "markdowndescription",
    "deprecationmessage",
    "title",
    "summary",
    "comment",
    "example",
    "examples",
    "readme",
    "help",
    "text",
    "label",
    "markdown",
    "excerpt",
    "prompt",
];

/// What the strings of a document configure, each with its place and its pointer.
pub(super) fn embedded(text: &str, roots: &[(Pointer, &Node)]) -> Vec<Node> {
    let mut found = Found { source: text, looked: 0, out: Vec::new() };
    if script::may_hold(text)
        || text.contains("mcp_servers")
        || text.contains("mcpServers")
        || text.contains("mcp-servers")
        || is_answer(text)
    {
        // What Tsuba has written quotes what it has read.
        let own =
            |root: &Node| root.get("schema").and_then(Node::text).is_some_and(|schema| schema.starts_with("tsuba-"));
        for (pointer, root) in roots.iter().filter(|(_, root)| !own(root)) {
            found.search(root, pointer);
        }
    }
    found.out
}

struct Found<'t> {
    source: &'t str,
    looked: usize,
    out: Vec<Node>,
}

impl Found<'_> {
    fn search(&mut self, node: &Node, pointer: &Pointer) {
        match &node.value {
            Value::Map(_) => {
                for member in node.effective().filter(|member| !FOR_PEOPLE.contains(&normal(&member.key.text).as_str()))
                {
                    self.search(&member.value, &pointer.key(&member.key.text));
                }
            }
            Value::List(items) => {
                for (index, item) in items.iter().enumerate() {
                    self.search(item, &pointer.index(index));
                }
            }
            Value::Text(text) if is_looked_into(text) && self.looked < MAX_STRINGS => {
                self.looked += 1;
                self.string(node, text, pointer);
            }
            Value::Null | Value::Bool(_) | Value::Number(_) | Value::Text(_) => {}
        }
    }

    fn string(&mut self, node: &Node, text: &str, pointer: &Pointer) {
        let roots = match whole(text) {
            Some(roots) => roots,
            None => script::roots(text, Dialect::Posix),
        };
        if roots.is_empty() {
            return;
        }
        let value = Located { text: text.to_owned(), span: node.span, pointer: pointer.clone() };
        let parts = value.parts(self.source);
        let place = |span: Span| parts.part(span.range()).span;
        let several = roots.len() > 1;
        for (index, root) in roots.into_iter().enumerate() {
            let at = if several { pointer.index(index) } else { pointer.clone() };
            self.out.push(root.moved(&place).placed(&at));
        }
    }
}

fn is_looked_into(text: &str) -> bool {
    (16..=MAX_STRING_BYTES).contains(&text.len())
        && (script::may_hold(text) || is_table(text) || text.trim_start().starts_with('{') && is_answer(text))
}

/// Does it hold metadata of a login, as a recorded answer does in its body?
fn is_answer(text: &str) -> bool {
    ["authorization_servers", "token_endpoint"].iter().any(|key| text.contains(key))
}

/// Does it name servers as TOML and YAML do?
fn is_table(text: &str) -> bool {
    text.contains('\n')
        && ["mcp_servers", "mcpServers:", "mcp-servers:", "servers:"].iter().any(|key| text.contains(key))
}

/// A string that is a document of its own.
fn whole(text: &str) -> Option<Vec<Node>> {
    let is_map = |root: &Node| !root.members().is_empty();
    if text.trim_start().starts_with('{') {
        return json::parse(text).ok().filter(is_map).map(|root| vec![root]);
    }
    if !is_table(text) || objects::may_hold(text) && text.contains("<<") {
        return None;
    }
    let roots = match Notation::of("string", text) {
        Notation::Toml => toml::parse(text).ok().map(|root| vec![root]),
        Notation::Yaml => yaml::parse(text).ok(),
        _ => None,
    };
    roots.filter(|roots| roots.iter().any(is_map))
}
