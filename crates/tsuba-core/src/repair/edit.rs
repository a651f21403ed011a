//! One change of a text: a value written anew in the notation it stands in, or an item taken out of its list.

use crate::judge::{Fix, Prompt, rewritten};
use crate::prelude::*;
use crate::read::{Document, Node, Notation, Value};
use crate::text::Span;
use core::ops::Range;

/// A change of a text: what stands in a range is written anew.
pub(super) type Edit = (Range<usize>, String);

/// The changes that one repair needs; `None` where it cannot be made without touching something else.
pub(super) fn edits(document: &Document, at: Span, repair: &Fix) -> Option<Vec<Edit>> {
    let value = |text: &str| Some((at.range(), rewritten(document.notation, document.written(at), text)?));
    Some(match repair {
        Fix::Write(text) => vec![value(text)?],
        Fix::Remove => vec![(without(document, at)?, String::new())],
        Fix::Prompt(prompt) => {
            let mut edits = vec![value(&format!("${{input:{}}}", prompt.id))?];
            edits.extend(asked(document, prompt)?);
            edits
        }
    })
}

/// Changes that can be made in one step, in the order of their places.
#[derive(Default)]
pub(super) struct Batch(BTreeMap<(usize, usize), Vec<String>>);

impl Batch {
    /// Takes in the changes of one more repair; false where one of them meets another.
    pub(super) fn take(&mut self, edits: &[Edit]) -> bool {
        let meets = |(range, _): &Edit| {
            let overlaps =
                |((start, end), _): (&(usize, usize), &Vec<String>)| *start < range.end && range.start < *end;
            // Those that are there do not meet each other: only the nearest can meet this one.
            let before = self.0.range(..=(range.start, usize::MAX)).next_back();
            let after = self.0.range((range.start, 0)..).next();
            before.is_some_and(overlaps) || after.is_some_and(overlaps)
        };
        if edits.iter().any(meets) {
            return false;
        }
        for (range, new) in edits {
            // What is put in at one place may be several things, each once.
            let there = self.0.entry((range.start, range.end)).or_default();
            if !there.contains(new) {
                there.push(new.clone());
            }
        }
        true
    }

    /// The text with all of them.
    pub(super) fn applied(&self, text: &str) -> Option<String> {
        let (mut out, mut at) = (String::with_capacity(text.len()), 0);
        for ((start, end), new) in &self.0 {
            out.push_str(text.get(at..*start)?);
            new.iter().for_each(|new| out.push_str(new));
            at = *end;
        }
        out.push_str(text.get(at..)?);
        Some(out)
    }
}

/// A prompt behind the last of the document's inputs, laid out like that one; nothing where it asks for this already, `None` where there is no
/// place for it.
fn asked(document: &Document, prompt: &Prompt) -> Option<Option<Edit>> {
    if document.notation != Notation::Json {
        return None;
    }
    let inputs = document.roots.iter().find_map(|root| inputs_of(root, 0))?;
    let id = |item: &Node| item.get("id").and_then(Node::text).map(str::to_owned);
    if inputs.items().iter().any(|item| id(item).as_ref() == Some(&prompt.id)) {
        return Some(None);
    }
    let last = inputs.items().last()?.span;
    let before = document.text.get(inputs.span.start as usize..last.start as usize)?;
    let space = before.len() - before.trim_end().len();
    let layout = before.get(before.len() - space..)?;
    let quoted = |text: &str| serde_json::to_string(text).ok();
    let (id, description) = (quoted(&prompt.id)?, quoted(&prompt.description)?);
    let item =
        format!("{{ \"type\": \"promptString\", \"id\": {id}, \"description\": {description}, \"password\": true }}");
    let end = last.end as usize;
    Some(Some((end..end, format!(",{layout}{item}"))))
}

/// The list of inputs that has prompts.
fn inputs_of(node: &Node, depth: usize) -> Option<&Node> {
    let prompts = |list: &&Node| list.items().iter().any(|item| item.get("id").is_some());
    let own = node.get("inputs").filter(prompts);
    let below = || node.members().iter().find_map(|member| inputs_of(&member.value, depth + 1));
    own.or_else(|| if depth < 8 { below() } else { None })
}

/// The place of an item with what separates it from its neighbours.
fn without(document: &Document, at: Span) -> Option<Range<usize>> {
    let (list, index) = document.roots.iter().find_map(|root| list_of(root, at))?;
    let items = list.items();
    let item = items.get(index)?.span.range();
    let text = document.text.as_str();
    let block = document.notation == Notation::Yaml && !text.get(list.span.range())?.starts_with('[');
    if block {
        // A line with nothing else on it, and not the only one: an empty list is written otherwise.
        let start = text.get(..item.start)?.rfind('\n').map_or(0, |line| line + 1);
        let end = text.get(item.end..)?.find('\n').map(|line| item.end + line + 1)?;
        let alone = text.get(start..item.start)?.trim() == "-" && text.get(item.end..end)?.trim().is_empty();
        return (alone && items.len() > 1).then_some(start..end);
    }
    let blank = |from: usize, to: usize| text.get(from..to).is_some_and(|between| between.trim().is_empty());
    match items.get(index + 1) {
        // Up to the next item, where only a comma and white space lie between.
        Some(next) => {
            let comma = item.end + text.get(item.end..next.span.start as usize)?.find(',')?;
            let clean = blank(item.end, comma) && blank(comma + 1, next.span.start as usize);
            clean.then_some(item.start..next.span.start as usize)
        }
        // From the item before, likewise; a comma behind the last one stays and then follows that.
        None => match index.checked_sub(1).and_then(|before| items.get(before)) {
            Some(before) => {
                let end = before.span.end as usize;
                let comma = end + text.get(end..item.start)?.find(',')?;
                (blank(end, comma) && blank(comma + 1, item.start)).then_some(end..item.end)
            }
            None => {
                // The only item, with the comma that may follow it.
                let close = list.span.end as usize - 1;
                let rest = text.get(item.end..close)?;
                let behind = rest.trim_start();
                let comma = behind.starts_with(',').then(|| item.end + (rest.len() - behind.len()) + 1);
                let end = comma.unwrap_or(item.end);
                blank(end, close).then_some(item.start..end)
            }
        },
    }
}

/// The list that holds an item at this place, and which item it is.
fn list_of(node: &Node, at: Span) -> Option<(&Node, usize)> {
    if !at.within(node.span) {
        return None;
    }
    match &node.value {
        Value::List(items) => {
            let own = items.iter().position(|item| item.span == at);
            own.map(|index| (node, index)).or_else(|| items.iter().find_map(|item| list_of(item, at)))
        }
        Value::Map(members) => members.iter().find_map(|member| list_of(&member.value, at)),
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::Text(_) => None,
    }
}
