//! From an audit to its report: the rows of everything, and the counts over them.

use crate::model::{EntryRow, FindingRow, Named, Report, SCHEMA, Setup, Summary, Text, Tool, Unasked, Unread};
use crate::rows::{entry_id, entry_row, finding_row, setup_row};
use crate::together::together;
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::judge::{Audit, Decides, EntryRef, Finding, Parallel, Unseen, Verdict};
use tsuba_core::severity::Severity;
use tsuba_core::text::Name as _;
use tsuba_core::understand::{Analysis, SetupKind};

impl Report {
    /// Builds the report of an audit.
    pub fn new(
        audit: &Audit,
        inputs: &[String],
        as_of: jiff::civil::Date,
        version: &'static str,
        spread: &impl Parallel,
    ) -> Self {
        let shell = Self::shell(audit, inputs, as_of, version);
        let (paths, owners) = (paths(audit), owners(audit));
        let entries =
            spread.spread(&audit.analyses, |s, analysis| rows_of(audit, (s, analysis), &paths, &owners).collect());
        // Where the entries of each setup begin among all.
        let first = firsts(audit);
        let id = |entry_ref: EntryRef| Some(&entries.get(first.get(entry_ref.analysis)? + entry_ref.entry?)?.id);
        let findings = spread.spread(&audit.findings, |_, finding| {
            let row =
                (!is_undecided(finding)).then(|| finding_row(audit, finding, id(finding.entry_ref), &paths)).flatten();
            row.into_iter().collect()
        });
        let Summary { evidence_of_others, undecided, undecided_weighs, .. } = shell.summary;
        let counted = Summary::of(&shell.setups, &entries, &findings, shell.unread.len());
        let summary = Summary { evidence_of_others, undecided, undecided_weighs, ..counted };
        Self { entries, findings, summary, ..shell }
    }

    /// The report without the rows of its entries and findings, and without their counts: for [`crate::stream`].
    pub fn shell(audit: &Audit, inputs: &[String], as_of: jiff::civil::Date, version: &'static str) -> Self {
        let clean = |text: &str| Text(audit.cleaner.clean(text));
        let rows = audit.analyses.iter().zip(paths(audit));
        let setups: Vec<Setup> = rows.map(|(analysis, path)| setup_row(audit, analysis, &path)).collect();
        let undecided = audit.findings.iter().filter(|finding| is_undecided(finding));
        let (undecided, undecided_weighs) =
            (undecided.clone().count(), undecided.map(|finding| finding.severity).max());
        let unread: Vec<_> =
            audit.unread.iter().map(|u| Unread { path: clean(&u.path), line: u.line, why: clean(&u.why) }).collect();
        let summary = Summary {
            evidence_of_others: audit.of_others,
            undecided,
            undecided_weighs,
            ..Summary::of(&setups, &[], &[], unread.len())
        };
        Self {
            schema: Text::constant(SCHEMA),
            tool: Tool { name: Text::constant("tsuba"), version: Text::constant(version) },
            as_of: as_of.to_string(),
            inputs: inputs.iter().map(|input| clean(input)).collect(),
            source: None,
            judged_with: Vec::new(),
            filters: Vec::new(),
            setups,
            entries: Vec::new(),
            findings: Vec::new(),
            unread,
            summary,
        }
    }
}

/// The paths of the documents, cleaned: they stand in many rows.
pub(crate) fn paths(audit: &Audit) -> Vec<Text> {
    audit.analyses.iter().map(|analysis| Text(audit.cleaner.clean(&analysis.document.path))).collect()
}

/// Where the entries of each setup begin among all.
pub(crate) fn firsts(audit: &Audit) -> Vec<usize> {
    let before = |all: &mut usize, analysis: &Analysis| {
        let own = *all;
        *all += analysis.entries.len();
        Some(own)
    };
    audit.analyses.iter().scan(0, before).collect()
}

/// The rows of the entries of a setup.
pub(crate) fn rows_of<'a>(
    audit: &'a Audit,
    (s, analysis): (usize, &'a Analysis),
    paths: &'a [Text],
    owners: &'a Owners,
) -> impl Iterator<Item = EntryRow> + 'a {
    analysis.entries.iter().enumerate().map(move |(e, entry)| {
        let mut row = entry_row(audit, EntryRef { analysis: s, entry: Some(e) }, (analysis, entry), paths);
        if let (Some(ids), Some(listing)) = (owners.get(&(s, e)), row.listing.as_mut()) {
            listing.of.clone_from(ids);
        }
        row
    })
}

/// The rows of a part of an audit: of the entries and findings that are wanted, and of all that could not be read. Nothing is counted.
pub(crate) fn part(
    audit: &Audit,
    wanted: impl Fn(EntryRef) -> bool,
    findings: &BTreeSet<usize>,
) -> (Vec<EntryRow>, Vec<FindingRow>, Vec<Unread>) {
    let clean = |text: &str| Text(audit.cleaner.clean(text));
    let paths: Vec<Text> = audit.analyses.iter().map(|analysis| clean(&analysis.document.path)).collect();
    let mut entries = Vec::new();
    for (s, analysis) in audit.analyses.iter().enumerate() {
        for (e, entry) in analysis.entries.iter().enumerate() {
            let entry_ref = EntryRef { analysis: s, entry: Some(e) };
            if wanted(entry_ref) {
                entries.push(entry_row(audit, entry_ref, (analysis, entry), &paths));
            }
        }
    }
    let row = |finding: &Finding| {
        let analysis = audit.analyses.get(finding.entry_ref.analysis)?;
        let entry = finding.entry_ref.entry.and_then(|index| analysis.entries.get(index));
        let id = entry.map(|entry| entry_id(analysis, entry));
        finding_row(audit, finding, id.as_ref(), &paths)
    };
    let findings = findings.iter().filter_map(|index| row(audit.findings.get(*index)?)).collect();
    let unread =
        audit.unread.iter().map(|u| Unread { path: clean(&u.path), line: u.line, why: clean(&u.why) }).collect();
    (entries, findings, unread)
}

/// Is it of what nobody has decided? That is a status of the entry, not one more finding.
pub(crate) fn is_undecided(finding: &Finding) -> bool {
    finding.rule.ways.decides == Some(Decides::Open) && finding.waived.is_none()
}

/// The entries whose server a listing is, by where the entry stands that stands for it.
pub(crate) type Owners = BTreeMap<(usize, usize), Vec<String>>;

pub(crate) fn owners(audit: &Audit) -> Owners {
    let mut owners = Owners::new();
    for analysis in &audit.analyses {
        for entry in &analysis.entries {
            if let Some(listed) = entry.listed {
                owners.entry((listed.analysis, listed.entry)).or_default().push(entry_id(analysis, entry));
            }
        }
    }
    owners
}

impl Unasked {
    pub(crate) fn of(entries: &[EntryRow], setups: &[Setup]) -> Self {
        // Only what a client has can be asked.
        let asked = |setup: &&Setup| matches!(*setup.kind, SetupKind::Client | SetupKind::Candidate);
        let paths: BTreeSet<&Text> = setups.iter().filter(asked).map(|setup| &setup.path).collect();
        // A listing may lie beside it that nobody handed over as evidence.
        let unknown = |entry: &EntryRow| {
            entry.listing.is_none() || entry.because.iter().any(|reason| reason.as_str() == Unseen::NotAsked.name())
        };
        let unasked = |entry: &&EntryRow| unknown(entry) && !entry.disabled && paths.contains(&entry.setup);
        let (local, remote): (Vec<_>, Vec<_>) =
            entries.iter().filter(unasked).partition(|entry| entry.launch.is_some());
        Self { local: local.len(), remote: remote.iter().filter(|entry| entry.remote.is_some()).count() }
    }
}

impl Summary {
    pub(crate) fn of(setups: &[Setup], entries: &[EntryRow], findings: &[FindingRow], unread: usize) -> Self {
        let own = || entries.iter().filter(|entry| entry.counts());
        let shown = || entries.iter().filter(|entry| entry.document);
        let mut summary = Self {
            setups: own().map(|entry| &entry.setup).collect::<BTreeSet<_>>().len(),
            entries: own().count(),
            documents: shown().map(|entry| &entry.setup).collect::<BTreeSet<_>>().len(),
            shown: shown().count(),
            unread,
            unasked: Unasked::of(entries, setups),
            verdicts: Verdict::ALL.iter().map(|verdict| (Named(*verdict), 0)).collect(),
            findings: Severity::ALL.map(|s| (Named(s), 0)).into(),
            known: 0,
            undecided: 0,
            undecided_weighs: None,
            evidence_of_others: 0,
            waived: findings.iter().filter(|finding| finding.waived.is_some()).count(),
        };
        own()
            .filter_map(|entry| entry.verdict)
            .for_each(|verdict| *summary.verdicts.entry(Named(verdict)).or_default() += 1);
        let counted = together(findings, entries).into_iter().filter(|group| group.lead.waived.is_none());
        counted.for_each(|group| *summary.findings.entry(Named(group.lead.severity)).or_default() += 1);
        summary
    }
}
