//! Dotenv files: `NAME=value` lines. There is no standard; this reads what the common loaders agree on: an optional `export`,
//! single quotes that keep everything, double quotes with backslash escapes and line ends, `#` after white space as a comment.
//! A general loader is not used because none keeps the place of a value. A line that is no assignment is passed over, as loaders do.

use super::{Key, Member, Node, Value};
use crate::prelude::*;
use crate::text::Span;

/// Parses a dotenv text into a mapping of texts.
pub(super) fn parse(text: &str) -> Node {
    let mut members = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let rest = text.get(at..).unwrap_or_default();
        let line_end = rest.find(['\n', '\r']).map_or(text.len(), |n| at + n);
        let mut next = line_end + 1;
        if let Some((key, value_at)) = assignment(text, at, line_end) {
            let (value, end) = value(text, value_at, line_end);
            next = next.max(end + 1);
            let span = Span::new(value_at, end);
            members.push(Member { key, value: Node::new(span, Value::Text(value)) });
        }
        at = next;
        while !text.is_char_boundary(at.min(text.len())) {
            at += 1;
        }
    }
    Node::new(Span::new(0, text.len()), Value::Map(members))
}

/// The key of the line `from..to`, and where its value begins.
fn assignment(text: &str, from: usize, to: usize) -> Option<(Key, usize)> {
    let line = text.get(from..to)?;
    let (left, right) = line.split_once('=')?;
    let name = left.trim();
    let name = name.strip_prefix("export ").map_or(name, str::trim_start);
    let plain = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || "_.-".contains(c));
    if !plain {
        return None;
    }
    let start = from + left.find(name)?;
    let lead = right.len() - right.trim_start().len();
    let key = Key { text: name.to_owned(), span: Span::new(start, start + name.len()) };
    Some((key, from + left.len() + 1 + lead))
}

/// The value that begins at `from` and the offset of its end; a quoted one may run over the line's end `to`.
fn value(text: &str, from: usize, to: usize) -> (String, usize) {
    let rest = text.get(from..).unwrap_or_default();
    let quote = rest.chars().next().filter(|c| matches!(c, '"' | '\'' | '`'));
    if let Some((value, length)) = quote.and_then(|quote| quoted(rest, quote)) {
        return (value, from + length);
    }
    let plain = text.get(from..to).unwrap_or_default();
    let mut end = plain.len();
    for (at, _) in plain.match_indices('#') {
        if at == 0 || plain.get(..at).is_some_and(|s| s.ends_with([' ', '\t'])) {
            end = at;
            break;
        }
    }
    let plain = plain.get(..end).unwrap_or_default().trim_end();
    (plain.to_owned(), from + plain.len())
}

fn quoted(text: &str, quote: char) -> Option<(String, usize)> {
    let mut out = String::new();
    let mut chars = text.char_indices().skip(1);
    while let Some((at, c)) = chars.next() {
        match c {
            c if c == quote => return Some((out, at + 1)),
            '\\' if quote == '"' => match chars.next()?.1 {
                'n' => out.push('\n'),
                'r' => out.push('\r'),
                't' => out.push('\t'),
                other => out.push(other),
            },
            other => out.push(other),
        }
    }
    None
}
