//! A part of a report. What was left out is named, and where findings are left out no verdict is given: of what is not shown nobody knows.

use crate::model::{EntryRow, FindingRow, Named, Report, Setup, Summary, Text};
use std::collections::BTreeSet;
use tsuba_core::judge::Verdict;
use tsuba_core::register::ReviewState;
use tsuba_core::severity::Severity;

impl Report {
    /// By the rules of some families alone.
    #[must_use]
    pub fn by_families(self, families: &[String]) -> Self {
        // The others were not run: what they would say is not in the report.
        self.without_findings("only", families, |_| true)
    }

    /// With the findings of some rules alone.
    #[must_use]
    pub fn of_rules(self, rules: &[String]) -> Self {
        self.without_findings("rule", rules, |finding| rules.iter().any(|rule| rule == finding.rule.as_str()))
    }

    /// With the findings alone that are at least so severe.
    #[must_use]
    pub fn at_least(self, least: Option<Severity>) -> Self {
        let named: Vec<String> = least.iter().map(|least| least.name().to_owned()).collect();
        self.without_findings("severity", &named, |finding| least.is_none_or(|least| finding.severity >= least))
    }

    /// With what some teams answer for alone. All of it was judged, so it keeps its verdicts.
    #[must_use]
    pub fn of_teams(self, teams: &[String]) -> Self {
        let meant = |team: &Text| teams.iter().any(|name| name == team.as_str());
        self.narrowed("team", teams, |setup| setup.team.as_ref().is_some_and(meant))
    }

    /// With some setups alone, and what the servers of their entries list.
    fn narrowed(mut self, option: &str, values: &[String], keep: impl Fn(&Setup) -> bool) -> Self {
        if values.is_empty() {
            return self;
        }
        self.name(option, values);
        let mut paths: BTreeSet<String> =
            self.setups.iter().filter(|setup| keep(setup)).map(|setup| setup.path.to_string()).collect();
        for (path, users) in self.shared_listings() {
            if users.is_disjoint(&paths) {
                paths.remove(&path);
            } else {
                paths.insert(path);
            }
        }
        self.setups.retain(|setup| paths.contains(setup.path.as_str()));
        self.entries.retain(|entry| paths.contains(entry.setup.as_str()));
        self.findings.retain(|finding| paths.contains(finding.setup.as_str()));
        self.judged_again();
        self
    }

    /// The same with nothing in it yet.
    pub(crate) fn emptied(&self) -> Self {
        Self {
            schema: self.schema.clone(),
            tool: self.tool.clone(),
            as_of: self.as_of.clone(),
            inputs: self.inputs.clone(),
            source: self.source.clone(),
            judged_with: self.judged_with.clone(),
            filters: self.filters.clone(),
            setups: Vec::new(),
            entries: Vec::new(),
            findings: Vec::new(),
            unread: Vec::new(),
            summary: self.summary.clone(),
        }
    }

    /// A part that was filled by a filter: the filter is named, and what is in it is counted.
    pub(crate) fn counted(mut self, option: &str, value: &str) -> Self {
        self.name(option, &[value.to_owned()]);
        self.judged_again();
        self
    }

    /// Counts what is left of what was judged as a whole: it keeps its verdicts.
    fn judged_again(&mut self) {
        self.count_again();
        let open = |row: &&EntryRow| row.decision.as_ref().is_some_and(|own| *own.standing == ReviewState::Unknown);
        self.summary.undecided = self.entries.iter().filter(open).count();
        self.summary.undecided_weighs = self.summary.undecided_weighs.filter(|_| self.summary.undecided > 0);
    }

    fn without_findings(mut self, option: &str, values: &[String], keep: impl Fn(&FindingRow) -> bool) -> Self {
        if values.is_empty() {
            return self;
        }
        self.name(option, values);
        self.findings.retain(keep);
        self.count_again();
        self.without_verdicts()
    }

    /// Names a filter.
    fn name(&mut self, option: &str, values: &[String]) {
        self.filters.extend(values.iter().map(|value| Text::wary(&format!("{option} {value}"))));
    }

    /// Counts what is left; what was counted of the whole stays.
    fn count_again(&mut self) {
        let whole = &self.summary;
        let summary = Summary::of(&self.setups, &self.entries, &self.findings, self.unread.len());
        let verdicts = if whole.verdicts.is_empty() { whole.verdicts.clone() } else { summary.verdicts };
        self.summary = Summary {
            verdicts,
            known: whole.known,
            evidence_of_others: whole.evidence_of_others,
            undecided: whole.undecided,
            undecided_weighs: whole.undecided_weighs,
            ..summary
        };
    }

    /// The same without verdicts.
    pub(crate) fn without_verdicts(mut self) -> Self {
        self.summary.verdicts.clear();
        for entry in &mut self.entries {
            entry.verdict = None;
            entry.because.clear();
            entry.elsewhere.clear();
        }
        self
    }

    /// Were findings, or what somebody answers for, left out of it? Paths that were left out were never looked at.
    pub fn leaves_findings_out(&self) -> bool {
        self.filters.iter().any(|filter| !filter.as_str().starts_with("exclude "))
    }

    /// Are findings left out, so that there are no verdicts?
    pub(crate) fn is_partial(&self) -> bool {
        !self.filters.is_empty() && self.summary.verdicts.is_empty()
    }

    /// With what lies at some paths left out, as was asked for.
    #[must_use]
    pub fn without_paths(mut self, patterns: &[String]) -> Self {
        self.name("exclude", patterns);
        self
    }

    /// Is there something of which it is not known whether it may be used: not checked, or not read?
    pub fn is_unsure(&self) -> bool {
        let unchecked = self.summary.verdicts.get(&Named(Verdict::Unchecked)).is_some_and(|count| *count > 0);
        unchecked || self.summary.unread > 0
    }
}
