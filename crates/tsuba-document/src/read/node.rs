//! The one tree all notations end in.

use crate::prelude::*;
use crate::text::{Located, Pointer, Span};

/// A value with its place.
#[derive(Clone, Debug, PartialEq)]
pub struct Node {
    /// Where it is written, with quotes or brackets.
    pub span: Span,
    /// What it is.
    pub value: Value,
    /// Which value of the document it is, where that is not told by the way to it: of what stands in a snippet or a link, or was put
    /// together from several places.
    pub at: Option<Box<Pointer>>,
}

/// The kinds of value.
#[derive(Clone, Debug, PartialEq)]
pub enum Value {
    /// Nothing: `null`, `~`, or no value at all.
    Null,
    /// True or false.
    Bool(bool),
    /// A number, a date, or any other plain scalar that is not text, as it is written.
    Number(String),
    /// A text with its escapes resolved.
    Text(String),
    /// A sequence.
    List(Vec<Node>),
    /// A mapping, in the order written; a key may occur twice.
    Map(Vec<Member>),
}

/// A key with its place.
#[derive(Clone, Debug, PartialEq)]
pub struct Key {
    /// The key with its escapes resolved.
    pub text: String,
    /// Where it is written.
    pub span: Span,
}

/// A key and its value.
#[derive(Clone, Debug, PartialEq)]
pub struct Member {
    /// The key.
    pub key: Key,
    /// The value.
    pub value: Node,
}

/// Keys of a mapping with so many members are compared with each other.
const FEW: usize = 16;

impl Node {
    /// A value at its place.
    pub fn new(span: Span, value: Value) -> Self {
        Self { span, value, at: None }
    }

    /// The same with every value in it knowing where it stands; `pointer` is that of the whole.
    #[must_use]
    pub fn placed(mut self, pointer: &Pointer) -> Self {
        match &mut self.value {
            Value::List(items) => {
                for (index, item) in items.iter_mut().enumerate() {
                    *item = core::mem::replace(item, Self::new(item.span, Value::Null)).placed(&pointer.index(index));
                }
            }
            Value::Map(members) => {
                for Member { key, value } in members {
                    *value =
                        core::mem::replace(value, Self::new(value.span, Value::Null)).placed(&pointer.key(&key.text));
                }
            }
            Value::Null | Value::Bool(_) | Value::Number(_) | Value::Text(_) => {}
        }
        self.at = Some(Box::new(pointer.clone()));
        self
    }

    /// The same, with one place for everything in it.
    pub(super) fn at_one_place(self, place: Span) -> Self {
        self.moved(&|_| place)
    }

    /// The same, with every place moved.
    pub(super) fn moved(mut self, to: &dyn Fn(Span) -> Span) -> Self {
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

    /// The members, if this is a mapping.
    pub fn members(&self) -> &[Member] {
        match &self.value {
            Value::Map(members) => members,
            _ => &[],
        }
    }

    /// The members that count: of a key that occurs twice only the last, as every parser in use has it.
    pub fn effective(&self) -> impl Iterator<Item = &Member> {
        let members = self.members();
        // Most mappings are small: looking ahead is cheaper there than a set.
        let few = members.len() <= FEW;
        let mut seen = BTreeSet::new();
        let hidden: Vec<bool> = if few {
            Vec::new()
        } else {
            let mut hidden: Vec<bool> = members.iter().rev().map(|m| !seen.insert(m.key.text.as_str())).collect();
            hidden.reverse();
            hidden
        };
        members.iter().enumerate().filter_map(move |(at, member)| {
            let again = |later: &[Member]| later.iter().any(|later| later.key.text == member.key.text);
            let is_hidden =
                if few { members.get(at + 1..).is_some_and(again) } else { hidden.get(at).copied().unwrap_or(false) };
            (!is_hidden).then_some(member)
        })
    }

    /// The value of `key`, if this is a mapping that has it; of several the last.
    pub fn get(&self, key: &str) -> Option<&Node> {
        self.members().iter().rev().find(|m| m.key.text == key).map(|m| &m.value)
    }

    /// The first of `keys` that this mapping has, with the key's name.
    pub fn first<'k>(&self, keys: &[&'k str]) -> Option<(&'k str, &Node)> {
        keys.iter().find_map(|key| self.get(key).map(|node| (*key, node)))
    }

    /// The items, if this is a sequence.
    pub fn items(&self) -> &[Node] {
        match &self.value {
            Value::List(items) => items,
            _ => &[],
        }
    }

    /// The text, if this is one.
    pub fn text(&self) -> Option<&str> {
        match &self.value {
            Value::Text(text) => Some(text),
            _ => None,
        }
    }

    /// A scalar as the text a program would be handed: text as it is, numbers and booleans as written.
    pub fn scalar(&self) -> Option<Cow<'_, str>> {
        match &self.value {
            Value::Text(text) | Value::Number(text) => Some(Cow::Borrowed(text)),
            Value::Bool(yes) => Some(Cow::Borrowed(if *yes { "true" } else { "false" })),
            Value::Null | Value::List(_) | Value::Map(_) => None,
        }
    }

    /// True or false, if this is a boolean, also when it is written as text.
    pub fn truth(&self) -> Option<bool> {
        match &self.value {
            Value::Bool(yes) => Some(*yes),
            Value::Text(text) if text == "true" => Some(true),
            Value::Text(text) if text == "false" => Some(false),
            _ => None,
        }
    }

    /// Is this a mapping?
    pub fn is_map(&self) -> bool {
        matches!(self.value, Value::Map(_))
    }

    /// Is this a sequence?
    pub fn is_list(&self) -> bool {
        matches!(self.value, Value::List(_))
    }

    /// A scalar with its place.
    pub fn located(&self, pointer: Pointer) -> Option<Located> {
        let pointer = self.at.as_ref().map_or(pointer, |at| (**at).clone());
        Some(Located { text: self.scalar()?.into_owned(), span: self.span, pointer })
    }
}
