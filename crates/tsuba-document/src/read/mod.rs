//! read: bytes in, typed documents out whose every value keeps its place.
//!
//! Every notation ends in the same tree ([`Node`]), so that the later stages know only one. Reading is total: whatever
//! the bytes are, the answer is a tree or an [`Unreadable`] that says why and where, within bounds.

mod adding;
mod calls;
mod constants;
mod csv;
mod decode;
mod dockerfile;
mod dotenv;
mod embedded;
mod fields;
mod guide;
mod hcl;
mod json;
mod key;
mod link;
mod literal;
mod mapped;
mod node;
mod notation;
mod objects;
mod pasted;
mod plist;
mod prose;
mod script;
mod shown;
mod starting;
mod template;
mod toml;
mod unit;
mod words;
mod yaml;

pub use guide::{instructs_by_front, instructs_by_name};
pub use node::{Key, Member, Node, Value};
pub use notation::Notation;
pub use prose::front_matter;

use crate::prelude::*;
use crate::text::{Lines, Pointer, Span};

/// Deeper nesting than this is refused: no setup needs it, and recursion over it stays far below any stack.
pub const MAX_DEPTH: usize = 128;
/// More values than this in one document are refused (a YAML alias can multiply a short text without end).
pub const MAX_NODES: usize = 1_000_000;
/// Documents longer than this (bytes) are not parsed.
pub const MAX_BYTES: usize = 32 * 1024 * 1024;

/// What is known of a file besides its bytes. `None` means not known, never a guess.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Facts {
    /// The account that owns the file.
    pub owner: Option<String>,
    /// The team that answers for it, by the configuration's globs.
    pub team: Option<String>,
    /// Who answers for it by its repository's own word. Nothing is judged by it: whoever wrote the repository says so.
    pub code_owner: Option<String>,
    /// Is it tracked by version control? A tracked secret is in every clone, for ever.
    pub tracked: Option<bool>,
    /// May accounts other than the owner read it?
    pub others_read: Option<bool>,
    /// May accounts other than the owner change it?
    pub others_write: Option<bool>,
    /// Was it handed over as evidence, rather than found among what is judged?
    pub evidence: bool,
    /// Was it handed over beside what is judged, and does not lie in that? Then what was captured of an entry that is not judged is no matter of this audit.
    pub outside_inputs: bool,
    /// Does somebody ask about it before installing what it shows?
    pub candidate: bool,
    /// Was it taken out of an archive?
    pub packed: bool,
    /// Is it in a layer of an image, and a later one removes it or has another in its place?
    pub superseded: bool,
    /// Where it was opened, as far as that is not its path.
    pub file: Option<String>,
    /// What it is wherever its tree lies and whoever looks: its repository, where that is known by its remote, and its path in there.
    pub identity: Option<String>,
    /// Its path from the register's folder, where it lies below that: from wherever an audit is called, the register calls it the same.
    pub register_path: Option<String>,
    /// Its path from the folder of the configuration, where it lies below that: the patterns of a policy are meant so.
    pub policy_path: Option<String>,
}

/// A file as the find stage hands it over.
#[derive(Clone, Debug, Default)]
pub struct Input {
    /// Its path as it will be shown.
    pub path: String,
    /// Its content.
    pub bytes: Vec<u8>,
    /// What the file system says about it.
    pub facts: Facts,
}

/// A document that was read.
#[derive(Clone, Debug)]
pub struct Document {
    /// Its path in its repository, else from the input that it lies in: the same however that was typed and wherever it lies.
    pub path: String,
    /// Facts about the file.
    pub facts: Facts,
    /// The notation it is written in.
    pub notation: Notation,
    /// Its text in UTF-8, without a byte order mark; every span counts in it.
    pub text: String,
    /// Its lines.
    pub lines: Lines,
    /// Its tree: one root, or one for each document of a YAML stream. Of a document that was understood it is dropped, since it takes many
    /// times the room of the text; [`Self::read_tree`] reads it again.
    pub roots: Vec<Node>,
    /// What its strings configure, each placed where it stands; dropped with the tree.
    pub embedded: Vec<Node>,
}

impl Document {
    /// Where it can be opened.
    pub fn file(&self) -> &str {
        self.facts.file.as_deref().unwrap_or(&self.path)
    }

    /// What it is, for everything that outlives a report.
    pub fn identity(&self) -> &str {
        self.facts.identity.as_deref().unwrap_or(&self.path)
    }

    /// Its path as the register has it.
    pub fn register_path(&self) -> &str {
        self.facts.register_path.as_deref().unwrap_or_else(|| self.identity())
    }

    /// Its path as a policy's patterns have it.
    pub fn policy_path(&self) -> &str {
        self.facts.policy_path.as_deref().unwrap_or(&self.path)
    }

    /// Reads its tree again from its text.
    pub fn read_tree(&mut self) {
        // What was read once can be read again.
        self.roots = parse(self.notation, &self.path, &self.text).unwrap_or_default();
        self.embedded = self.look_into();
    }

    /// Drops its tree.
    pub fn drop_tree(&mut self) {
        (self.roots, self.embedded) = (Vec::new(), Vec::new());
    }

    /// The roots with their pointers: a stream of several documents numbers them from 0.
    pub fn rooted(&self) -> impl Iterator<Item = (Pointer, &Node)> {
        let several = self.roots.len() > 1;
        self.roots
            .iter()
            .enumerate()
            .map(move |(index, root)| (if several { Pointer::root().index(index) } else { Pointer::root() }, root))
    }

    /// What its strings configure, with the pointers of these.
    pub fn embeds(&self) -> impl Iterator<Item = (Pointer, &Node)> {
        self.embedded.iter().map(|root| (root.at.as_deref().cloned().unwrap_or_default(), root))
    }

    fn look_into(&self) -> Vec<Node> {
        match self.notation {
            Notation::Json | Notation::Yaml | Notation::Toml | Notation::Hcl | Notation::Plist => {
                let roots: Vec<(Pointer, &Node)> = self.rooted().collect();
                embedded::embedded(&self.text, &roots)
            }
            Notation::Dockerfile | Notation::Unit => script::parse(&self.path, &self.text),
            Notation::Dotenv
            | Notation::Csv
            | Notation::Fields
            | Notation::Script
            | Notation::Prose
            | Notation::Pasted
            | Notation::Key
            | Notation::Token => Vec::new(),
        }
    }

    /// The text as written at a span.
    pub fn written(&self, span: Span) -> &str {
        self.text.get(span.range()).unwrap_or_default()
    }
}

/// Why a document could not be read, and where.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unreadable {
    /// The reason.
    pub why: Reason,
    /// Byte offset in the decoded text, where known.
    pub at: Option<usize>,
}

/// The reasons for not reading. None of them carries text of the document: a parser's own message might quote it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reason {
    /// Longer than [`MAX_BYTES`].
    TooLarge,
    /// Nested deeper than [`MAX_DEPTH`].
    TooDeep,
    /// More values than [`MAX_NODES`].
    TooMany,
    /// Neither UTF-8 nor UTF-16.
    NotText,
    /// Holds the marks of a merge that nobody has finished.
    Conflict,
    /// Not well-formed in its notation.
    Malformed(Notation),
    /// Ends in the middle of a value.
    Truncated(Notation),
}

impl core::fmt::Display for Reason {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        match self {
            Self::TooLarge => write!(f, "larger than {} MiB, not read", MAX_BYTES / (1024 * 1024)),
            Self::TooDeep => write!(f, "nested deeper than {MAX_DEPTH} levels"),
            Self::TooMany => write!(f, "more than {MAX_NODES} values"),
            Self::NotText => f.write_str("neither UTF-8 nor UTF-16"),
            Self::Conflict => f.write_str("has merge conflict markers"),
            Self::Malformed(notation) => write!(f, "not well-formed {notation}"),
            Self::Truncated(notation) => write!(f, "ends in the middle of a value ({notation})"),
        }
    }
}

/// Reads a file into a document.
///
/// # Errors
/// When the bytes are not text, not well-formed, or over a bound; the error carries the decoded text so that the place
/// can be told as line and column.
pub fn read(input: Input) -> Result<Document, Box<(Unreadable, Input)>> {
    let fail = |why, at, input| Err(Box::new((Unreadable { why, at }, input)));
    if input.bytes.len() > MAX_BYTES {
        return fail(Reason::TooLarge, None, input);
    }
    let text = match decode::decode(&input.bytes) {
        Ok(text) => text,
        Err(at) => return fail(Reason::NotText, Some(at), input),
    };
    let notation = Notation::of(&input.path, &text);
    match parse(notation, &input.path, &text) {
        Ok(roots) => {
            let lines = Lines::new(&text);
            let embedded = Vec::new();
            let mut document =
                Document { path: input.path, facts: input.facts, notation, text, lines, roots, embedded };
            document.embedded = document.look_into();
            Ok(document)
        }
        Err(unreadable) => match conflict(&text) {
            Some(at) => fail(Reason::Conflict, Some(at), input),
            None => fail(unreadable.why, unreadable.at, input),
        },
    }
}

/// Where the marks of an unfinished merge begin, as version control writes them.
fn conflict(text: &str) -> Option<usize> {
    let mark = |mark: &str, from: usize| {
        let rest = text.get(from..)?;
        if rest.starts_with(mark) { Some(from) } else { rest.find(&format!("\n{mark}")).map(|at| from + at + 1) }
    };
    let start = mark("<<<<<<< ", 0)?;
    mark(">>>>>>> ", mark("=======", start)?).map(|_| start)
}

/// Parses a text in a notation.
fn parse(notation: Notation, path: &str, text: &str) -> Result<Vec<Node>, Unreadable> {
    match notation {
        Notation::Json => json::parse(text).map(|root| vec![root]),
        Notation::Toml => toml::parse(text).map(|root| vec![root]),
        Notation::Yaml => yaml::parse(text).or_else(|unreadable| template::parse(text).ok_or(unreadable)),
        Notation::Dotenv => Ok(vec![dotenv::parse(text)]),
        Notation::Csv => csv::parse(text).map(|root| vec![root]),
        Notation::Key => Ok(vec![key::parse(text)]),
        Notation::Token => Ok(Vec::new()),
        Notation::Prose => prose::parse(path, text),
        Notation::Script => Ok(script::parse(path, text)),
        // No file is read so: see [`read_pasted`].
        Notation::Pasted => Ok(Vec::new()),
        Notation::Dockerfile => Ok(vec![dockerfile::parse(text)]),
        Notation::Unit => Ok(vec![unit::parse(text)]),
        Notation::Fields => Ok(vec![fields::parse(text)]),
        Notation::Hcl => Ok(vec![hcl::parse(text)]),
        Notation::Plist => Ok(vec![plist::parse(text)]),
    }
}

/// Reads what a person pastes: a command line, an install link, an address, a package with its version. `None` where it is none of these, and is
/// perhaps a document. Which programs start others, `is_starter` knows: their names alone are no packages'.
pub fn read_pasted(text: &str, is_starter: &dyn Fn(&str) -> bool) -> Option<Document> {
    let text: String = text.chars().take(MAX_PASTED).collect();
    let root = pasted::parse(&text, is_starter)?;
    let lines = Lines::new(&text);
    let facts = Facts::default();
    Some(Document {
        path: "candidate".to_owned(),
        facts,
        notation: Notation::Pasted,
        text,
        lines,
        roots: vec![root],
        embedded: Vec::new(),
    })
}

/// More characters are not read of what is pasted.
const MAX_PASTED: usize = 64 << 10;

/// Where an unreadable place lies, as a line from 1.
pub fn line_of(bytes: &[u8], offset: usize) -> u32 {
    let Ok(text) = decode::decode(bytes) else {
        let before = bytes.get(..offset.min(bytes.len())).unwrap_or_default();
        return u32::try_from(before.iter().filter(|b| **b == b'\n').count() + 1).unwrap_or(u32::MAX);
    };
    Lines::new(&text).position(&text, offset).line
}

#[cfg(test)]
mod tests;
