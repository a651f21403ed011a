//! What a person pastes before anything is installed: a command line, a line that adds a server to a client, an install link, an address, a
//! package with its version.

use super::words::{Word, words};
use super::{Key, Member, Node, Value, adding, json, link};
use crate::prelude::*;
use crate::text::{Pointer, Span};

/// Does a program of this name start others?
pub(super) type IsStarter<'p> = &'p dyn Fn(&str) -> bool;

/// The text as a client's setup; `None` where it is none of these. Who knows programs says which names start others.
pub(super) fn parse(text: &str, is_starter: IsStarter<'_>) -> Option<Node> {
    let lead = text.len() - text.trim_start().len();
    let line = text.trim().trim_start_matches("$ ");
    let from = lead + text.trim().len() - line.len();
    let whole = Span::new(from, from + line.len());
    if line.is_empty() {
        return None;
    }
    if line.starts_with('{') {
        return json::parse(text).ok();
    }
    let single = !line.contains(char::is_whitespace);
    if single && let Some(root) = link::carried(line, 0) {
        return Some(root.placed(&Pointer::root()).at_one_place(whole));
    }
    if single && let Some(addressed) = addressed(line, whole) {
        return addressed;
    }
    if single && let Some(words) = package(line) {
        let words = at_one_place(&words, whole);
        return Some(started(name(&words, is_starter), &words, Vec::new(), whole));
    }
    if single
        && !is_starter(line)
        && let Some(looked_at) = bare(line, whole)
    {
        return Some(looked_at);
    }
    let words = words(line, from);
    adding::added(&words, whole).or_else(|| Some(command(line, &words, whole, is_starter)))
}

/// Something with a scheme. A source repository is started by a runner, and nobody says by which; a scheme of a client whose link carries nothing
/// that can be read, or a registry's without a name, is nothing that could be judged.
fn addressed(line: &str, whole: Span) -> Option<Option<Node>> {
    let (scheme, rest) = line.split_once(':')?;
    let scheme = scheme.to_ascii_lowercase();
    if scheme.starts_with("git+") || matches!(scheme.as_str(), "git" | "ssh") || line.ends_with(".git") {
        let each = [("npm", vec!["npx", "-y", line]), ("pypi", vec!["uvx", "--from", line])];
        return Some(Some(several(&host(line), &each, whole)));
    }
    match scheme.as_str() {
        "http" | "https" | "ws" | "wss" | "sse" => {
            Some(Some(client(&host(line), vec![("url", text_at(line, whole))], whole)))
        }
        "npm" | "pypi" | "image" if rest.is_empty() => Some(None),
        _ if rest.starts_with("//") => Some(None),
        _ => None,
    }
}

/// A name alone: of a package of every registry whose names have that form.
fn bare(text: &str, whole: Span) -> Option<Node> {
    let named = |part: &str| {
        part.starts_with(|c: char| c.is_ascii_alphanumeric())
            && part.chars().all(|c| c.is_ascii_alphanumeric() || "._-".contains(c))
    };
    let own = text.rsplit('/').next().unwrap_or(text);
    if !text.split('/').all(named) || text.len() > LONGEST_NAME {
        return None;
    }
    let each: Vec<(&str, Vec<&str>)> = match text.matches('/').count() {
        0 => vec![("npm", vec!["npx", "-y", text]), ("pypi", vec!["uvx", text])],
        // A repository of a well-known host is written so too (npm's `owner/repository`).
        1 => vec![("image", vec!["docker", "run", "-i", "--rm", text]), ("npm", vec!["npx", "-y", text])],
        _ => vec![("image", vec!["docker", "run", "-i", "--rm", text])],
    };
    Some(several(own, &each, whole))
}

/// A longer text (bytes) is no package's name: npm allows 214.
const LONGEST_NAME: usize = 256;

/// What may be meant by one text, each as an entry of its own.
fn several(name: &str, each: &[(&str, Vec<&str>)], whole: Span) -> Node {
    let entry = |(source, words): &(&str, Vec<&str>)| {
        let words: Vec<String> = words.iter().map(|&word| word.to_owned()).collect();
        let server = server(&at_one_place(&words, whole), Vec::new(), whole);
        (format!("{name} ({source})"), server)
    };
    collection(each.iter().map(entry), whole)
}

fn at_one_place(words: &[String], whole: Span) -> Vec<Word> {
    words.iter().map(|text| Word::made(text, whole)).collect()
}

/// A command line: its words, or the whole for a shell where it has more than words.
fn command(line: &str, words: &[Word], whole: Span, is_starter: IsStarter<'_>) -> Node {
    let shell = line.contains(['|', ';', '&', '<', '>', '`', '\n']) || line.contains("$(");
    if shell {
        let word = |text: &str| Word::made(text, whole);
        return started("candidate".to_owned(), &[word("sh"), word("-c"), word(line)], Vec::new(), whole);
    }
    let mut words = words.to_vec();
    // `NAME=value program`: the shell sets it for the program.
    if words.first().is_some_and(|word| is_assignment(word.text())) {
        words.insert(0, Word::made("env", words.first().map(Word::span).unwrap_or_default()));
    }
    started(name(&words, is_starter), &words, Vec::new(), whole)
}

/// `NAME=value`, before a program.
pub(super) fn is_assignment(word: &str) -> bool {
    // `name==1.0` is a package with its version.
    word.split_once('=').is_some_and(|(name, value)| {
        !name.is_empty()
            && !value.starts_with('=')
            && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
            && !name.starts_with(|c: char| c.is_ascii_digit())
    })
}

/// A package with its version, as the command that starts it: `npm:@saltmarsh/tides@2.4.1`, `saltmarsh-tides==1.0`, `image:saltmarsh/tides:1.0`.
fn package(text: &str) -> Option<Vec<String>> {
    let words = |runner: &[&str], spec: &str| {
        Some(runner.iter().copied().chain([spec]).map(str::to_owned).collect::<Vec<String>>())
    };
    if let Some((source, spec)) = text.split_once(':').filter(|(_, spec)| !spec.is_empty()) {
        match source {
            "npm" => return words(&["npx", "-y"], spec),
            "pypi" => {
                // The registry's own way to write it, and the one that people use.
                let spec = if spec.contains("==") { spec.to_owned() } else { spec.replacen('@', "==", 1) };
                return words(&["uvx"], &spec);
            }
            "image" => return words(&["docker", "run", "-i", "--rm"], spec),
            _ => {}
        }
    }
    if text.contains("==") {
        return words(&["uvx"], text);
    }
    let version = text.get(1..).and_then(|rest| rest.rsplit_once('@')).map(|(_, version)| version);
    if text.starts_with('@') && text.contains('/')
        || version.is_some_and(|v| v.starts_with(|c: char| c.is_ascii_digit()) || v == "latest")
    {
        return words(&["npx", "-y"], text);
    }
    let image = text.split_once('/').is_some_and(|(_, rest)| rest.contains([':', '@']));
    if image && !text.starts_with(['/', '.', '~']) { words(&["docker", "run", "-i", "--rm"], text) } else { None }
}

/// What a server is called that nobody has named: by what it starts.
fn name(words: &[Word], is_starter: IsStarter<'_>) -> String {
    let own: Vec<&str> = words
        .iter()
        .map(Word::text)
        .filter(|word| !word.starts_with('-') && !is_assignment(word) && *word != "env")
        .collect();
    let package = |word: &&str| {
        word.starts_with('@') || word.contains("==") || word.get(1..).is_some_and(|rest| rest.contains('@'))
    };
    let image = |word: &&str| word.contains('/') && !word.starts_with(['/', '.', '~', '$']);
    let file = |word: &&str| word.contains('/');
    let of = |is: &dyn Fn(&&str) -> bool| own.iter().copied().find(|word| is(word));
    // `docker run tides`, `npm exec tides`: not by the one that starts it.
    let started = |word: &&str| !is_starter(word) && !["run", "exec", "x", "dlx", "tool"].contains(word);
    let text = of(&package).or_else(|| of(&image)).or_else(|| of(&file)).or_else(|| of(&started));
    let text = text.or_else(|| own.first().copied());
    let text = text.unwrap_or("candidate");
    let bare = text.trim_start_matches('@').split(['@', '=', ':']).next().unwrap_or(text);
    let bare = bare.trim_end_matches('/').rsplit('/').next().unwrap_or(bare);
    if bare.is_empty() { "candidate".to_owned() } else { bare.to_owned() }
}

fn host(address: &str) -> String {
    let host = url::Url::parse(address).ok().and_then(|url| url.host_str().map(str::to_owned));
    host.unwrap_or_else(|| "candidate".to_owned())
}

pub(super) fn text_at(text: &str, span: Span) -> Node {
    Node::new(span, Value::Text(text.to_owned()))
}

pub(super) fn started(name: String, words: &[Word], env: Vec<Member>, whole: Span) -> Node {
    collection([(name, server(words, env, whole))], whole)
}

pub(super) fn server(words: &[Word], env: Vec<Member>, whole: Span) -> Node {
    let mut nodes = words.iter().map(|word| text_at(word.text(), word.span()));
    let mut members: Vec<(&str, Node)> = nodes.next().map(|program| ("command", program)).into_iter().collect();
    members.push(("args", Node::new(whole, Value::List(nodes.collect()))));
    if !env.is_empty() {
        members.push(("env", Node::new(whole, Value::Map(env))));
    }
    map(members, whole)
}

pub(super) fn client(name: &str, members: Vec<(&str, Node)>, whole: Span) -> Node {
    collection([(name.to_owned(), map(members, whole))], whole)
}

pub(super) fn map(members: Vec<(&str, Node)>, whole: Span) -> Node {
    let member = |(text, value): (&str, Node)| Member { key: Key { text: text.to_owned(), span: whole }, value };
    Node::new(whole, Value::Map(members.into_iter().map(member).collect()))
}

pub(super) fn collection(servers: impl IntoIterator<Item = (String, Node)>, whole: Span) -> Node {
    let member = |(text, value): (String, Node)| Member { key: Key { text, span: whole }, value };
    let servers = Node::new(whole, Value::Map(servers.into_iter().map(member).collect()));
    map(vec![("mcpServers", servers)], whole)
}
