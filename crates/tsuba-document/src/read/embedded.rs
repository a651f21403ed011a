//! Configuration inside configuration: a setup in a string of a pipeline, a cluster's manifest, a task list; a script in one, that adds or starts servers.

use super::objects;
use super::script;
use super::starting::{self, Lines};
use super::words::Dialect;
use super::{Member, Node, Notation, Value, json, toml, yaml};
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
    let starts = SCRIPTS.iter().any(|key| text.contains(key)) && starting::may_hold(text);
    let mut found = Found { source: text, looked: 0, starts, set: Vec::new(), out: Vec::new() };
    if starts
        || script::may_hold(text)
        || text.contains("mcp_servers")
        || text.contains("mcpServers")
        || text.contains("mcp-servers")
        || is_answer(text)
    {
        // What Tsuba has written quotes what it has read.
        let own =
            |root: &Node| root.get("schema").and_then(Node::text).is_some_and(|schema| schema.starts_with("tsuba-"));
        for (pointer, root) in roots.iter().filter(|(_, root)| !own(root)) {
            found.search(root, pointer, false);
        }
    }
    found.out
}

/// Strings under these keys are lines of a shell: of a pipeline, a task, a package.
const SCRIPTS: &[&str] =
    &["script", "run", "cmds", "bash", "StartCommand", "CreateCommand", "\"shell\"", "user_data", "#!"];
/// And under those keys beside them, or further out, stands what is set for them.
const SETS: &[&str] = &["env", "variables", "environment"];
/// So many variables are set for one string.
const MAX_SET: usize = 64;

/// Does a key say that what stands there is run?
fn is_script(key: &str) -> bool {
    let key = normal(key);
    key.ends_with("script")
        || key.ends_with("scripts")
        || matches!(
            key.as_str(),
            "run" | "cmds" | "bash" | "userdata" | "poststartcommand" | "postcreatecommand" | "postattachcommand"
        )
}

struct Found<'t> {
    source: &'t str,
    looked: usize,
    /// May there be lines that start servers?
    starts: bool,
    /// What is set for the strings of the mapping that is looked through, the nearest last.
    set: Vec<Member>,
    out: Vec<Node>,
}

impl Found<'_> {
    fn search(&mut self, node: &Node, pointer: &Pointer, runs: bool) {
        match &node.value {
            Value::Map(_) => {
                let outside = self.set.len();
                if self.starts {
                    self.set(node, pointer);
                }
                // A task of an editor.
                let shell = self.starts && node.get("type").and_then(Node::text) == Some("shell");
                for member in node.effective().filter(|member| !FOR_PEOPLE.contains(&normal(&member.key.text).as_str()))
                {
                    let runs =
                        self.starts && (runs || is_script(&member.key.text) || shell && member.key.text == "command");
                    self.search(&member.value, &pointer.key(&member.key.text), runs);
                }
                self.set.truncate(outside);
            }
            Value::List(items) => {
                for (index, item) in items.iter().enumerate() {
                    self.search(item, &pointer.index(index), runs);
                }
            }
            Value::Text(text)
                if self.looked < MAX_STRINGS
                    && (is_looked_into(text) || (runs || self.starts && text.starts_with("#!")) && may_start(text)) =>
            {
                let runs = runs || text.starts_with("#!");
                self.looked += 1;
                self.string(node, text, pointer, runs);
            }
            Value::Null | Value::Bool(_) | Value::Number(_) | Value::Text(_) => {}
        }
    }

    /// Takes up what is set for the strings of a mapping.
    fn set(&mut self, node: &Node, pointer: &Pointer) {
        for key in SETS {
            let Some(set) = node.get(key) else { continue };
            let at = pointer.key(key);
            for member in set.effective().filter(|member| member.value.text().is_some()) {
                if self.set.len() < MAX_SET {
                    let value = member.value.clone().placed(&at.key(&member.key.text));
                    self.set.push(Member { key: member.key.clone(), value });
                }
            }
        }
    }

    fn string(&mut self, node: &Node, text: &str, pointer: &Pointer, runs: bool) {
        let mut roots = match whole(text) {
            Some(roots) => roots,
            None => script::roots(text, Dialect::Posix),
        };
        let started = runs && roots.is_empty() && may_start(text);
        if started {
            roots = script::together(starting::lines(text, Dialect::Posix, Lines::Plain));
        }
        if roots.is_empty() {
            return;
        }
        let value = Located { text: text.to_owned(), span: node.span, pointer: pointer.clone() };
        let parts = value.parts(self.source);
        let place = |span: Span| parts.part(span.range()).span;
        let several = roots.len() > 1;
        for (index, root) in roots.into_iter().enumerate() {
            let at = if several { pointer.index(index) } else { pointer.clone() };
            let root = root.moved(&place).placed(&at);
            self.out.push(if started { starting::handed(root, &self.set) } else { root });
        }
    }
}

/// May a line of a string start a server?
fn may_start(text: &str) -> bool {
    (8..=MAX_STRING_BYTES).contains(&text.len()) && starting::may_hold(text)
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
