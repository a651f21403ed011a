//! Texts for people that show configurations: Markdown, HTML, notebooks, plain text. Every fenced block that can be read as a
//! configuration, and every link that carries one, becomes a root of its own. Everything in a block keeps its exact place, also behind the
//! escapes of a notebook or of HTML; what a link carries has the place of the link.

use super::link::{self, Link};
use super::mapped::Mapped;
use super::{Node, Notation, Reason, Unreadable, Value, json, toml, yaml};
use crate::prelude::*;
use crate::text::{Pointer, Span};

/// More blocks and links than this in one text are not looked at.
const MAX_BLOCKS: usize = 400;
/// A longer block is no snippet.
const MAX_BLOCK_BYTES: usize = 256 << 10;

/// Words without which a block configures no server.
const MARKS: &[&str] = &[
    "mcpServers",
    "mcp_servers",
    "mcp-servers",
    "context_servers",
    "\"servers\"",
    "servers:",
    "\"mcp\"",
    "command",
    "url",
];
/// Words by which one that cannot be read is missed.
const MISSED: &[&str] = &["mcpServers", "mcp_servers", "context_servers"];

/// Reads a text; `notebook` where it is one.
pub(super) fn parse(path: &str, text: &str) -> Result<Vec<Node>, Unreadable> {
    let mut found = Found::default();
    if path.to_ascii_lowercase().ends_with(".ipynb") {
        let root = json::parse(text)?;
        for cell in root.get("cells").map(Node::items).unwrap_or_default() {
            if let Some(source) = cell.get("source") {
                found.cell(source, text);
            }
        }
    } else {
        found.scan(text, &|span| span);
    }
    match (found.roots.is_empty(), found.missed) {
        (true, Some(at)) => Err(Unreadable { why: Reason::Malformed(Notation::Prose), at: Some(at) }),
        _ => Ok(found.roots),
    }
}

#[derive(Default)]
struct Found {
    roots: Vec<Node>,
    /// Where a block begins that configures servers and cannot be read.
    missed: Option<usize>,
    looked: usize,
}

impl Found {
    /// Looks through a cell of a notebook: one string, or one for each line.
    fn cell(&mut self, source: &Node, text: &str) {
        let mut mapped = Mapped::default();
        let whole = core::slice::from_ref(source);
        let lines = if source.is_list() { source.items() } else { whole };
        for line in lines.iter().filter(|line| line.text().is_some()) {
            let written = text.get(line.span.range()).unwrap_or_default();
            if !mapped.push_json(written, line.span.start as usize) {
                return;
            }
        }
        let Mapped { text, .. } = &mapped;
        self.scan(text, &|span| mapped.place(span));
    }

    /// Looks through a text. `place` tells where in the document a part of it is written.
    fn scan(&mut self, text: &str, place: &dyn Fn(Span) -> Span) {
        for block in blocks(text) {
            self.looked += 1;
            if self.looked > MAX_BLOCKS {
                return;
            }
            let Some(inner) = text.get(block.range.clone()).filter(|inner| inner.len() <= MAX_BLOCK_BYTES) else {
                continue;
            };
            if !block.escaped && inner.contains(" mcp add") {
                let mut at = block.range.start;
                for line in joined(inner) {
                    self.roots.extend(super::pasted::added_by(line, at).map(|root| root.moved(place)));
                    at += line.len();
                }
            }
            if block.escaped {
                let mapped = Mapped::of_html(inner, block.range.start);
                self.block(&mapped.text, block.code, &|span| place(mapped.place(span)));
            } else if block.quoted > 0 {
                let mapped = Mapped::unquoted(inner, block.range.start, block.quoted);
                self.block(&mapped.text, block.code, &|span| place(mapped.place(span)));
            } else {
                let shifted = |span: Span| {
                    let by = block.range.start;
                    place(Span::new(span.start as usize + by, span.end as usize + by))
                };
                self.block(inner, block.code, &shifted);
            }
        }
        for Link { range, root } in link::links(text, MAX_BLOCKS) {
            let span = place(Span::new(range.start, range.end));
            self.roots.push(root.placed(&Pointer::root()).at_one_place(span));
        }
    }

    /// Reads a block as a configuration, where it is one. A program that makes one (`code`) is none.
    fn block(&mut self, text: &str, code: bool, place: &dyn Fn(Span) -> Span) {
        if !MARKS.iter().any(|mark| text.contains(mark)) {
            return;
        }
        match configuration(text) {
            Some(roots) => self.roots.extend(roots.into_iter().map(|root| root.moved(place))),
            // Documents leave things out.
            None if code || text.contains("...") || text.contains('…') => {}
            None if MISSED.iter().any(|mark| text.contains(mark)) => {
                self.missed.get_or_insert(place(Span::default()).start as usize);
            }
            None => {}
        }
    }
}

/// A block of code.
struct Block {
    range: core::ops::Range<usize>,
    /// Is it written with HTML's entities?
    escaped: bool,
    /// Does it say that it is a program's text?
    code: bool,
    /// Of how many quotations it is part: so many marks stand before each of its lines (CommonMark 0.31, 5.1).
    quoted: usize,
}

/// Names of notations of data, as they stand behind a fence.
const DATA: &[&str] = &["json", "jsonc", "json5", "yaml", "yml", "toml", "text", "txt", "plaintext", "config", "conf"];

/// Does what stands behind a fence name a program's language?
fn is_code(info: &str) -> bool {
    let word =
        info.trim().split(|c: char| !(c.is_ascii_alphanumeric() || c == '+' || c == '#')).next().unwrap_or_default();
    !word.is_empty() && !DATA.contains(&word.to_ascii_lowercase().as_str())
}

/// Fenced blocks (CommonMark 0.31, 4.5) and preformatted text of HTML.
fn blocks(text: &str) -> Vec<Block> {
    let mut out = Vec::new();
    let (mut at, mut open): (usize, Option<(char, usize, Block)>) = (0, None);
    for line in text.split_inclusive('\n') {
        // In a quotation or a list the fence stands behind their marks.
        let trimmed = line.trim_start_matches([' ', '\t', '>']);
        let quoted = line.len() - trimmed.len();
        let quoted = line.get(..quoted).unwrap_or_default().matches('>').count();
        let trimmed = if open.is_none() { behind_item(trimmed) } else { trimmed };
        let mark = trimmed.chars().next().unwrap_or(' ');
        let length = trimmed.len() - trimmed.trim_start_matches(mark).len();
        let fence = matches!(mark, '`' | '~') && length >= 3;
        match &mut open {
            Some((kind, least, block)) => {
                block.range.end = at;
                if fence && mark == *kind && length >= *least && trimmed.trim_end().len() == length {
                    out.extend(open.take().map(|(.., block)| block));
                }
            }
            None if fence => {
                let code = is_code(trimmed.trim_start_matches(mark));
                let range = at + line.len()..text.len();
                open = Some((mark, length, Block { range, escaped: false, code, quoted }));
            }
            None => {}
        }
        at += line.len();
    }
    out.extend(open.map(|(.., block)| Block { range: block.range.start..text.len(), ..block }));
    out.extend(preformatted(text));
    out
}

/// A line behind the mark of a list's item (`- `, `1. `), where it has one.
fn behind_item(line: &str) -> &str {
    let bare = line.trim_start_matches(|c: char| c.is_ascii_digit());
    let marks: &[char] = if bare.len() < line.len() { &['.', ')'] } else { &['-', '*', '+'] };
    bare.strip_prefix(marks).and_then(|rest| rest.strip_prefix(' ')).map_or(line, str::trim_start)
}

/// The lines of a shell block; one that ends in `\\` goes on.
fn joined(text: &str) -> Vec<&str> {
    let (mut out, mut from, mut at) = (Vec::new(), 0, 0);
    for line in text.split_inclusive('\n') {
        at += line.len();
        if !line.trim_end().ends_with('\\') {
            out.extend(text.get(from..at));
            from = at;
        }
    }
    out.extend(text.get(from..).filter(|rest| !rest.is_empty()));
    out
}

fn preformatted(text: &str) -> Vec<Block> {
    let lower = text.to_ascii_lowercase();
    let (mut out, mut at) = (Vec::new(), 0);
    while let Some(open) = lower.get(at..).and_then(|rest| rest.find("<pre")).map(|n| at + n) {
        let Some(start) = lower.get(open..).and_then(|rest| rest.find('>')).map(|n| open + n + 1) else { break };
        let end = lower.get(start..).and_then(|rest| rest.find("</pre")).map_or(text.len(), |n| start + n);
        // Colours are written with elements of their own around the words.
        let inner = text.get(start..end).unwrap_or_default();
        let code = inner.trim_start();
        let lead = inner.len() - code.len();
        let skip = if code.to_ascii_lowercase().starts_with("<code") { code.find('>').map_or(0, |n| n + 1) } else { 0 };
        let tail = inner.to_ascii_lowercase().rfind("</code").unwrap_or(inner.len());
        let range = (start + lead + skip).min(start + tail)..start + tail;
        out.push(Block { range, escaped: true, code: false, quoted: 0 });
        at = end.max(open + 4);
    }
    out
}

/// A text as the roots of a configuration, in whichever notation it is one.
fn configuration(text: &str) -> Option<Vec<Node>> {
    let maps = |roots: Vec<Node>| Some(roots).filter(|roots| roots.iter().any(|root| !root.members().is_empty()));
    let first = text.trim_start();
    if first.starts_with('{') {
        return json::parse(text).ok().and_then(|root| maps(vec![root]));
    }
    // A member without the braces around it, as documents show where to put it.
    if first.starts_with('"') {
        let wrapped = format!("{{{text}}}");
        return json::parse(&wrapped).ok().and_then(|root| maps(vec![root.unwrapped(text.len())]));
    }
    match Notation::of("snippet", text) {
        Notation::Toml => toml::parse(text).ok().and_then(|root| maps(vec![root])),
        Notation::Yaml => yaml::parse(text).ok().and_then(maps),
        _ => None,
    }
}

impl Node {
    /// The same, read from a text that was put in braces: its own braces stand nowhere in that text.
    fn unwrapped(self, length: usize) -> Self {
        let back = |at: u32| (at as usize).saturating_sub(1).min(length);
        self.moved(&|span| Span::new(back(span.start), back(span.end)))
    }

    /// The same, with one place for everything in it.
    pub(super) fn at_one_place(self, place: Span) -> Self {
        self.moved(&|_| place)
    }

    fn moved(mut self, to: &dyn Fn(Span) -> Span) -> Self {
        self.span = to(self.span);
        self.value = match self.value {
            Value::List(items) => Value::List(items.into_iter().map(|item| item.moved(to)).collect()),
            Value::Map(mut members) => {
                for member in &mut members {
                    member.key.span = to(member.key.span);
                    let value = core::mem::replace(&mut member.value, Self::new(Span::default(), Value::Null));
                    member.value = value.moved(to);
                }
                Value::Map(members)
            }
            other => other,
        };
        self
    }
}
