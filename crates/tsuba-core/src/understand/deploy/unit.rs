//! systemd units (systemd.service(5)): the program that a service starts, and what it is given.

use super::{Made, speaks_of_servers, word};
use crate::prelude::*;
use crate::read::{Document, Key, Member, Node, Value};
use crate::text::{Located, Pointer};
use crate::understand::launch::unwrap;

/// The account that a service runs as (systemd.exec(5)).
pub(crate) const USER: &str = "User";

pub(super) fn made(document: &Document) -> Vec<Made> {
    let Some(root) = document.roots.first() else { return Vec::new() };
    let Some(service) = root.get("Service") else { return Vec::new() };
    let at = Pointer::root().key("Service");
    let Some(start) = service.get("ExecStart") else { return Vec::new() };
    let Some(line) = start.located(at.key("ExecStart")) else { return Vec::new() };
    // Marks before the program change how it is started, not what (systemd.service(5), table 1).
    let lead = line.text.len() - line.text.trim_start_matches(['@', '-', ':', '+', '!']).len();
    let command = line.part(&document.text, lead..line.text.len());
    let words = split(document, &command);
    let described = root.get("Unit").and_then(|unit| unit.get("Description")).and_then(Node::text).unwrap_or_default();
    let bridged = || unwrap(&document.text, &words).is_bridged();
    let said = words.iter().any(|word| speaks_of_servers(&word.text)) || speaks_of_servers(described);
    if words.is_empty() || !(said || bridged()) {
        return Vec::new();
    }
    let file = document.path.rsplit(['/', '\\']).next().unwrap_or_default();
    let name = file.strip_suffix(".service").unwrap_or(file);
    let name = Located { text: name.to_owned(), span: start.span, pointer: at.key("ExecStart") };
    let member = |text: &str, value: Node| Member { key: Key { text: text.to_owned(), span: start.span }, value };
    let place = at.key("ExecStart");
    let mut nodes = words.iter().map(|found| word(found.text.clone(), found.span, &place));
    let mut members = Vec::new();
    members.extend(nodes.next().map(|program| member("command", program)));
    members.push(member("args", Node::new(start.span, Value::List(nodes.collect()))));
    if let Some(user) = service.get("User") {
        members.push(member(USER, user.clone().placed(&at.key(USER))));
    }
    members.push(member("env", environment(document, service, &at)));
    let files = service.members().iter().filter(|member| member.key.text == "EnvironmentFile");
    for file in files {
        if let Some(text) = file.value.text() {
            let value = word(text.trim_start_matches('-'), file.value.span, &at.key("EnvironmentFile"));
            members.push(member("envFile", value));
        }
    }
    let node = Node::new(service.span, Value::Map(members));
    vec![Made::whole(name, at, node)]
}

/// `Environment=NAME=value "OTHER=with blanks"`, any number of times.
fn environment(document: &Document, service: &Node, at: &Pointer) -> Node {
    let lines = service.members().iter().filter(|member| member.key.text == "Environment");
    let mut members = Vec::new();
    for line in lines.filter_map(|member| member.value.located(at.key("Environment"))) {
        for set in split(document, &line) {
            if let Some((name, value)) = set.text.split_once('=') {
                let own = set.part(&document.text, name.len() + 1..set.text.len());
                let key = Key { text: name.to_owned(), span: set.span };
                members.push(Member { key, value: word(value, own.span, &at.key("Environment")) });
            }
        }
    }
    Node::new(service.span, Value::Map(members))
}

/// The words of a line, with quotes as systemd takes them.
fn split(document: &Document, line: &Located) -> Vec<Located> {
    let (mut words, mut start, mut quote) = (Vec::new(), None, None);
    let text = line.text.as_str();
    let mut push = |from: usize, to: usize| {
        let quoted = text
            .get(from..to)
            .is_some_and(|word| word.len() > 1 && word.starts_with(['"', '\'']) && word.ends_with(['"', '\'']));
        let inner = if quoted { from + 1..to - 1 } else { from..to };
        words.push(line.part(&document.text, inner));
    };
    for (at, c) in text.char_indices() {
        match quote {
            Some(open) if c == open => quote = None,
            Some(_) => {}
            None if c.is_whitespace() => {
                if let Some(from) = start.take() {
                    push(from, at);
                }
            }
            None => {
                start.get_or_insert(at);
                if matches!(c, '"' | '\'') {
                    quote = Some(c);
                }
            }
        }
    }
    if let Some(from) = start {
        push(from, text.len());
    }
    words
}
