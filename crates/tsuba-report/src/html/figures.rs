//! The figures of the overview: verdicts by group, severities by family, and the rules that most entries break.

use super::Study;
use crate::model::FindingRow;
use crate::phrases::reason;
use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet};
use svg::node::element::Rectangle;
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;
use tsuba_core::text::Name as _;

/// So many groups have a line of their own.
const MAX_GROUPS: usize = 14;
/// So many rules.
const MAX_RULES: usize = 10;
/// The bar of the largest group, in units of its drawing.
const BAR: usize = 360;
const BAR_HEIGHT: usize = 16;

/// How a group stands.
pub(super) struct GroupLine<'r> {
    pub(super) name: &'r str,
    /// By verdict, in the order in which verdicts are told.
    pub(super) cells: Vec<(&'static str, usize)>,
    pub(super) total: usize,
    /// The same as a drawing.
    pub(super) bar: String,
}

/// A family, and how much of what was found by it.
pub(super) struct FamilyRow {
    pub(super) name: String,
    /// By severity: how many, and how dark the cell is (0 to 4).
    pub(super) cells: Vec<(&'static str, usize, usize)>,
}

/// A rule, and whom it concerns.
pub(super) struct RuleLine<'r> {
    pub(super) id: &'r str,
    pub(super) title: &'r str,
    pub(super) severity: &'static str,
    pub(super) entries: usize,
    pub(super) groups: usize,
}

/// Verdicts by group, the worst first; and how many groups more there are.
pub(super) fn by_group<'r>(study: &Study<'r>) -> (Vec<GroupLine<'r>>, usize) {
    lines(study.counted().filter_map(|(group, entry)| Some((group, entry.verdict?, 1))))
}

/// Likewise, of groups with how many entries have a verdict.
pub(super) fn lines<'r>(judged: impl Iterator<Item = (&'r str, Verdict, usize)>) -> (Vec<GroupLine<'r>>, usize) {
    let mut rows: BTreeMap<&'r str, [usize; Verdict::ALL.len()]> = BTreeMap::new();
    for (group, own, count) in judged {
        let at = Verdict::ALL.iter().position(|verdict| *verdict == own);
        if let Some(cell) = at.and_then(|at| rows.entry(group).or_default().get_mut(at)) {
            *cell += count;
        }
    }
    let mut rows: Vec<(&'r str, [usize; Verdict::ALL.len()])> = rows.into_iter().collect();
    rows.sort_by_key(|(name, cells)| (Reverse(*cells), *name));
    let more = rows.len().saturating_sub(MAX_GROUPS);
    rows.truncate(MAX_GROUPS);
    let most = rows.iter().map(|(_, cells)| cells.iter().sum::<usize>()).max().unwrap_or(1).max(1);
    let line = |(name, cells): (&'r str, [usize; Verdict::ALL.len()])| GroupLine {
        name,
        total: cells.iter().sum(),
        bar: bar(&cells, most),
        cells: Verdict::ALL.iter().map(|verdict| verdict.name()).zip(cells).collect(),
    };
    (rows.into_iter().map(line).collect(), more)
}

/// The verdicts of a group, one behind the other, on the scale of the largest group.
pub(super) fn bar(cells: &[usize], most: usize) -> String {
    let mut drawing = svg::Document::new()
        .set("viewBox", (0, 0, BAR, BAR_HEIGHT))
        .set("preserveAspectRatio", "none")
        .set("class", "bar")
        .set("aria-hidden", "true");
    let mut before = 0;
    for (verdict, count) in Verdict::ALL.iter().zip(cells) {
        let (start, end) = (before * BAR / most, (before + count) * BAR / most);
        before += count;
        if *count > 0 {
            // A gap tells two neighbours apart without their colours.
            let width = (end - start).saturating_sub(2).max(2);
            drawing = drawing.add(
                Rectangle::new()
                    .set("x", start)
                    .set("y", 0)
                    .set("width", width)
                    .set("height", BAR_HEIGHT)
                    .set("class", verdict.name()),
            );
        }
    }
    drawing.to_string()
}

/// Severities by family, in the order in which families are told.
pub(super) fn by_family(study: &Study<'_>) -> Vec<FamilyRow> {
    let mut rows: BTreeMap<String, BTreeMap<Severity, usize>> = BTreeMap::new();
    for group in study.open() {
        let family = family(group.lead).to_owned();
        *rows.entry(family).or_default().entry(group.lead.severity).or_default() += 1;
    }
    let most = rows.values().flat_map(BTreeMap::values).copied().max().unwrap_or(1).max(1);
    let dark = |count: usize| (count * 4).div_ceil(most);
    let cells = |own: &BTreeMap<Severity, usize>| {
        let count = |severity: &Severity| own.get(severity).copied().unwrap_or_default();
        Severity::ALL.iter().map(|s| (s.name(), count(s), dark(count(s)))).collect()
    };
    let mut rows: Vec<(String, BTreeMap<Severity, usize>)> = rows.into_iter().collect();
    rows.sort_by_key(|(name, own)| {
        let counts = [Severity::Critical, Severity::High, Severity::Medium].map(|s| own.get(&s).copied());
        (Reverse(counts), name.clone())
    });
    rows.into_iter().map(|(name, own)| FamilyRow { cells: cells(&own), name }).collect()
}

/// The family of a finding's rule.
fn family(finding: &FindingRow) -> &str {
    finding.rule.as_str().split('/').next().unwrap_or_default()
}

/// The rules that most entries break, the worst first; and how many rules more there are.
pub(super) fn by_rule<'r>(study: &Study<'r>) -> (Vec<RuleLine<'r>>, usize) {
    struct Tally<'r> {
        severity: Severity,
        entries: BTreeSet<(&'r str, &'r str)>,
        groups: BTreeSet<&'r str>,
    }
    let mut rules: BTreeMap<&'r str, Tally<'r>> = BTreeMap::new();
    for finding in study.open().flat_map(|group| group.all().collect::<Vec<_>>()) {
        let own = rules.entry(finding.rule.as_str()).or_insert_with(|| Tally {
            severity: finding.severity,
            entries: BTreeSet::new(),
            groups: BTreeSet::new(),
        });
        own.severity = own.severity.max(finding.severity);
        own.entries.insert((finding.setup.as_str(), finding.entry.as_deref().unwrap_or_default()));
        own.groups.insert(study.group_of(finding));
    }
    let mut rules: Vec<(&'r str, Tally<'r>)> = rules.into_iter().collect();
    rules.sort_by_key(|(id, own)| (Reverse(own.severity), Reverse(own.entries.len()), *id));
    let more = rules.len().saturating_sub(MAX_RULES);
    rules.truncate(MAX_RULES);
    let line = |(id, own): (&'r str, Tally<'r>)| RuleLine {
        id,
        // A rule of the company's own, or of a newer program, has no title here.
        title: reason(id).unwrap_or(id),
        severity: own.severity.name(),
        entries: own.entries.len(),
        groups: own.groups.len(),
    };
    (rules.into_iter().map(line).collect(), more)
}
