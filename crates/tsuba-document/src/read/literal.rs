//! Literals of programs' languages: strings, lists, mappings, as Python, JavaScript, C#, Go, Java, Terraform and Nix write them. What is put together
//! while a program runs is none.

use super::constants::Constants;
use super::pasted::text_at;
use super::{Key, Member, Node, Value};
use crate::prelude::*;
use crate::text::Span;
use core::ops::Range;

/// Values nest at most this deep.
pub(super) const MAX_DEPTH: usize = 8;

/// A mapping that is written in braces with the literals of whatever language; `None` where it is none.
pub(super) fn mapping(text: &str, range: Range<usize>) -> Option<Node> {
    let names = Constants::default();
    let mut reader = Reader { text, at: range.start, end: range.end, depth: 0, names: &names };
    reader.mapping(0).filter(|node| !node.members().is_empty())
}

/// Reads literals of the languages that have kits; where something else stands, it is skipped to its end.
pub(super) struct Reader<'t> {
    pub(super) text: &'t str,
    pub(super) at: usize,
    pub(super) end: usize,
    /// How many calls it is within.
    pub(super) depth: usize,
    /// What names stand for.
    pub(super) names: &'t Constants,
}

impl Reader<'_> {
    pub(super) fn rest(&self) -> &str {
        self.text.get(self.at..self.end).unwrap_or_default()
    }

    pub(super) fn peek(&self) -> Option<char> {
        self.rest().chars().next()
    }

    pub(super) fn take(&mut self, sign: char) -> bool {
        let is = self.peek() == Some(sign);
        self.at += if is { sign.len_utf8() } else { 0 };
        is
    }

    /// Skips blanks and comments.
    pub(super) fn blanks(&mut self) {
        loop {
            let rest = self.rest();
            let bare = rest.trim_start();
            let mut skipped = rest.len() - bare.len();
            let line = bare.starts_with("//") || bare.starts_with('#') && !bare.starts_with("#[");
            if line {
                skipped += bare.find('\n').unwrap_or(bare.len());
            } else if bare.starts_with("/*") {
                skipped += bare.find("*/").map_or(bare.len(), |end| end + 2);
            }
            if skipped == 0 {
                return;
            }
            self.at += skipped;
        }
    }

    pub(super) fn word(&mut self) -> String {
        let length = self.rest().find(|c: char| !(c.is_alphanumeric() || c == '_')).unwrap_or(self.rest().len());
        let word = self.rest().get(..length).unwrap_or_default().to_owned();
        self.at += length;
        word
    }

    /// Skips what is no literal, to the comma or the sign that closes.
    pub(super) fn past(&mut self, close: char) {
        let mut open = Vec::new();
        while let Some(c) = self.peek() {
            if open.is_empty() && (c == ',' || c == close) {
                return;
            }
            match c {
                '(' | '[' | '{' => open.push(c),
                ')' | ']' | '}' if open.pop().is_none() => return,
                '"' | '\'' | '`' => {
                    if self.string(c).is_none() {
                        self.at += 1;
                    }
                    continue;
                }
                // What is escaped opens nothing: else a quote that is never closed would be looked for from each of many.
                '\\' => self.at += 1,
                _ => {}
            }
            self.at += self.peek().map_or(0, char::len_utf8);
        }
    }

    pub(super) fn value(&mut self, depth: usize) -> Option<Node> {
        let node = self.literal(depth)?;
        // What goes on is no literal: `"a" + b`, `"a".format(b)`.
        self.blanks();
        let goes_on = matches!(self.peek(), Some('+' | '.' | '%' | '?'));
        (!goes_on).then_some(node)
    }

    /// The same, whatever follows.
    pub(super) fn literal(&mut self, depth: usize) -> Option<Node> {
        let start = self.at;
        if depth > MAX_DEPTH {
            return None;
        }
        Some(match self.peek()? {
            quote @ ('"' | '\'' | '`') => text_at(&self.string(quote)?, Span::new(start, self.at)),
            '[' => self.list(']', depth)?,
            '{' => self.mapping(depth)?,
            _ => {
                // `[]string{"a"}`, `new List<string> { "a" }`, `List.of("a")`, `Map.of("a", "b")`, `new[] { "a" }`, `vec!["a"]`
                const LISTS: &[(&str, char)] = &[
                    ("[]string", '{'),
                    ("new List<string>", '{'),
                    ("new[]", '{'),
                    ("new string[]", '{'),
                    ("List.of", '('),
                    ("Arrays.asList", '('),
                    ("vec!", '['),
                ];
                let rest = self.rest();
                if let Some((name, open)) = LISTS.iter().find(|(name, _)| rest.starts_with(name)) {
                    self.at += name.len();
                    self.blanks();
                    if self.peek() != Some(*open) {
                        return None;
                    }
                    let close = if *open == '{' {
                        '}'
                    } else if *open == '(' {
                        ')'
                    } else {
                        ']'
                    };
                    self.list(close, depth)?
                } else if rest.starts_with("Map.of") {
                    self.at += "Map.of".len();
                    self.pairs(depth)?
                } else if rest.starts_with("new Dictionary<") || rest.starts_with("new()") {
                    // Its types have commas of their own.
                    let types = if rest.starts_with("new()") { 0 } else { rest.find('>').unwrap_or(0) };
                    let behind = rest.get(types..).unwrap_or_default();
                    self.at += types + behind.find(['{', ',', '\n']).unwrap_or(0);
                    self.mapping(depth)?
                } else {
                    self.named()?
                }
            }
        })
    }

    /// A name that stands for a literal, as that stands where it is written.
    fn named(&mut self) -> Option<Node> {
        let before = self.at;
        let word = self.word();
        // What is called, looked into or has members is something else.
        let plain = !matches!(self.peek(), Some('(' | '[' | ':' | '!'));
        let node = if plain { self.names.get(&word) } else { None };
        if node.is_none() {
            self.at = before;
        }
        node
    }

    pub(super) fn list(&mut self, close: char, depth: usize) -> Option<Node> {
        let start = self.at;
        self.at += 1;
        let mut items = Vec::new();
        loop {
            self.blanks();
            if self.take(close) {
                return Some(Node::new(Span::new(start, self.at), Value::List(items)));
            }
            self.peek()?;
            let before = self.at;
            match self.value(depth + 1) {
                Some(item) => items.push(item),
                None => self.past(close),
            }
            self.blanks();
            // Items may stand apart by blanks alone.
            if !self.take(',') && self.peek() != Some(close) && self.at == before {
                return None;
            }
        }
    }

    pub(super) fn mapping(&mut self, depth: usize) -> Option<Node> {
        let start = self.at;
        if !self.take('{') {
            return None;
        }
        let mut members = Vec::new();
        loop {
            self.blanks();
            if self.take('}') {
                return Some(Node::new(Span::new(start, self.at), Value::Map(members)));
            }
            self.peek()?;
            let before = self.at;
            // `["NAME"] = "value"` and `{ "NAME", "value" }` of C#.
            let bracket = self.take('[');
            let brace = !bracket && self.take('{');
            self.blanks();
            let at = self.at;
            let key = match self.peek()? {
                quote @ ('"' | '\'' | '`') => self.string(quote)?,
                _ => self.word(),
            };
            let key = Key { text: key, span: Span::new(at, self.at) };
            self.blanks();
            if bracket {
                self.take(']');
                self.blanks();
            }
            if self.take(':') || self.take('=') || brace && self.take(',') {
                self.blanks();
                let value = self.value(depth + 1);
                // Some languages put no sign between members, or another one.
                let next = self.peek().is_some_and(|c| c.is_alphabetic() || matches!(c, '"' | '\'' | ';' | '_'));
                if value.is_none() || brace || !next {
                    self.past('}');
                }
                members.extend(value.map(|value| Member { key, value }));
            } else {
                self.past('}');
            }
            if brace {
                self.take('}');
                self.blanks();
            }
            let _ = self.take(',') || self.take(';');
            if self.at == before {
                return None;
            }
        }
    }

    /// `("a", "b", …)` as names and values.
    pub(super) fn pairs(&mut self, depth: usize) -> Option<Node> {
        let start = self.at;
        let list = self.list(')', depth)?;
        let members = list.items().chunks_exact(2).filter_map(|pair| {
            let [name, value] = pair else { return None };
            Some(Member { key: Key { text: name.text()?.to_owned(), span: name.span }, value: value.clone() })
        });
        let members = members.collect();
        Some(Node::new(Span::new(start, self.at), Value::Map(members)))
    }

    /// A string in quotes; one with something put in (`${x}`, `{x}` behind an `f`) is none. Its text is what stands there.
    pub(super) fn string(&mut self, quote: char) -> Option<String> {
        let inner = self.rest().get(quote.len_utf8()..)?;
        let (mut out, mut escaped, mut length) = (String::new(), false, None);
        // The digits of a letter that is written as its number are passed.
        let mut passed = 0;
        for (at, c) in inner.char_indices() {
            match c {
                _ if at < passed => {}
                _ if escaped => {
                    let digits = match c {
                        'x' => 2,
                        'u' => 4,
                        'U' => 8,
                        _ => 0,
                    };
                    let number = inner.get(at + 1..at + 1 + digits).filter(|_| digits > 0);
                    let letter = number.and_then(|number| char::from_u32(u32::from_str_radix(number, 16).ok()?));
                    passed = if letter.is_some() { at + 1 + digits } else { 0 };
                    out.push(letter.unwrap_or(match c {
                        'n' => '\n',
                        't' => '\t',
                        other => other,
                    }));
                    escaped = false;
                }
                '\\' => escaped = true,
                '\n' if quote != '`' => return None,
                _ if c == quote => {
                    length = Some(at + c.len_utf8());
                    break;
                }
                _ => out.push(c),
            }
        }
        let interpolated = quote == '`' && out.contains("${");
        self.at += quote.len_utf8() + length?;
        (!interpolated).then_some(out)
    }
}
