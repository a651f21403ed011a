//! Services of a system: units of systemd (systemd.service(5), also those of containers), programs of a supervisor, property lists of a desktop system (launchd.plist(5)):
//! the program that is started, and what it is given.

use super::{Made, quadlet, word};
use crate::prelude::*;
use crate::read::{Document, Key, Member, Node, Value};
use crate::text::{Located, Pointer, speaks_of_servers};
use crate::understand::launch::unwrap;

/// The account that a service runs as (systemd.exec(5)).
pub(crate) const USER: &str = "User";

pub(super) fn made(document: &Document) -> Vec<Made> {
    let Some(root) = document.roots.first() else { return Vec::new() };
    let supervised = root.members().iter().filter_map(|section| supervised(document, section));
    service(document, root).into_iter().chain(supervised).chain(quadlet::made(document, root)).collect()
}

/// A service of systemd.
fn service(document: &Document, root: &Node) -> Option<Made> {
    let service = root.get("Service")?;
    let at = Pointer::root().key("Service");
    let start = service.get("ExecStart")?;
    let line = start.located(at.key("ExecStart"))?;
    // Marks before the program change how it is started, not what (systemd.service(5), table 1).
    let lead = line.text.len() - line.text.trim_start_matches(['@', '-', ':', '+', '!']).len();
    let words = split(document, &line.part(&document.text, lead..line.text.len()));
    let described = root.get("Unit").and_then(|unit| unit.get("Description")).and_then(Node::text).unwrap_or_default();
    let file = document.path.rsplit(['/', '\\']).next().unwrap_or_default();
    let name = file.strip_suffix(".service").unwrap_or(file);
    let name = Located { text: name.to_owned(), span: start.span, pointer: at.key("ExecStart") };
    let member = |text: &str, value: Node| Member { key: Key { text: text.to_owned(), span: start.span }, value };
    let mut more = Vec::new();
    if let Some(user) = service.get("User") {
        more.push(member(USER, user.clone().placed(&at.key(USER))));
    }
    more.push(member("env", environment(document, service, &at)));
    let files = service.members().iter().filter(|member| member.key.text == "EnvironmentFile");
    for file in files {
        if let Some(text) = file.value.text() {
            let value = word(text.trim_start_matches('-'), file.value.span, &at.key("EnvironmentFile"));
            more.push(member("envFile", value));
        }
    }
    started(document, name, (&at, service), &words, described, more)
}

/// A program that a supervisor of processes keeps running: `[program:tide]`, `command=…`, `environment=NAME="value",…`.
fn supervised(document: &Document, section: &Member) -> Option<Made> {
    let name = section.key.text.strip_prefix("program:")?;
    let at = Pointer::root().key(&section.key.text);
    let command = section.value.get("command")?.located(at.key("command"))?;
    let words = split(document, &command);
    let name = Located { text: name.to_owned(), span: section.key.span, pointer: at.clone() };
    let member = |text: &str, value: Node| Member { key: Key { text: text.to_owned(), span: command.span }, value };
    let mut more = Vec::new();
    if let Some(user) = section.value.get("user") {
        more.push(member(USER, user.clone().placed(&at.key("user"))));
    }
    if let Some(set) = section.value.get("environment").and_then(|set| set.located(at.key("environment"))) {
        let mut env = Vec::new();
        for found in listed(&set.text) {
            let part = set.part(&document.text, found.clone());
            if let Some((name, value)) = part.text.split_once('=') {
                let quoted = value.len() > 1 && value.starts_with(['"', '\'']) && value.ends_with(['"', '\'']);
                let inner = if quoted { 1 } else { 0 };
                let own = part.part(&document.text, name.len() + 1 + inner..part.text.len() - inner);
                let key = Key { text: name.trim().to_owned(), span: part.span };
                env.push(Member { key, value: word(own.text.clone(), own.span, &at.key("environment")) });
            }
        }
        more.push(member("env", Node::new(set.span, Value::Map(env))));
    }
    started(document, name, (&at, &section.value), &words, "", more)
}

/// The parts of a list between its commas; what stands in quotes may hold some.
fn listed(text: &str) -> Vec<core::ops::Range<usize>> {
    let (mut out, mut from, mut quote) = (Vec::new(), 0, None);
    for (at, c) in text.char_indices().chain([(text.len(), ',')]) {
        match quote {
            Some(open) if c == open => quote = None,
            None if c == ',' || at == text.len() => {
                out.push(from..at);
                from = at + 1;
            }
            None if matches!(c, '"' | '\'') => quote = Some(c),
            Some(_) if at == text.len() => out.push(from..at),
            _ => {}
        }
    }
    out
}

/// A service of a desktop system, as a property list (launchd.plist(5)).
pub(super) fn desktop(document: &Document) -> Vec<Made> {
    let Some(root) = document.roots.first() else { return Vec::new() };
    let at = Pointer::root();
    let given = root.get("ProgramArguments").map(|list| (list.items(), at.key("ProgramArguments")));
    let words: Vec<Located> = match (&given, root.get("Program")) {
        (Some((items, own)), _) => {
            items.iter().enumerate().filter_map(|(index, item)| item.located(own.index(index))).collect()
        }
        (None, Some(program)) => program.located(at.key("Program")).into_iter().collect(),
        (None, None) => return Vec::new(),
    };
    let Some(name) = root.get("Label").and_then(|label| label.located(at.key("Label"))) else { return Vec::new() };
    let member = |text: &str, value: Node| Member { key: Key { text: text.to_owned(), span: name.span }, value };
    let mut more = Vec::new();
    if let Some(user) = root.get("UserName") {
        more.push(member(USER, user.clone().placed(&at.key("UserName"))));
    }
    if let Some(set) = root.get("EnvironmentVariables") {
        more.push(member("env", set.clone().placed(&at.key("EnvironmentVariables"))));
    }
    let described = name.text.clone();
    started(document, name, (&at, root), &words, &described, more).into_iter().collect()
}

/// A service as a client would have it; `None` where it runs no tool server.
fn started(
    document: &Document,
    name: Located,
    (at, service): (&Pointer, &Node),
    words: &[Located],
    described: &str,
    more: Vec<Member>,
) -> Option<Made> {
    let bridged = || unwrap(&document.text, words).is_bridged();
    let said = words.iter().any(|word| speaks_of_servers(&word.text)) || speaks_of_servers(described);
    if words.is_empty() || !(said || bridged()) {
        return None;
    }
    let member = |text: &str, value: Node| Member { key: Key { text: text.to_owned(), span: name.span }, value };
    let mut nodes = words.iter().map(|found| word(found.text.clone(), found.span, &found.pointer));
    let mut members = Vec::new();
    members.extend(nodes.next().map(|program| member("command", program)));
    members.push(member("args", Node::new(name.span, Value::List(nodes.collect()))));
    members.extend(more);
    let node = Node::new(service.span, Value::Map(members));
    Some(Made::whole(name, at.clone(), node))
}

/// `Environment=NAME=value "OTHER=with blanks"`, any number of times.
pub(super) fn environment(document: &Document, service: &Node, at: &Pointer) -> Node {
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
pub(super) fn split(document: &Document, line: &Located) -> Vec<Located> {
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
