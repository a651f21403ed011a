//! Texts for people that show configurations: Markdown, HTML, notebooks, plain text. Every fenced block that can be read as a
//! configuration, and every link that carries one, becomes a root of its own. What stands in the text to the letter keeps its exact place;
//! what had to be decoded has the place of the block or link it stands in.

use super::link::{self, Link};
use super::{Node, Notation, Reason, Unreadable, Value, json, toml, yaml};
use crate::prelude::*;
use crate::text::{Pointer, Span};

/// More blocks and links than this in one text are not looked at.
const MOST: usize = 400;
/// A longer block is no snippet.
const LONGEST: usize = 256 << 10;

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
                let lines = source.items().iter().filter_map(Node::text);
                let whole: String = source.text().into_iter().chain(lines).collect();
                found.scan(&whole, Some(source.span));
            }
        }
    } else {
        found.scan(text, None);
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
    /// Looks through a text. `all` is the place of everything in it, where it is not the document's own text.
    fn scan(&mut self, text: &str, all: Option<Span>) {
        for block in blocks(text) {
            self.looked += 1;
            if self.looked > MOST {
                return;
            }
            let Some(inner) = text.get(block.range.clone()).filter(|inner| inner.len() <= LONGEST) else { continue };
            if !block.escaped && all.is_none() && inner.contains(" mcp add") {
                let mut at = block.range.start;
                for line in joined(inner) {
                    self.roots.extend(super::pasted::added_by(line, at));
                    at += line.len();
                }
            }
            let plain = if block.escaped { html_escape::decode_html_entities(inner) } else { Cow::Borrowed(inner) };
            if !MARKS.iter().any(|mark| plain.contains(mark)) {
                continue;
            }
            let place = match (all, &plain) {
                (Some(span), _) => Err(span),
                (None, Cow::Borrowed(_)) => Ok(block.range.start),
                (None, Cow::Owned(_)) => Err(Span::new(block.range.start, block.range.end)),
            };
            match configuration(&plain) {
                Some(roots) => self.roots.extend(roots.into_iter().map(|root| match place {
                    Ok(by) => root.shifted(by),
                    Err(span) => root.at_one_place(span),
                })),
                // Documents leave things out.
                None if plain.contains("...") || plain.contains('…') => {}
                None if MISSED.iter().any(|mark| plain.contains(mark)) => {
                    self.missed.get_or_insert(all.map_or(block.range.start, |span| span.start as usize));
                }
                None => {}
            }
        }
        for Link { range, root } in link::links(text, MOST) {
            let span = all.unwrap_or_else(|| Span::new(range.start, range.end));
            self.roots.push(root.placed(&Pointer::root()).at_one_place(span));
        }
    }
}

/// A block of code.
struct Block {
    range: core::ops::Range<usize>,
    /// Is it written with HTML's entities?
    escaped: bool,
}

/// Fenced blocks (CommonMark 0.31, 4.5) and preformatted text of HTML.
fn blocks(text: &str) -> Vec<Block> {
    let mut out = Vec::new();
    let (mut at, mut open): (usize, Option<(char, usize, usize)>) = (0, None);
    for line in text.split_inclusive('\n') {
        // In a quotation or a list the fence stands behind their marks.
        let trimmed = line.trim_start_matches([' ', '\t', '>']);
        let mark = trimmed.chars().next().unwrap_or(' ');
        let length = trimmed.len() - trimmed.trim_start_matches(mark).len();
        let fence = matches!(mark, '`' | '~') && length >= 3;
        match open {
            Some((kind, least, from))
                if fence && mark == kind && length >= least && trimmed.trim_end().len() == length =>
            {
                out.push(Block { range: from..at, escaped: false });
                open = None;
            }
            None if fence => open = Some((mark, length, at + line.len())),
            _ => {}
        }
        at += line.len();
    }
    if let Some((_, _, from)) = open {
        out.push(Block { range: from..text.len(), escaped: false });
    }
    out.extend(preformatted(text));
    out
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
        out.push(Block { range, escaped: true });
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
    /// The same, read from a text that begins so far behind the document's.
    fn shifted(self, by: usize) -> Self {
        self.moved(&|span| Span::new(span.start as usize + by, span.end as usize + by))
    }

    /// The same, read from a text that was put in braces: its own braces stand nowhere in that text.
    fn unwrapped(self, length: usize) -> Self {
        let back = |at: u32| (at as usize).saturating_sub(1).min(length);
        self.moved(&|span| Span::new(back(span.start), back(span.end)))
    }

    /// The same, with one place for everything in it.
    pub(super) fn at_one_place(self, place: Span) -> Self {
        self.moved(&|_| place)
    }

    fn moved(mut self, to: &impl Fn(Span) -> Span) -> Self {
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
