//! The verdict on an entry, and the reasons that decide it.

use super::{Finding, Severity};
use crate::prelude::*;
use serde::Serialize;

/// May it be used?
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Verdict {
    /// Nothing speaks against it.
    Ready,
    /// Once its owner has mended the setup.
    FixFirst,
    /// No: what is wrong is what it is, not how it is written.
    Refuse,
}

impl Verdict {
    /// The verdict's name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Ready => "ready",
            Self::FixFirst => "fix-first",
            Self::Refuse => "refuse",
        }
    }
}

/// A verdict with its reasons.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Judgement {
    /// The verdict.
    pub verdict: Verdict,
    /// Indexes of the findings that decide it, worst first, three at most and each rule once.
    pub reasons: Vec<usize>,
}

/// Judges an entry by its findings (indexes into `findings`, any order).
pub(super) fn judge(findings: &[Finding], own: &[usize]) -> Judgement {
    let leads_to = |finding: &Finding| match finding.severity {
        Severity::Critical | Severity::High => finding.rule.verdict.max(Verdict::FixFirst),
        Severity::Medium => Verdict::FixFirst,
        Severity::Low | Severity::Note => Verdict::Ready,
    };
    let mut ranked: Vec<(usize, &Finding)> = own.iter().filter_map(|i| findings.get(*i).map(|f| (*i, f))).collect();
    ranked.sort_by_key(|(index, f)| (core::cmp::Reverse((leads_to(f), f.severity, f.confidence)), *index));
    let verdict = ranked.first().map_or(Verdict::Ready, |(_, f)| leads_to(f));
    let mut seen = BTreeSet::new();
    let decides = ranked.iter().filter(|(_, f)| leads_to(f) > Verdict::Ready && seen.insert(f.rule.id));
    Judgement { verdict, reasons: decides.map(|(index, _)| *index).take(3).collect() }
}
