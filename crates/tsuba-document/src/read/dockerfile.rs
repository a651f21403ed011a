//! Image build files: an instruction a line, with `\` at the end for one that goes on. The tree is a mapping of instructions in the order
//! written, each with its text; `ENV`, `ARG` and the exec form are taken apart further.

use super::{Key, Member, Node, Value, json};
use crate::prelude::*;
use crate::text::Span;

/// The instructions there are; a line that begins with another word is passed over.
const INSTRUCTIONS: &[&str] = &[
    "ADD",
    "ARG",
    "CMD",
    "COPY",
    "ENTRYPOINT",
    "ENV",
    "EXPOSE",
    "FROM",
    "HEALTHCHECK",
    "LABEL",
    "ONBUILD",
    "RUN",
    "SHELL",
    "STOPSIGNAL",
    "USER",
    "VOLUME",
    "WORKDIR",
];

/// Does a text look like one: is its first instruction FROM, or ARG before that?
pub(super) fn looks_like(text: &str) -> bool {
    let mut lines = text.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#'));
    let first = lines.next().unwrap_or_default();
    let word = first.split_whitespace().next().unwrap_or_default();
    word == "FROM" || (word == "ARG" && text.lines().any(|line| line.starts_with("FROM ")))
}

pub(super) fn parse(text: &str) -> Node {
    let mut members = Vec::new();
    let names = if text.contains("<<") { lone_words(text) } else { BTreeMap::new() };
    let mut at = 0;
    while at < text.len() {
        let end = logical_end(text, at);
        let end = here_document(text, at, end, &names);
        let line = text.get(at..end).unwrap_or_default();
        let lead = line.len() - line.trim_start().len();
        let word = line.split_whitespace().next().unwrap_or_default();
        let upper = word.to_ascii_uppercase();
        if INSTRUCTIONS.contains(&upper.as_str()) {
            let key = Key { text: upper.clone(), span: Span::new(at + lead, at + lead + word.len()) };
            let rest = line.get(lead + word.len()..).unwrap_or_default();
            let skip = rest.len() - rest.trim_start().len();
            let start = at + lead + word.len() + skip;
            let stop = start + rest.trim().len();
            members.push(Member { key, value: value(text, &upper, start, stop) });
        }
        at = end + 1;
        while at < text.len() && !text.is_char_boundary(at) {
            at += 1;
        }
    }
    Node::new(Span::new(0, text.len()), Value::Map(members))
}

/// The end of a line with those that go on from it; comments between them are part of it.
fn logical_end(text: &str, from: usize) -> usize {
    let mut at = from;
    loop {
        let end = text.get(at..).and_then(|rest| rest.find('\n')).map_or(text.len(), |n| at + n);
        let line = text.get(at..end).unwrap_or_default().trim_end();
        let comment = at > from && line.trim_start().starts_with('#');
        if end >= text.len() || !(line.ends_with('\\') || comment) {
            return end;
        }
        at = end + 1;
    }
}

/// The end of the lines that are handed to an instruction (`RUN <<EOF`), where it has some.
fn here_document(text: &str, from: usize, end: usize, names: &BTreeMap<&str, Vec<usize>>) -> usize {
    let line = text.get(from..end).unwrap_or_default();
    let Some((_, behind)) = line.split_once("<<") else { return end };
    let name: String = behind
        .trim_start_matches(['-', '"', '\''])
        .chars()
        .take_while(|c| c.is_ascii_alphanumeric() || *c == '_')
        .collect();
    let Some(ends) = names.get(name.as_str()) else { return end };
    ends.get(ends.partition_point(|at| *at <= end)).copied().unwrap_or(end)
}

/// Lines of one word, and where each ends: what may end the lines that are handed to an instruction. Looked up, so that many that are never
/// ended cost no more than one.
fn lone_words(text: &str) -> BTreeMap<&str, Vec<usize>> {
    let (mut out, mut at): (BTreeMap<&str, Vec<usize>>, usize) = (BTreeMap::new(), 0);
    for line in text.split_inclusive('\n') {
        let word = line.trim();
        if !word.is_empty() && word.chars().all(|c| c.is_ascii_alphanumeric() || c == '_') {
            out.entry(word).or_default().push(at + line.trim_end().len());
        }
        at += line.len();
    }
    out
}

fn value(text: &str, instruction: &str, start: usize, stop: usize) -> Node {
    let span = Span::new(start, stop);
    let written = text.get(start..stop).unwrap_or_default();
    if matches!(instruction, "CMD" | "ENTRYPOINT" | "RUN" | "SHELL")
        && written.starts_with('[')
        && let Ok(list) = json::parse(written)
        && list.is_list()
    {
        return shifted(list, start);
    }
    if matches!(instruction, "ENV" | "ARG") {
        return Node::new(span, Value::Map(settings(written, start)));
    }
    // What goes on in the next line is one line to whoever runs it.
    Node::new(span, Value::Text(written.replace("\\\n", "").replace("\\\r\n", "")))
}

/// A tree that was read from a part of the text.
fn shifted(mut node: Node, by: usize) -> Node {
    node.span = Span::new(node.span.start as usize + by, node.span.end as usize + by);
    if let Value::List(items) = &mut node.value {
        let all = core::mem::take(items);
        items.extend(all.into_iter().map(|item| shifted(item, by)));
    }
    node
}

/// `NAME=value OTHER="with blanks"`, or `NAME value` as older files have it.
fn settings(written: &str, start: usize) -> Vec<Member> {
    let mut out = Vec::new();
    let first = written.split_whitespace().next().unwrap_or_default();
    if !first.contains('=') {
        let rest = written.get(first.len()..).unwrap_or_default();
        let lead = rest.len() - rest.trim_start().len();
        if !rest.trim().is_empty() {
            out.push(setting(first, start, rest.trim(), start + first.len() + lead));
        }
        return out;
    }
    let mut at = 0;
    while let Some(rest) = written.get(at..).filter(|rest| !rest.trim().is_empty()) {
        let lead = rest.len() - rest.trim_start_matches([' ', '\t', '\\', '\n', '\r']).len();
        let from = at + lead;
        let Some(tail) = written.get(from..).filter(|tail| !tail.is_empty()) else { break };
        let end = from + word_end(tail);
        if let Some((name, value)) = written.get(from..end).and_then(|word| word.split_once('=')) {
            out.push(setting(name, start + from, value, start + from + name.len() + 1));
        }
        at = end.max(from + 1);
        while !written.is_char_boundary(at.min(written.len())) {
            at += 1;
        }
    }
    out
}

fn setting(name: &str, name_at: usize, value: &str, value_at: usize) -> Member {
    let quoted = value.len() > 1
        && ((value.starts_with('"') && value.ends_with('"')) || (value.starts_with('\'') && value.ends_with('\'')));
    let plain = if quoted { value.get(1..value.len() - 1).unwrap_or(value) } else { value };
    Member {
        key: Key { text: name.to_owned(), span: Span::new(name_at, name_at + name.len()) },
        value: Node::new(Span::new(value_at, value_at + value.len()), Value::Text(plain.to_owned())),
    }
}

/// Where a word ends: at white space that stands in no quotes.
fn word_end(text: &str) -> usize {
    let mut quote = None;
    for (at, c) in text.char_indices() {
        match quote {
            Some(open) if c == open => quote = None,
            Some(_) => {}
            None if c.is_whitespace() => return at,
            None if matches!(c, '"' | '\'') => quote = Some(c),
            None => {}
        }
    }
    text.len()
}
