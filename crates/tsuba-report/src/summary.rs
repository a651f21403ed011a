//! The counts of a report.

use crate::texts::Named;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;

/// Counts.
#[derive(Clone, Debug, Default, Serialize, Deserialize, JsonSchema)]
pub struct Summary {
    /// Setups with entries; listings that belong to an entry of a setup are not counted, here and below.
    pub setups: usize,
    /// Entries.
    pub entries: usize,
    /// Entries by verdict.
    pub verdicts: BTreeMap<Named<Verdict>, usize>,
    /// Texts that show servers which nobody has set up there.
    #[serde(default)]
    pub documents: usize,
    /// What they show; no entries, and without a verdict.
    #[serde(default)]
    pub shown: usize,
    /// Findings by severity, without those that are waived. What several rules find at the same characters counts once, as its worst, and so
    /// does what a text shows again and again.
    pub findings: BTreeMap<Named<Severity>, usize>,
    /// Findings that are waived.
    pub waived: usize,
    /// Findings that an earlier report has already, and this one leaves out.
    pub known: usize,
    /// Entries on which nobody has decided, where there is a register.
    #[serde(default)]
    pub undecided: usize,
    /// The gate at and below which these stop: what the policy says, else `high`.
    #[serde(skip)]
    pub undecided_weighs: Option<Severity>,
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
