//! Findings that are told as one: what several rules say of the same characters, and what a document shows again and again. A report keeps a
//! row of each; counts and what people read have one of them.

use crate::model::{EntryRow, FindingRow};
use std::collections::BTreeMap;
use tsuba_core::severity::Confidence;

/// Findings that are told as one.
#[derive(Clone, Debug)]
pub(crate) struct FindingGroup<'r> {
    /// The worst of them.
    pub(crate) lead: &'r FindingRow,
    /// What other rules say of the same characters.
    pub(crate) with: Vec<&'r FindingRow>,
    /// The same at other places of a document.
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
    let mut message: Vec<FindingGroup<'r>> = Vec::new();
    let mut prints = BTreeMap::new();
    let mut places = BTreeMap::new();
    for row in findings {
        // Only what a document shows has the fingerprint of another finding.
        let first: Option<&usize> = prints.get(&(row.setup.as_str(), row.fingerprint.as_str()));
        if let Some(first) = first.and_then(|first| message.get_mut(*first)) {
            // What another rule said there is said again with it.
            if first.lead.fingerprint == row.fingerprint {
                first.again.push(row);
            }
            continue;
        }
        let place = &row.place;
        let at = (row.setup.as_str(), &row.entry, (place.line, place.column, place.end_line, place.end_column));
        let own = (row.waived.is_none() && !whole(row)).then_some(at);
        let index = match own.and_then(|own| places.get(&own)) {
            Some(index) => {
                let with: Option<&mut FindingGroup<'r>> = message.get_mut(*index);
                with.into_iter().for_each(|with| with.with.push(row));
                *index
            }
            None => {
                message.push(FindingGroup::of(row));
                message.len() - 1
            }
        };
        prints.insert((row.setup.as_str(), row.fingerprint.as_str()), index);
        own.into_iter().for_each(|own| _ = places.entry(own).or_insert(index));
    }
    message
}
