//! The counts of a report.

use crate::model::{EntryRow, FindingRow, Named, Setup, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;
use tsuba_core::understand::SetupKind;

/// Counts.
#[derive(Clone, Debug, Default, Serialize, Deserialize, JsonSchema)]
pub struct Summary {
    /// Setups with entries; listings that belong to an entry of a setup are not counted, here and below.
    pub setups: usize,
    /// Entries.
    pub entries: usize,
    /// Entries by verdict.
    pub verdicts: BTreeMap<Named<Verdict>, usize>,
    /// Findings by severity, without those that are waived.
    pub findings: BTreeMap<Named<Severity>, usize>,
    /// Findings that are waived.
    pub waived: usize,
    /// Findings that an earlier report has already, and this one leaves out.
    pub known: usize,
    /// Files that could not be read.
    pub unread: usize,
    /// Entries of which there is no evidence: local ones and remote ones.
    pub unasked: Unasked,
    /// Files of evidence that are of entries that are not in the inputs; they are left out.
    pub evidence_of_others: usize,
}

/// Entries that are switched on and of whose servers no evidence was given: what their tools say and how they log in is not judged.
#[derive(Clone, Debug, Default, Serialize, Deserialize, JsonSchema)]
pub struct Unasked {
    /// Servers that are started.
    pub local: usize,
    /// Servers that are called.
    pub remote: usize,
}

impl Unasked {
    pub(crate) fn of(entries: &[EntryRow], setups: &[Setup]) -> Self {
        // Only what a client has can be asked.
        let asked = |setup: &&Setup| matches!(*setup.kind, SetupKind::Client | SetupKind::Candidate);
        let paths: BTreeSet<&Text> = setups.iter().filter(asked).map(|setup| &setup.path).collect();
        let unasked = |entry: &&EntryRow| entry.listing.is_none() && !entry.disabled && paths.contains(&entry.setup);
        let (local, remote): (Vec<_>, Vec<_>) =
            entries.iter().filter(unasked).partition(|entry| entry.launch.is_some());
        Self { local: local.len(), remote: remote.iter().filter(|entry| entry.remote.is_some()).count() }
    }
}

impl Summary {
    pub(crate) fn of(setups: &[Setup], entries: &[EntryRow], findings: &[FindingRow], unread: usize) -> Self {
        let own = || entries.iter().filter(|entry| entry.counts());
        let mut summary = Self {
            setups: own().map(|entry| &entry.setup).collect::<BTreeSet<_>>().len(),
            entries: own().count(),
            unread,
            unasked: Unasked::of(entries, setups),
            verdicts: [Verdict::Refuse, Verdict::FixFirst, Verdict::Ready].map(|v| (Named(v), 0)).into(),
            findings: Severity::ALL.map(|s| (Named(s), 0)).into(),
            known: 0,
            evidence_of_others: 0,
            waived: findings.iter().filter(|finding| finding.waived.is_some()).count(),
        };
        own()
            .filter_map(|entry| entry.verdict)
            .for_each(|verdict| *summary.verdicts.entry(Named(verdict)).or_default() += 1);
        let counted = findings.iter().filter(|finding| finding.waived.is_none());
        counted.for_each(|finding| *summary.findings.entry(Named(finding.severity)).or_default() += 1);
        summary
    }
}
