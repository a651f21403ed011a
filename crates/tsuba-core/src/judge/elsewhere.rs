//! What counts for an entry though it stands in another document: a route that leads to it, a list that lets its tools run.

use super::counting::above;
use super::rule::EntryRef;
use crate::prelude::*;
use crate::text::Pointer;

/// The places that count for an entry: the document of each, and where it stands in that.
#[derive(Debug, Default)]
pub(super) struct Elsewhere(BTreeMap<EntryRef, BTreeSet<(usize, String)>>);

impl Elsewhere {
    /// From now on what is found at a place of a document counts for an entry.
    pub(super) fn counts_for(&mut self, entry: EntryRef, analysis: usize, at: &Pointer) {
        self.0.entry(entry).or_default().insert((analysis, at.as_str().to_owned()));
    }

    /// The documents with places that count for an entry.
    pub(super) fn documents(&self, entry: EntryRef) -> BTreeSet<usize> {
        self.0.get(&entry).into_iter().flatten().map(|(analysis, _)| *analysis).collect()
    }

    /// Does a place of a document stand in one that counts for an entry? `None` where no place of that document does.
    pub(super) fn have(&self, entry: EntryRef, analysis: usize, pointer: &str) -> Option<bool> {
        let own = self.0.get(&entry).filter(|_| self.has(entry, analysis))?;
        Some(above(pointer).any(|place| own.contains(&(analysis, place.to_owned()))))
    }

    /// Does a place of a document count for an entry?
    pub(super) fn has(&self, entry: EntryRef, analysis: usize) -> bool {
        self.of(entry, analysis).next().is_some()
    }

    /// The places of a document that count for an entry.
    pub(super) fn of(&self, entry: EntryRef, analysis: usize) -> impl Iterator<Item = &str> {
        let own = self.0.get(&entry).into_iter().flat_map(move |own| own.range((analysis, String::new())..));
        own.take_while(move |(of, _)| *of == analysis).map(|(_, place)| place.as_str())
    }

    /// Every place that counts for one, some more than once.
    pub(super) fn places(&self) -> impl Iterator<Item = (usize, &str)> {
        self.0.values().flatten().map(|(analysis, place)| (*analysis, place.as_str()))
    }
}
