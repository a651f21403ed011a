//! YAML: anchors, aliases, merge keys, several documents in one stream.

use super::{Key, MAX_DEPTH, MAX_NODES, Member, Node, Notation, Reason, Unreadable, Value};
use crate::prelude::*;
use crate::text::Span;
use saphyr_parser::{Event, Parser, ScalarStyle, Span as Mark, Tag};

/// Parses a stream into its documents.
pub(super) fn parse(text: &str) -> Result<Vec<Node>, Unreadable> {
    let mut builder = Builder {
        text,
        offsets: Offsets::new(text),
        open: Vec::new(),
        anchors: BTreeMap::new(),
        done: Vec::new(),
        nodes: 0,
    };
    for event in Parser::new_from_str(text) {
        let (event, mark) = event.map_err(|error| {
            let at = builder.offsets.byte(error.marker().index());
            let ended = at >= text.trim_end().len();
            let why = if error.info().contains("recursion limit") {
                Reason::TooDeep
            } else if ended {
                Reason::Truncated(Notation::Yaml)
            } else {
                Reason::Malformed(Notation::Yaml)
            };
            Unreadable { why, at: Some(at) }
        })?;
        builder.take(event, mark)?;
    }
    Ok(builder.done)
}

/// Turns the parser's character indexes into byte offsets.
enum Offsets {
    Ascii,
    /// Byte offset of every 64th character, and the text to count on from there.
    Sparse(Vec<u32>, String),
}

impl Offsets {
    const STEP: usize = 64;

    fn new(text: &str) -> Self {
        if text.is_ascii() {
            return Self::Ascii;
        }
        let marks =
            text.char_indices().step_by(Self::STEP).map(|(at, _)| u32::try_from(at).unwrap_or(u32::MAX)).collect();
        Self::Sparse(marks, text.to_owned())
    }

    fn byte(&self, index: usize) -> usize {
        match self {
            Self::Ascii => index,
            Self::Sparse(marks, text) => {
                let Some(start) = marks.get(index / Self::STEP).map(|s| *s as usize) else { return text.len() };
                let rest = text.get(start..).unwrap_or_default();
                rest.char_indices().nth(index % Self::STEP).map_or(text.len(), |(at, _)| start + at)
            }
        }
    }
}

/// A collection that is being filled.
struct Open {
    anchor: usize,
    start: usize,
    kind: Kind,
}

enum Kind {
    List(Vec<Node>),
    Map { members: Vec<Member>, key: Option<Key> },
}

struct Builder<'t> {
    text: &'t str,
    offsets: Offsets,
    open: Vec<Open>,
    /// Finished anchored nodes and how many values each holds.
    anchors: BTreeMap<usize, (Node, usize)>,
    done: Vec<Node>,
    nodes: usize,
}

impl Builder<'_> {
    fn take(&mut self, event: Event<'_>, mark: Mark) -> Result<(), Unreadable> {
        let start = self.offsets.byte(mark.start.index());
        match event {
            Event::Scalar(text, style, anchor, tag) => {
                let end = self.offsets.byte(mark.end.index());
                // The parser ends a quoted scalar where the next token begins, behind a comment.
                let span = Span::new(start, quoted_end(self.text, start, style).map_or(end, |quoted| quoted.min(end)));
                self.finish(Node::new(span, scalar(&text, style, tag.as_deref())), anchor, 1, start)
            }
            Event::SequenceStart(anchor, _) => self.begin(Kind::List(Vec::new()), anchor, start),
            Event::MappingStart(anchor, _) => self.begin(Kind::Map { members: Vec::new(), key: None }, anchor, start),
            Event::SequenceEnd | Event::MappingEnd => {
                let Some(open) = self.open.pop() else { return Ok(()) };
                let value = match open.kind {
                    Kind::List(items) => Value::List(items),
                    Kind::Map { members, .. } => Value::Map(merged(members)),
                };
                let end = self.offsets.byte(mark.end.index()).max(open.start);
                let node = Node::new(Span::new(open.start, end), value);
                let size = if open.anchor > 0 { size(&node) } else { 1 };
                self.finish(node, open.anchor, size, start)
            }
            Event::Alias(anchor) => {
                // An alias inside its own anchor has no finished node: it is nothing, as there is no tree for it.
                let (node, size) =
                    self.anchors.get(&anchor).cloned().unwrap_or((Node::new(Span::new(start, start), Value::Null), 1));
                self.finish(node, 0, size, start)
            }
            Event::Nothing | Event::StreamStart | Event::StreamEnd | Event::DocumentStart(_) | Event::DocumentEnd => {
                Ok(())
            }
        }
    }

    fn begin(&mut self, kind: Kind, anchor: usize, start: usize) -> Result<(), Unreadable> {
        if self.open.len() >= MAX_DEPTH {
            return Err(Unreadable { why: Reason::TooDeep, at: Some(start) });
        }
        self.open.push(Open { anchor, start, kind });
        Ok(())
    }

    fn finish(&mut self, node: Node, anchor: usize, size: usize, at: usize) -> Result<(), Unreadable> {
        self.nodes += size;
        if self.nodes > MAX_NODES {
            return Err(Unreadable { why: Reason::TooMany, at: Some(at) });
        }
        if self.open.len() + depth_if_large(&node, size) > MAX_DEPTH {
            return Err(Unreadable { why: Reason::TooDeep, at: Some(at) });
        }
        if anchor > 0 {
            self.anchors.insert(anchor, (node.clone(), size));
        }
        match self.open.last_mut().map(|open| &mut open.kind) {
            None => self.done.push(node),
            Some(Kind::List(items)) => items.push(node),
            Some(Kind::Map { members, key }) => match key.take() {
                // A key that is no scalar cannot name anything we look for.
                None => {
                    *key = Some(Key { text: node.scalar().map(Cow::into_owned).unwrap_or_default(), span: node.span })
                }
                Some(key) => members.push(Member { key, value: node }),
            },
        }
        Ok(())
    }
}

/// One past the closing quote of a quoted scalar (YAML 1.2, 7.3).
fn quoted_end(text: &str, start: usize, style: ScalarStyle) -> Option<usize> {
    let quote = match style {
        ScalarStyle::SingleQuoted => b'\'',
        ScalarStyle::DoubleQuoted => b'"',
        ScalarStyle::Plain | ScalarStyle::Literal | ScalarStyle::Folded => return None,
    };
    let bytes = text.as_bytes();
    let mut at = start + 1;
    while let Some(byte) = bytes.get(at) {
        match *byte {
            b'\\' if quote == b'"' => at += 1,
            byte if byte == quote && quote == b'\'' && bytes.get(at + 1) == Some(&quote) => at += 1,
            byte if byte == quote => return Some(at + 1),
            _ => {}
        }
        at += 1;
    }
    None
}

/// How many values a node holds.
fn size(node: &Node) -> usize {
    1 + match &node.value {
        Value::List(items) => items.iter().map(size).sum(),
        Value::Map(members) => members.iter().map(|member| 1 + size(&member.value)).sum(),
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::Text(_) => 0,
    }
}

/// The depth of a node; aliases can stack finished nodes, so that the parser's own depth says too little.
fn depth_if_large(node: &Node, size: usize) -> usize {
    if size < MAX_DEPTH { 0 } else { depth(node) }
}

fn depth(node: &Node) -> usize {
    match &node.value {
        Value::List(items) => 1 + items.iter().map(depth).max().unwrap_or(0),
        Value::Map(members) => 1 + members.iter().map(|member| depth(&member.value)).max().unwrap_or(0),
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::Text(_) => 0,
    }
}

/// A scalar by YAML's core schema: only a plain one can be anything but text.
fn scalar(text: &str, style: ScalarStyle, tag: Option<&Tag>) -> Value {
    if style != ScalarStyle::Plain || tag.is_some() {
        // A tag of an application (`!secret name`) keeps its text: the value is what the application looks up.
        return match tag {
            Some(tag) if !tag.is_yaml_core_schema() => Value::Text(format!("{}{} {text}", tag.handle, tag.suffix)),
            _ => Value::Text(text.to_owned()),
        };
    }
    match text {
        "" | "~" | "null" | "Null" | "NULL" => Value::Null,
        "true" | "True" | "TRUE" => Value::Bool(true),
        "false" | "False" | "FALSE" => Value::Bool(false),
        number if number.parse::<f64>().is_ok() && number.contains(|c: char| c.is_ascii_digit()) => {
            Value::Number(number.to_owned())
        }
        other => Value::Text(other.to_owned()),
    }
}

/// Resolves merge keys (`<<: *base`): merged members come first, so that the mapping's own ones count.
fn merged(members: Vec<Member>) -> Vec<Member> {
    if !members.iter().any(|member| member.key.text == "<<") {
        return members;
    }
    let (mut base, mut own) = (Vec::new(), Vec::new());
    for member in members {
        if member.key.text != "<<" {
            own.push(member);
            continue;
        }
        match member.value.value {
            Value::Map(inherited) => base.extend(inherited),
            // Of several bases the first counts (YAML merge key, 1.1), so they are laid down in reverse.
            Value::List(bases) => base.extend(bases.into_iter().rev().flat_map(|node| match node.value {
                Value::Map(inherited) => inherited,
                _ => Vec::new(),
            })),
            Value::Null | Value::Bool(_) | Value::Number(_) | Value::Text(_) => {}
        }
    }
    // An inherited member that is set again is no duplicate: it is what merging is for.
    base.retain(|inherited| !own.iter().any(|member| member.key.text == inherited.key.text));
    base.extend(own);
    base
}
