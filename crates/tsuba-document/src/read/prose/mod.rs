//! Texts for people that show configurations: Markdown, HTML, notebooks, plain text. Every fenced block that can be read as a
//! configuration, and every link that carries one, becomes a root of its own. Everything in a block keeps its exact place, also behind the
//! escapes of a notebook or of HTML; what a link carries has the place of the link.

mod html;
mod markdown;
mod plain;

use super::link::{self, Link};
use super::mapped::Mapped;
use super::words::{Dialect, whole, words};
use super::{Node, Notation, Reason, Unreadable, adding, calls, json, objects, script, toml, yaml};
use crate::prelude::*;
use crate::text::{Pointer, Span};
use core::ops::Range;

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

/// Reads a text: what its front matter says comes first.
pub(super) fn parse(path: &str, text: &str) -> Result<Vec<Node>, Unreadable> {
    let mut found = Found::default();
    let form = Form::of(path, text);
    if form == Form::Notebook {
        let root = json::parse(text)?;
        for cell in root.get("cells").map(Node::items).unwrap_or_default() {
            if let Some(source) = cell.get("source") {
                let is_code = cell.get("cell_type").and_then(Node::text) == Some("code");
                found.cell(source, text, is_code);
            }
        }
    } else {
        found.scan(text, form, &|span| span);
    }
    match (found.roots.is_empty(), found.missed) {
        (true, Some(at)) => Err(Unreadable { why: Reason::Malformed(Notation::Prose), at: Some(at) }),
        _ => Ok(found.roots),
    }
}

/// What stands in front of a text of Markdown, where that is a mapping: settings of what the text is for, rather than something it shows.
pub fn front_matter(text: &str) -> Option<Node> {
    let block = markdown::front(text)?;
    let root = yaml::parse(&block.mapped.text).ok()?.into_iter().next()?;
    root.is_map().then(|| root.moved(&|span| block.mapped.place(span)))
}

/// How a text for people is marked up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Form {
    Markdown,
    Html,
    Notebook,
    /// By indentation and lines of signs.
    Plain,
}

impl Form {
    fn of(path: &str, text: &str) -> Self {
        let lower = path.to_ascii_lowercase();
        match lower.rsplit_once('.').map(|(_, ending)| ending) {
            Some("ipynb") => Self::Notebook,
            Some("htm" | "html") => Self::Html,
            Some("rst" | "adoc" | "txt" | "log" | "har" | "jsonl" | "ndjson") => Self::Plain,
            Some("md" | "markdown" | "mdc" | "mdx") => Self::Markdown,
            _ => {
                let start = crate::text::head(text.trim_start(), 32).to_ascii_lowercase();
                if start.starts_with("<!doctype") || start.starts_with("<html") { Self::Html } else { Self::Markdown }
            }
        }
    }
}

/// A block of code, as its own text with the places of its parts.
struct Block {
    mapped: Mapped,
    /// Where it stands, with everything that marks it.
    range: Range<usize>,
    /// What stands behind a fence: the name of a language.
    info: String,
    /// Is it part of a sentence?
    inline: bool,
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
    fn cell(&mut self, source: &Node, text: &str, is_code: bool) {
        let mut mapped = Mapped::default();
        let whole = core::slice::from_ref(source);
        let lines = if source.is_list() { source.items() } else { whole };
        for line in lines.iter().filter(|line| line.text().is_some()) {
            let written = text.get(line.span.range()).unwrap_or_default();
            if !mapped.push_json(written, line.span.start as usize) {
                return;
            }
        }
        let place = |span| mapped.place(span);
        match is_code {
            // Most notebooks are written in one language.
            true => {
                self.roots.extend(script::parse("cell.py", &mapped.text).into_iter().map(|root| root.moved(&place)))
            }
            false => self.scan(&mapped.text, Form::Markdown, &place),
        }
    }

    /// Looks through a text. `place` tells where in the document a part of it is written.
    fn scan(&mut self, text: &str, form: Form, place: &dyn Fn(Span) -> Span) {
        if form == Form::Markdown
            && let Some(root) = front_matter(text)
        {
            self.roots.push(root.moved(place));
        }
        let mut blocks = match form {
            Form::Markdown | Form::Notebook => markdown::blocks(text),
            Form::Html => html::blocks(text),
            Form::Plain => plain::blocks(text),
        };
        blocks.truncate(MAX_BLOCKS.saturating_sub(self.looked));
        self.looked += blocks.len();
        let mut added = Vec::new();
        for block in blocks.iter().filter(|block| block.mapped.text.len() <= MAX_BLOCK_BYTES) {
            self.block(block, place, &mut added);
        }
        self.loose(text, &blocks, place, &mut added);
        self.roots.append(&mut added);
        for Link { range, root } in link::links(text, MAX_BLOCKS) {
            let span = place(Span::new(range.start, range.end));
            self.roots.push(root.placed(&Pointer::root()).at_one_place(span));
        }
    }

    /// Reads a block: what its lines add, and what it configures.
    fn block(&mut self, block: &Block, place: &dyn Fn(Span) -> Span, added: &mut Vec<Node>) {
        let text = &block.mapped.text;
        let within = |span: Span| place(block.mapped.place(span));
        if adding::WORDS.iter().any(|word| text.contains(word)) {
            let lines = match block.inline {
                true => plain_lines(text),
                false => script::lines(text, Dialect::named(&language(&block.info))),
            };
            added.extend(lines.into_iter().map(|root| root.moved(&within)));
        }
        if is_code(&block.info) && calls::WORDS.iter().any(|word| text.contains(word)) {
            let servers = script::together(calls::calls(text, MAX_BLOCKS));
            self.roots.extend(servers.into_iter().map(|root| root.moved(&within)));
        }
        if !MARKS.iter().any(|mark| text.contains(mark)) {
            return;
        }
        if let Some(roots) = configuration(text) {
            return self.roots.extend(roots.into_iter().map(|root| root.moved(&within)));
        }
        let before = self.roots.len();
        if objects::may_hold(text) {
            let objects = objects::objects(text, MAX_BLOCKS).into_iter();
            self.roots.extend(objects.map(|object| object.root.moved(&within)));
        }
        // Documents leave things out, and programs make configurations.
        let partial = is_code(&block.info) || block.inline || text.contains("...") || text.contains('…');
        if self.roots.len() == before && !partial && MISSED.iter().any(|mark| text.contains(mark)) {
            self.missed.get_or_insert(within(Span::default()).start as usize);
        }
    }

    /// Reads what stands outside of all blocks: a line that says in so many words what it adds, a configuration without any mark around it.
    fn loose(&mut self, text: &str, blocks: &[Block], place: &dyn Fn(Span) -> Span, added: &mut Vec<Node>) {
        let outside = |at: usize| !blocks.iter().any(|block| block.range.contains(&at));
        let mut lines = plain_lines(text);
        lines.retain(|root| outside(root.span.start as usize));
        added.extend(lines.into_iter().map(|root| root.moved(place)));
        if objects::may_hold(text) {
            let objects = objects::objects(text, MAX_BLOCKS).into_iter().filter(|object| outside(object.range.start));
            self.roots.extend(objects.map(|object| object.root.moved(place)));
        }
    }
}

/// What the lines of a text for people add that say it in so many words.
fn plain_lines(text: &str) -> Vec<Node> {
    let mut out = Vec::new();
    for (line, at) in script::joined(text, Dialect::Posix) {
        if out.len() >= MAX_BLOCKS || !adding::WORDS.iter().any(|word| line.contains(word)) {
            continue;
        }
        let bare = line.trim_start().trim_start_matches(['$', '%', '>', '-', '*', ' ']);
        let words = words(bare.trim_end(), at + (line.len() - bare.len()));
        if let Some(whole) = whole(&words).filter(|_| adding::is_plain(&words)) {
            out.extend(adding::added(&words, whole));
        }
    }
    out
}

/// Names of notations of data, as they stand behind a fence.
const DATA: &[&str] = &["json", "jsonc", "json5", "yaml", "yml", "toml", "text", "txt", "plaintext", "config", "conf"];

/// The language that stands behind a fence.
fn language(info: &str) -> String {
    let word =
        info.trim().split(|c: char| !(c.is_ascii_alphanumeric() || c == '+' || c == '#')).next().unwrap_or_default();
    word.to_ascii_lowercase()
}

/// Does what stands behind a fence name a program's language?
fn is_code(info: &str) -> bool {
    let language = language(info);
    !language.is_empty() && !DATA.contains(&language.as_str()) || info.trim().starts_with('{')
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
}
