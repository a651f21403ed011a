//! What a person pastes before anything is installed: a command line, a line that adds a server to a client, an install link, an address, a
//! package with its version.

use super::{Key, Member, Node, Value, json, link};
use crate::prelude::*;
use crate::text::{Pointer, Span};
use core::ops::Range;

/// Does a program of this name start others?
pub(super) type IsStarter<'p> = &'p dyn Fn(&str) -> bool;

/// A word of a line, and where it stands with its quotes.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Word {
    text: String,
    range: Range<usize>,
}

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
    added(&words, whole).or_else(|| Some(command(line, &words, whole, is_starter)))
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
    words.iter().map(|text| Word { text: text.clone(), range: whole.range() }).collect()
}

/// A line that adds a server to a client: `… mcp add tide -- npx -y @saltmarsh/tide-table`. For lines of shell blocks in texts.
pub(super) fn added_by(line: &str, from: usize) -> Option<Node> {
    let bare = line.trim().trim_start_matches("$ ");
    let at = from + line.find(bare)?;
    added(&words(bare, at), Span::new(at, at + bare.len()))
}

fn added(words: &[Word], whole: Span) -> Option<Node> {
    let mcp = words.iter().position(|word| word.text == "mcp")?;
    let verb = words.get(mcp + 1)?.text.as_str();
    let rest = words.get(mcp + 2..)?;
    match verb {
        "add" => {}
        "add-json" => {
            let (name, settings) =
                (rest.iter().find(|w| !w.text.starts_with('-'))?, rest.iter().find(|w| w.text.starts_with('{'))?);
            let span = Span::new(settings.range.start, settings.range.end);
            let node = json::parse(&settings.text).ok()?.placed(&Pointer::root().key("mcpServers").key(&name.text));
            return Some(collection([(name.text.clone(), node.at_one_place(span))], whole));
        }
        _ => return None,
    }
    let (mut env, mut headers, mut plain, mut at) = (Vec::new(), Vec::new(), Vec::new(), 0);
    let mut tail: &[Word] = &[];
    while let Some(word) = rest.get(at) {
        let value = rest.get(at + 1);
        at += 1;
        match word.text.as_str() {
            "--" => {
                tail = rest.get(at..).unwrap_or_default();
                break;
            }
            "-e" | "--env" | "-H" | "--header" => {
                let Some(value) = value else { break };
                at += 1;
                let (list, mark) =
                    if matches!(word.text.as_str(), "-e" | "--env") { (&mut env, '=') } else { (&mut headers, ':') };
                list.extend(setting(value, mark));
            }
            "-t" | "--transport" | "-s" | "--scope" | "--type" => at += 1,
            option if option.starts_with('-') => {}
            _ => plain.push(word.clone()),
        }
    }
    let name = plain.first()?.text.clone();
    let mut rest: Vec<Word> = plain.into_iter().skip(1).collect();
    rest.extend(tail.iter().cloned());
    let first = rest.first()?;
    if first.text.contains("://") {
        let mut members = vec![("url", text_at(&first.text, Span::new(first.range.start, first.range.end)))];
        if !headers.is_empty() {
            members.push(("headers", Node::new(whole, Value::Map(headers))));
        }
        return Some(client(&name, members, whole));
    }
    Some(started(name, &rest, env, whole))
}

/// A command line: its words, or the whole for a shell where it has more than words.
fn command(line: &str, words: &[Word], whole: Span, is_starter: IsStarter<'_>) -> Node {
    let shell = line.contains(['|', ';', '&', '<', '>', '`', '\n']) || line.contains("$(");
    if shell {
        let word = |text: &str| Word { text: text.to_owned(), range: whole.range() };
        return started("candidate".to_owned(), &[word("sh"), word("-c"), word(line)], Vec::new(), whole);
    }
    let mut words = words.to_vec();
    // `NAME=value program`: the shell sets it for the program.
    if words.first().is_some_and(|word| is_assignment(&word.text)) {
        words.insert(
            0,
            Word { text: "env".to_owned(), range: words.first().map(|w| w.range.clone()).unwrap_or_default() },
        );
    }
    started(name(&words, is_starter), &words, Vec::new(), whole)
}

fn is_assignment(word: &str) -> bool {
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
        .map(|word| word.text.as_str())
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

fn setting(word: &Word, mark: char) -> Option<Member> {
    let (name, value) = word.text.split_once(mark)?;
    let key = Key { text: name.trim().to_owned(), span: Span::new(word.range.start, word.range.end) };
    let value = value.trim();
    // The value is the end of the word, with the quote that may close it.
    let end = word.range.end;
    let start = end.saturating_sub(value.len() + usize::from(word.range.len() > word.text.len()));
    let end = start + value.len();
    Some(Member { key, value: text_at(value, Span::new(start, end)) })
}

fn text_at(text: &str, span: Span) -> Node {
    Node::new(span, Value::Text(text.to_owned()))
}

fn started(name: String, words: &[Word], env: Vec<Member>, whole: Span) -> Node {
    collection([(name, server(words, env, whole))], whole)
}

fn server(words: &[Word], env: Vec<Member>, whole: Span) -> Node {
    let mut nodes = words.iter().map(|word| text_at(&word.text, Span::new(word.range.start, word.range.end)));
    let mut members: Vec<(&str, Node)> = nodes.next().map(|program| ("command", program)).into_iter().collect();
    members.push(("args", Node::new(whole, Value::List(nodes.collect()))));
    if !env.is_empty() {
        members.push(("env", Node::new(whole, Value::Map(env))));
    }
    map(members, whole)
}

fn client(name: &str, members: Vec<(&str, Node)>, whole: Span) -> Node {
    collection([(name.to_owned(), map(members, whole))], whole)
}

fn map(members: Vec<(&str, Node)>, whole: Span) -> Node {
    let member = |(text, value): (&str, Node)| Member { key: Key { text: text.to_owned(), span: whole }, value };
    Node::new(whole, Value::Map(members.into_iter().map(member).collect()))
}

fn collection(servers: impl IntoIterator<Item = (String, Node)>, whole: Span) -> Node {
    let member = |(text, value): (String, Node)| Member { key: Key { text, span: whole }, value };
    let servers = Node::new(whole, Value::Map(servers.into_iter().map(member).collect()));
    map(vec![("mcpServers", servers)], whole)
}

/// The words of a line, with quotes and escapes as a shell has them (POSIX.1-2024, Shell Command Language, 2.2).
fn words(line: &str, from: usize) -> Vec<Word> {
    let mut out: Vec<Word> = Vec::new();
    let mut current: Option<Word> = None;
    let mut quote = None;
    let mut chars = line.char_indices().peekable();
    while let Some((at, c)) = chars.next() {
        if quote.is_none() && c.is_whitespace() {
            out.extend(current.take());
            continue;
        }
        let word = current.get_or_insert_with(|| Word { text: String::new(), range: from + at..from + at });
        let mut end = at + c.len_utf8();
        match (quote, c) {
            (Some('\''), '\'') | (Some('"'), '"') => quote = None,
            (None, '\'' | '"') => quote = Some(c),
            (None | Some('"'), '\\') => {
                if let Some((next, escaped)) = chars.next() {
                    end = next + escaped.len_utf8();
                    // A line that goes on is one line.
                    if escaped != '\n' {
                        word.text.push(escaped);
                    }
                }
            }
            _ => word.text.push(c),
        }
        word.range.end = from + end;
    }
    out.extend(current);
    out.retain(|word| !word.text.is_empty());
    out
}
