//! Lines that add a server to a client: `… mcp add tide -- npx -y @saltmarsh/tide-table`, `… mcp add-json tide '{…}'`, `… --add-mcp '{…}'`.

use super::pasted::{client, collection, map, server, text_at};
use super::words::Word;
use super::{Key, Member, Node, Value, json};
use crate::prelude::*;
use crate::text::{Pointer, Span};

/// Words without one of which no text has such a line.
pub(super) const WORDS: &[&str] = &["mcp add", "mcp-add", "add-mcp"];

/// Options of such a line that say something of the server, and under which key a client's setup has that.
const SAID: &[(&str, &str)] = &[
    ("-t", "type"),
    ("--transport", "type"),
    ("--type", "type"),
    ("--url", "url"),
    ("--cwd", "cwd"),
    ("--client-secret", "client_secret"),
    ("--bearer-token", "bearer_token"),
    ("--auth-token", "auth_token"),
    ("--access-token", "access_token"),
    ("--token", "token"),
    ("--api-key", "api_key"),
    ("--password", "password"),
];
/// Options with a value that says nothing of what it does.
const OTHER: &[&str] = &[
    "-s",
    "--scope",
    "--timeout",
    "--description",
    "--include-tools",
    "--exclude-tools",
    "--callback-port",
    "--client-id",
    "--bearer-token-env-var",
    "--profile",
    "--config",
];

/// What a line adds.
#[derive(Default)]
struct Added {
    name: Option<String>,
    env: Vec<Member>,
    headers: Vec<Member>,
    said: Vec<(&'static str, Node)>,
    words: Vec<Word>,
}

/// The words of a command as a client's setup, where it adds a server to one.
pub(super) fn added(words: &[Word], whole: Span) -> Option<Node> {
    let option =
        |word: &Word| word.text().starts_with("--") && word.text().contains("add") && word.text().contains("mcp");
    if let Some(at) = words.iter().position(option) {
        let (before, inline) =
            words.get(at)?.text().split_once('=').map_or((0, false), |(name, _)| (name.len() + 1, true));
        return of_json(words.get(at + usize::from(!inline))?, before, None, whole);
    }
    let mcp = words.iter().position(|word| matches!(word.text(), "mcp" | "mcp-add"))?;
    let (verb, rest) = match words.get(mcp)?.text() {
        "mcp" => (words.get(mcp + 1)?.text(), words.get(mcp + 2..)?),
        _ => ("add", words.get(mcp + 1..)?),
    };
    match verb {
        "add" => {}
        "add-json" => {
            let name = rest.iter().find(|word| !word.text().starts_with('-'))?.text();
            return of_json(rest.iter().find(|word| word.text().starts_with('{'))?, 0, Some(name), whole);
        }
        _ => return None,
    }
    let Added { name, env, headers, said, words } = read(rest)?;
    let name = name?;
    // How to call it is shown, with names for what goes there.
    if name.starts_with(['<', '[']) {
        return None;
    }
    let url = said.iter().any(|(key, _)| *key == "url");
    let first = words.first().filter(|_| !url);
    if first.is_some_and(|word| word.text().starts_with(['<', '['])) {
        return None;
    }
    let mut members = said;
    match first {
        None if !url => return None,
        Some(word) if word.text().contains("://") => members.push(("url", text_at(word.text(), word.span()))),
        None => {}
        Some(_) => {
            members.retain(|(key, _)| *key != "type");
            if !headers.is_empty() {
                members.push(("headers", Node::new(whole, Value::Map(headers))));
            }
            let own = server(&words, env, whole);
            let all = own.members().iter().chain(map(members, whole).members()).cloned().collect();
            return Some(collection([(name, Node::new(whole, Value::Map(all)))], whole));
        }
    }
    // What is of no use to such a server is written there all the same.
    for (key, list) in [("headers", headers), ("env", env)] {
        if !list.is_empty() {
            members.push((key, Node::new(whole, Value::Map(list))));
        }
    }
    Some(client(&name, members, whole))
}

/// Does such a line say in so many words what it adds? A text for people also speaks of it in passing.
pub(super) fn is_plain(words: &[Word]) -> bool {
    let at = words.iter().position(|word| word.text() == "mcp");
    let begins = at.is_some_and(|at| at == 1 || at == 2 && words.first().is_some_and(|word| word.text() == "sudo"));
    let says = |word: &Word| word.text() == "--" || word.text().contains("://") || word.text().starts_with('{');
    (begins && words.iter().any(says)) || words.iter().any(|word| word.text().contains("add-mcp"))
}

fn read(rest: &[Word]) -> Option<Added> {
    let mut out = Added::default();
    let mut at = 0;
    while let Some(word) = rest.get(at) {
        at += 1;
        let text = word.text();
        if text == "--" {
            out.words.extend(rest.get(at..)?.iter().cloned());
            break;
        }
        // What is started has options of its own.
        let starts = out.words.first().is_some_and(|first| !first.text().contains("://"));
        if !text.starts_with('-') || starts {
            match out.name {
                None => out.name = Some(text.to_owned()),
                Some(_) => out.words.push(word.clone()),
            }
            continue;
        }
        let (option, inline) = match text.split_once('=').filter(|_| text.starts_with("--")) {
            Some((option, value)) => (option, Some(text.len() - value.len())),
            None => (text, None),
        };
        let value = |at: &mut usize| match inline {
            Some(from) => Some((word, from)),
            None => {
                *at += 1;
                Some((rest.get(*at - 1)?, 0))
            }
        };
        match option {
            "-e" | "--env" => out.env.extend(value(&mut at).and_then(|(word, from)| setting(word, from, '='))),
            "-H" | "--header" => out.headers.extend(value(&mut at).and_then(|(word, from)| setting(word, from, ':'))),
            "--name" => {
                out.name = value(&mut at).map(|(word, from)| word.text().get(from..).unwrap_or_default().to_owned())
            }
            "--command" => out.words.extend(value(&mut at).map(|(word, from)| part(word, from))),
            "--args" | "--arg" => out.words.extend(value(&mut at).map(|(word, from)| part(word, from))),
            "--trust" => out.said.push(("trust", Node::new(word.span(), Value::Bool(true)))),
            _ if OTHER.contains(&option) => {
                value(&mut at);
            }
            _ => {
                if let Some((_, key)) = SAID.iter().find(|(name, _)| *name == option) {
                    let (word, from) = value(&mut at)?;
                    let text = word.text().get(from..).unwrap_or_default();
                    out.said.push((key, text_at(text, word.place(from..word.text().len()))));
                }
            }
        }
    }
    Some(out)
}

fn part(word: &Word, from: usize) -> Word {
    match from {
        0 => word.clone(),
        _ => Word::made(word.text().get(from..).unwrap_or_default(), word.place(from..word.text().len())),
    }
}

/// `NAME=value`, `Name: value`.
fn setting(word: &Word, from: usize, mark: char) -> Option<Member> {
    let (name, value) = word.text().get(from..)?.split_once(mark)?;
    let key = Key { text: name.trim().to_owned(), span: word.span() };
    let start = word.text().len() - value.trim_start().len();
    let value = value.trim();
    Some(Member { key, value: text_at(value, word.place(start..start + value.len())) })
}

/// A server in JSON: under its own name, or the one that is given beside it; a whole setup as it is.
fn of_json(word: &Word, from: usize, name: Option<&str>, whole: Span) -> Option<Node> {
    let text = word.text().get(from..)?;
    let node = json::parse(text).ok().filter(Node::is_map)?;
    let node = node.moved(&|span| word.place(from + span.start as usize..from + span.end as usize));
    if node.first(&["mcpServers", "servers"]).is_some_and(|(_, servers)| servers.is_map()) {
        return Some(node);
    }
    let name = name.map(str::to_owned).or_else(|| node.get("name")?.text().map(str::to_owned))?;
    let node = node.placed(&Pointer::root().key("mcpServers").key(&name));
    Some(collection([(name, node)], whole))
}
