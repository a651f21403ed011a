//! Findings that are told as one: what several rules say of the same characters, what a document shows and what a server says again and
//! again. A report keeps a row of each; counts and what people read have one of them.

use crate::model::{EntryRow, FindingRow};
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::severity::Confidence;

/// Findings that are told as one.
#[derive(Clone, Debug)]
pub(crate) struct FindingGroup<'r, F = FindingRow> {
    /// The worst of them.
    pub(crate) lead: &'r F,
    /// What other rules say of the same characters.
    pub(crate) with: Vec<&'r F>,
    /// The same at other places of a document or a listing.
    pub(crate) again: Vec<&'r F>,
}

/// What decides which findings are told as one.
pub(crate) trait Told {
    /// The setup's path.
    fn setup(&self) -> &str;
    /// The entry, by a name that no other one of the setup has.
    fn entry(&self) -> Option<&str>;
    /// First line and column, and the last ones.
    fn place(&self) -> (u32, u32, u32, u32);
    /// Has it a value that it is about?
    fn has_pointer(&self) -> bool;
    fn rule(&self) -> &str;
    fn fingerprint(&self) -> &str;
    /// The text as the model reads it.
    fn reads(&self) -> Option<&str>;
    fn is_waived(&self) -> bool;
}

impl Told for FindingRow {
    fn setup(&self) -> &str {
        self.setup.as_str()
    }

    fn entry(&self) -> Option<&str> {
        self.entry.as_deref()
    }

    fn place(&self) -> (u32, u32, u32, u32) {
        (self.place.line, self.place.column, self.place.end_line, self.place.end_column)
    }

    fn has_pointer(&self) -> bool {
        !self.place.pointer.as_str().is_empty()
    }

    fn rule(&self) -> &str {
        self.rule.as_str()
    }

    fn fingerprint(&self) -> &str {
        &self.fingerprint
    }

    fn reads(&self) -> Option<&str> {
        self.reads.as_ref().map(|text| text.as_str())
    }

    fn is_waived(&self) -> bool {
        self.waived.is_some()
    }
}

impl<'r, F> FindingGroup<'r, F> {
    fn of(lead: &'r F) -> Self {
        Self { lead, with: Vec::new(), again: Vec::new() }
    }
}

impl<'r> FindingGroup<'r> {
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
    let starts = entries.iter().map(|entry| (entry.id.as_str(), (entry.place.line, entry.place.column)));
    let documents = entries.iter().filter(|entry| entry.document).map(|entry| entry.id.as_str());
    together_among(findings, &starts.collect(), &documents.collect())
}

/// Likewise, where it is known at which line and column entries begin, and which of them a text only shows.
pub(crate) fn together_among<'r, F: Told>(
    findings: impl IntoIterator<Item = &'r F>,
    starts: &BTreeMap<&'r str, (u32, u32)>,
    documents: &BTreeSet<&'r str>,
) -> Vec<FindingGroup<'r, F>> {
    let whole = |row: &F| {
        let (line, column, ..) = row.place();
        !row.has_pointer() || row.entry().and_then(|id| starts.get(id)) == Some(&(line, column))
    };
    let mut groups: Vec<FindingGroup<'r, F>> = Vec::new();
    let (mut prints, mut places, mut texts, mut told) =
        (BTreeMap::new(), BTreeMap::new(), BTreeMap::new(), BTreeSet::new());
    for row in findings {
        let place = row.place();
        let print = (row.setup(), row.fingerprint());
        // What a document shows is the same finding at another place, and so is a text that a server says again and again.
        let shown = row.entry().is_some_and(|entry| documents.contains(entry));
        let text = row.reads().filter(|_| row.rule().starts_with("wording/"));
        let text = text.map(|text| (row.setup(), row.entry(), row.rule(), text));
        let said = text.and_then(|text| texts.get(&text).copied());
        let first = prints.get(&print).copied().filter(|_| shown).or(said);
        if let Some((index, group)) = first.and_then(|index: usize| Some((index, groups.get_mut(index)?))) {
            if told.insert((index, place)) {
                group.again.push(row);
            }
            continue;
        }
        let own = (!row.is_waived() && !whole(row)).then_some((row.setup(), row.entry(), place));
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
