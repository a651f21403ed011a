//! What is other in a later audit than in an earlier one of the same place, a row each: for whoever watches.

use crate::build::{is_undecided, part};
use crate::model::{EntryRow, FindingRow, SCHEMA, Text, Unread};
use crate::page::Page;
use crate::phrases::count;
use crate::rows::entry_id;
use crate::style::{RenderOptions, Role};
use serde::Serialize;
use serde_json::json;
use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write};
use tsuba_core::decide::drift::{Snapshot, Weight, drift};
use tsuba_core::judge::{Audit, EntryRef, Verdict, pattern_redactor};
use tsuba_core::severity::{Confidence, Severity};
use tsuba_core::understand::SetupKind;

/// What has happened.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum DifferenceKind {
    /// There is a finding that was not there.
    Opened,
    /// An entry is there that was not, is gone, or is another than it was.
    Entry,
    /// An entry has another verdict.
    Verdict,
    /// A finding is gone.
    Closed,
    /// A file cannot be read any more.
    Unread,
}

impl DifferenceKind {
    fn name(self) -> &'static str {
        match self {
            Self::Opened => "opened",
            Self::Entry => "entry",
            Self::Verdict => "verdict",
            Self::Closed => "closed",
            Self::Unread => "unread",
        }
    }
}

/// A difference.
#[derive(Clone, Debug, Serialize)]
pub struct Difference {
    /// What has happened.
    pub kind: DifferenceKind,
    /// The setup's path.
    pub setup: Text,
    /// The line, of a finding or of a file that cannot be read.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub line: Option<u32>,
    /// The entry's name.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub entry: Option<Text>,
    /// The rule of a finding.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rule: Option<Text>,
    /// Its severity.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub severity: Option<Severity>,
    /// Its confidence.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub confidence: Option<Confidence>,
    /// How much a change of an entry weighs.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub weight: Option<&'static str>,
    /// The verdict that an entry had.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub before: Option<Verdict>,
    /// The one that it has.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub verdict: Option<Verdict>,
    /// What is wrong, or has changed.
    pub message: Text,
    /// What to do.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fix: Option<Text>,
    /// The finding's fingerprint.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fingerprint: Option<String>,
}

impl Difference {
    fn of(kind: DifferenceKind, setup: &Text, message: Text) -> Self {
        Self {
            kind,
            setup: setup.clone(),
            message,
            line: None,
            entry: None,
            rule: None,
            severity: None,
            confidence: None,
            weight: None,
            before: None,
            verdict: None,
            fix: None,
            fingerprint: None,
        }
    }

    fn of_finding(kind: DifferenceKind, finding: &FindingRow, names: &BTreeMap<&str, &EntryRow>) -> Self {
        let entry = finding.entry.as_ref().and_then(|id| names.get(id.as_str()));
        Self {
            line: Some(finding.place.line),
            entry: entry.map(|entry| entry.name.clone()),
            rule: Some(finding.rule.clone()),
            severity: Some(finding.severity),
            confidence: Some(finding.confidence),
            fix: (kind == DifferenceKind::Opened).then(|| finding.fix.clone()),
            fingerprint: Some(finding.fingerprint.clone()),
            ..Self::of(kind, &finding.setup, finding.message.clone())
        }
    }

    /// Is it of a finding below a severity?
    pub fn is_below(&self, least: Severity) -> bool {
        self.severity.is_some_and(|severity| severity < least)
    }
}

/// A finding among those of two audits: one that weighs otherwise is another.
type Key<'a> = (&'static str, &'a str, &'a str, Severity);

/// The findings that nobody has accepted, by what makes each the same.
fn open(audit: &Audit) -> BTreeMap<Key<'_>, usize> {
    let mut out = BTreeMap::new();
    for (index, finding) in audit.findings.iter().enumerate() {
        let analysis = audit.analyses.get(finding.entry_ref.analysis);
        if let Some(analysis) = analysis.filter(|_| finding.waived.is_none() && !is_undecided(finding)) {
            let path = analysis.document.path.as_str();
            out.insert((finding.rule.id, finding.fingerprint.as_str(), path, finding.severity), index);
        }
    }
    out
}

/// The verdicts, by the entries' ids.
fn verdicts(audit: &Audit) -> BTreeMap<String, (EntryRef, Option<Verdict>)> {
    let rows = audit.analyses.iter().enumerate().flat_map(|(s, analysis)| {
        let judgements = audit.judgements.get(s);
        // Nobody has set up what a text shows.
        let counts = analysis.kind != SetupKind::Snippet;
        analysis.entries.iter().enumerate().map(move |(e, entry)| {
            let judgement = judgements.and_then(|own| own.get(e)).filter(|_| counts);
            let entry_ref = EntryRef { analysis: s, entry: Some(e) };
            (entry_id(analysis, entry), (entry_ref, judgement.map(|judgement| judgement.verdict)))
        })
    });
    rows.collect()
}

/// What is other in `new`: findings by severity, then entries. What an entry starts, hands over and lets its server say is compared in the
/// setups at `paths`, where something was written; a finding or verdict may be another anywhere. Findings of the rules `undecided` are no change.
pub fn differences(old: &Audit, new: &Audit, paths: &BTreeSet<String>, undecided: &[&str]) -> Vec<Difference> {
    let (were, are) = (open(old), open(new));
    let gone: BTreeSet<usize> =
        were.iter().filter(|(key, _)| !are.contains_key(*key)).map(|(_, index)| *index).collect();
    let come: BTreeSet<usize> =
        are.iter().filter(|(key, _)| !were.contains_key(*key)).map(|(_, index)| *index).collect();
    let (before, after) = (verdicts(old), verdicts(new));
    let turned: Vec<(EntryRef, EntryRef)> = after
        .iter()
        .filter_map(|(id, (is, verdict))| {
            let (was, earlier) = before.get(id)?;
            (verdict != earlier).then_some((*was, *is))
        })
        .collect();
    let part = |audit: &Audit, findings: &BTreeSet<usize>, turned: BTreeSet<EntryRef>| {
        let found: BTreeSet<EntryRef> =
            findings.iter().filter_map(|index| Some(audit.findings.get(*index)?.entry_ref)).collect();
        let wanted = |entry_ref: EntryRef| {
            let path = audit.analyses.get(entry_ref.analysis).map(|analysis| analysis.document.path.as_str());
            path.is_some_and(|path| paths.contains(path)) || turned.contains(&entry_ref) || found.contains(&entry_ref)
        };
        Rows::of(part(audit, wanted, findings))
    };
    // Rows call a setup by what may be printed of its path.
    let cleaned = |path: &String| [&old.cleaner, &new.cleaner].map(|cleaner| cleaner.clean(path).to_string());
    let told: BTreeSet<String> = paths.iter().flat_map(cleaned).collect();
    let old = part(old, &gone, turned.iter().map(|(was, _)| *was).collect());
    let new = part(new, &come, turned.iter().map(|(_, is)| *is).collect());
    between(&old, &new, &told, undecided)
}

/// The rows of a part of an audit.
struct Rows {
    entries: Vec<EntryRow>,
    findings: Vec<FindingRow>,
    unread: Vec<Unread>,
}

impl Rows {
    fn of((entries, findings, unread): (Vec<EntryRow>, Vec<FindingRow>, Vec<Unread>)) -> Self {
        Self { entries, findings, unread }
    }

    fn by_id(&self) -> BTreeMap<&str, &EntryRow> {
        self.entries.iter().map(|entry| (entry.id.as_str(), entry)).collect()
    }
}

fn between(old: &Rows, new: &Rows, paths: &BTreeSet<String>, undecided: &[&str]) -> Vec<Difference> {
    let (before, after) = (old.by_id(), new.by_id());
    let told = |kind: DifferenceKind, rows: &Rows, names: &BTreeMap<&str, &EntryRow>| {
        rows.findings.iter().map(|finding| Difference::of_finding(kind, finding, names)).collect::<Vec<_>>()
    };
    let mut out = told(DifferenceKind::Opened, new, &after);
    out.extend(told(DifferenceKind::Closed, old, &before));
    changes(old, new, paths, undecided, &mut out);
    for (id, entry) in &after {
        let was = before.get(id).and_then(|was| was.verdict);
        if let (Some(was), Some(is)) = (was, entry.verdict)
            && was != is
        {
            let message = Text::wary(&format!("{} -> {}", was.name(), is.name()));
            out.push(Difference {
                entry: Some(entry.name.clone()),
                before: Some(was),
                verdict: Some(is),
                ..Difference::of(DifferenceKind::Verdict, &entry.setup, message)
            });
        }
    }
    let known: BTreeSet<(&str, &str)> = old.unread.iter().map(|file| (file.path.as_str(), file.why.as_str())).collect();
    for file in new.unread.iter().filter(|file| !known.contains(&(file.path.as_str(), file.why.as_str()))) {
        out.push(Difference {
            line: file.line,
            ..Difference::of(DifferenceKind::Unread, &file.path, file.why.clone())
        });
    }
    out.sort_by(|a, b| {
        (a.kind, Reverse(a.severity), &a.setup, a.line, &a.entry).cmp(&(
            b.kind,
            Reverse(b.severity),
            &b.setup,
            b.line,
            &b.entry,
        ))
    });
    out
}

/// What has changed at entries. That something is found is told by the finding.
fn changes(old: &Rows, new: &Rows, paths: &BTreeSet<String>, undecided: &[&str], out: &mut Vec<Difference>) {
    let part = |rows: &Rows| {
        let entries: Vec<&EntryRow> =
            rows.entries.iter().filter(|entry| paths.contains(entry.setup.as_str())).collect();
        let value = json!({ "schema": SCHEMA, "entries": entries, "findings": [] });
        serde_json::from_value::<Snapshot>(value).ok()
    };
    let (Some(old), Some(new)) = (part(old), part(new)) else { return };
    // Every text comes out of a report, and goes into one line.
    let cleaner = pattern_redactor();
    let clean = |text: &str| Text(cleaner.clean(text));
    for change in drift(&old, &new, undecided) {
        let words = if change.words.is_empty() { String::new() } else { format!(": {}", change.told_words()) };
        out.push(Difference {
            entry: Some(clean(&change.entry)),
            weight: Some(change.weight.name()),
            ..Difference::of(DifferenceKind::Entry, &clean(&change.setup), clean(&format!("{}{words}", change.what)))
        });
    }
}

/// More differences of one moment are only counted, for people.
const MAX_SHOWN: usize = 100;

/// Writes differences for people, under the time of day.
///
/// # Errors
/// What the writer says.
pub fn write_differences(time: &str, all: &[Difference], look: RenderOptions, out: &mut dyn Write) -> io::Result<()> {
    let number = |kind: DifferenceKind| all.iter().filter(|difference| difference.kind == kind).count();
    let kinds = [
        (DifferenceKind::Opened, ["opened", "opened"]),
        (DifferenceKind::Closed, ["closed", "closed"]),
        (DifferenceKind::Entry, ["entry changed", "entries changed"]),
        (DifferenceKind::Verdict, ["verdict changed", "verdicts changed"]),
        (DifferenceKind::Unread, ["file not read", "files not read"]),
    ];
    let counts = kinds.map(|(kind, words)| (number(kind), words)).into_iter().filter(|(number, _)| *number > 0);
    let counts = counts.map(|(number, [one, several])| count(number, one, several)).collect::<Vec<_>>().join(", ");
    let mut page = Page::new(look, out);
    page.line(format!("{}  {counts}", look.paint(Role::Heading, time)).trim_end())?;
    for difference in all.iter().take(MAX_SHOWN) {
        let line = difference.line.map(|line| format!(":{line}")).unwrap_or_default();
        let entry = difference.entry.as_ref().map(|entry| format!("{entry}  ")).unwrap_or_default();
        let rule = match (&difference.rule, difference.severity) {
            (Some(rule), Some(severity)) => {
                format!("{}  {rule}  ", look.paint(Role::Severity(severity), severity.name()))
            }
            _ => String::new(),
        };
        let weight = difference.weight.filter(|weight| *weight == Weight::Serious.name());
        let weight = weight
            .map(|weight| format!("{}  ", look.paint(Role::Severity(Severity::High), weight)))
            .unwrap_or_default();
        let text = format!("{rule}{weight}{entry}{}{line}  {}", difference.setup, difference.message);
        page.row(difference.kind.name(), &text)?;
    }
    match all.len().saturating_sub(MAX_SHOWN) {
        0 => Ok(()),
        more => page.row("", &format!("and {more} more")),
    }
}
