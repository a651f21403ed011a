//! What weighing is about: passages of sentences, where they stand, and the acts found in them.

use super::concept::Set;
use super::sentence::Hit;
use super::{Class, Strength};
use crate::prelude::*;
use core::ops::Range;

/// An act found in a text.
#[derive(Clone, Debug)]
pub(super) struct Match {
    pub(super) class: Class,
    pub(super) strength: Strength,
    /// The score, in hundredths.
    pub(super) score: i32,
    /// The bytes of the sentences in the folded text.
    pub(super) range: Range<usize>,
    /// The words that decided, in the folded text, by place.
    pub(super) words: Vec<Range<usize>>,
}

/// What is known of the place a text stands in.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Setting {
    /// Is it a parameter's text?
    pub(super) parameter: bool,
    /// Is that parameter named for a secret?
    pub(super) named_secret: bool,
    /// Is it the description of a tool, whose first sentence says what the tool is there for?
    pub(super) describes: bool,
    /// Is it hidden from a person? Then nothing in it is a plain account.
    pub(super) hidden: bool,
}

/// A passage of one or two sentences.
pub(super) struct Passage<'s> {
    pub(super) hits: &'s [Hit],
    pub(super) set: Set,
    pub(super) range: Range<usize>,
    /// Is it the first sentence of the text?
    pub(super) first: bool,
    /// Does it begin with the first sentence of the text?
    pub(super) opening: bool,
    /// The number of its first word.
    pub(super) word: u32,
    /// Where its second sentence begins (bytes); the end of the only one.
    pub(super) border: usize,
    pub(super) late: bool,
    pub(super) setting: Setting,
}

/// Overlapping and touching ranges as one.
pub(super) fn joined(ranges: impl Iterator<Item = Range<usize>>) -> Vec<Range<usize>> {
    let mut out: Vec<Range<usize>> = Vec::new();
    for range in ranges {
        match out.last_mut() {
            Some(last) if range.start <= last.end + 1 => last.end = last.end.max(range.end),
            _ => out.push(range),
        }
    }
    out
}
