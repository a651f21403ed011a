//! Findings that are told as one: what several rules say of the same characters, what a document shows and what a server says again and
//! again. A report keeps a row of each; counts and what people read have one of them.

use crate::model::{EntryRow, FindingRow};
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::severity::Confidence;

/// Findings that are told as one.
#[derive(Clone, Debug)]
pub(crate) struct FindingGroup<'r> {
    /// The worst of them.
    pub(crate) lead: &'r FindingRow,
    /// What other rules say of the same characters.
    pub(crate) with: Vec<&'r FindingRow>,
    /// The same at other places of a document or a listing.
    pub(crate) again: Vec<&'r FindingRow>,
}

impl<'r> FindingGroup<'r> {
    fn of(lead: &'r FindingRow) -> Self {
        Self { lead, with: Vec::new(), again: Vec::new() }
    }

    /// All rules that speak, the worst first.
    pub(crate) fn all(&self) -> impl Iterator<Item = &'r FindingRow> {
        core::iter::once(self.lead).chain(self.with.iter().copied())
    }

    /// The codes of all rules that speak, each with how sure it is where that is less than certain.
    pub(crate) fn codes(&self) -> String {
        let code = |finding: &FindingRow| match finding.confidence {
            Confidence::Certain => finding.rule.as_str().to_owned(),
            less => format!("{} ({})", finding.rule, less.name()),
        };
        self.all().map(code).collect::<Vec<_>>().join(" + ")
    }

    /// What to do, each advice once.
    pub(crate) fn fixes(&self) -> Vec<&'r str> {
        let mut fixes: Vec<&str> = Vec::new();
        for finding in self.all() {
            if !fixes.contains(&finding.fix.as_str()) {
                fixes.push(finding.fix.as_str());
            }
        }
        fixes
    }

    /// Where else the document shows the same, in words.
    pub(crate) fn places(&self) -> Option<String> {
        /// So many lines are named.
        const NAMED: usize = 6;
        let lines: Vec<String> = self.again.iter().take(NAMED).map(|row| row.place.line.to_string()).collect();
        let more = if self.again.len() > NAMED { ", …" } else { "" };
        let times = self.again.len() + 1;
        (!lines.is_empty()).then(|| format!("{times} times, also in line {}{more}", lines.join(", ")))
    }
}

/// Puts findings together, in their order. What is about an entry or a file as a whole stands for itself.
pub(crate) fn together<'r>(
    findings: impl IntoIterator<Item = &'r FindingRow>,
    entries: &'r [EntryRow],
) -> Vec<FindingGroup<'r>> {
    let starts: BTreeMap<&str, (u32, u32)> =
        entries.iter().map(|entry| (entry.id.as_str(), (entry.place.line, entry.place.column))).collect();
    let whole = |row: &FindingRow| {
        let start = (row.place.line, row.place.column);
        row.place.pointer.as_str().is_empty()
            || row.entry.as_ref().and_then(|id| starts.get(id.as_str())) == Some(&start)
    };
    let documents: BTreeSet<&str> =
        entries.iter().filter(|entry| entry.document).map(|entry| entry.id.as_str()).collect();
    let mut groups: Vec<FindingGroup<'r>> = Vec::new();
    let (mut prints, mut places, mut texts, mut told) =
        (BTreeMap::new(), BTreeMap::new(), BTreeMap::new(), BTreeSet::new());
    for row in findings {
        let place = (row.place.line, row.place.column, row.place.end_line, row.place.end_column);
        let print = (row.setup.as_str(), row.fingerprint.as_str());
        // What a document shows is the same finding at another place, and so is a text that a server says again and again.
        let shown = row.entry.as_ref().is_some_and(|entry| documents.contains(entry.as_str()));
        let text = row.reads.as_ref().filter(|_| row.rule.as_str().starts_with("wording/"));
        let text = text.map(|text| (row.setup.as_str(), &row.entry, row.rule.as_str(), text.as_str()));
        let said = text.and_then(|text| texts.get(&text).copied());
        let first = prints.get(&print).copied().filter(|_| shown).or(said);
        if let Some((index, group)) = first.and_then(|index: usize| Some((index, groups.get_mut(index)?))) {
            if told.insert((index, place)) {
                group.again.push(row);
            }
            continue;
        }
        let own = (row.waived.is_none() && !whole(row)).then_some((row.setup.as_str(), &row.entry, place));
        let known = own.and_then(|own| places.get(&own).copied());
        let index = match known.and_then(|index: usize| Some((index, groups.get_mut(index)?))) {
            Some((index, group)) => {
                group.with.push(row);
                index
            }
            None => {
                groups.push(FindingGroup::of(row));
                groups.len() - 1
            }
        };
        told.insert((index, place));
        prints.insert(print, index);
        text.into_iter().for_each(|text| _ = texts.insert(text, index));
        own.into_iter().for_each(|own| _ = places.insert(own, index));
    }
    groups
}
