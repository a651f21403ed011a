//! What a reader of a long report sees first: who has how much of what, and the worst of it.

use crate::groups::Groups;
use crate::model::{EntryRow, Report};
use crate::style::{cut, cut_front, pad};
use crate::together::FindingGroup;
use crate::{RenderOptions, Role, count};
use std::collections::BTreeMap;
use std::io::{self, Write};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;
use tsuba_core::text::Name as _;
use unicode_width::UnicodeWidthStr as _;

/// A report with more entries than this begins with an overview.
pub(crate) const MANY: usize = 20;
/// So many of the worst entries are named in it.
const WORST: usize = 10;
/// So many teams or repositories have a line of their own.
const MAX_ROWS: usize = 16;
/// Names of teams and repositories are shown up to this width.
const MAX_NAME: usize = 32;

/// Writes it. `entries` are worst first, and `own` knows their findings.
pub(crate) fn overview<'f>(
    look: RenderOptions,
    report: &Report,
    entries: &[&EntryRow],
    own: impl Fn(&EntryRow) -> &'f [FindingGroup<'f>],
    out: &mut dyn Write,
) -> io::Result<()> {
    table(look, report, out)?;
    let worst: Vec<&&EntryRow> =
        entries.iter().filter(|entry| entry.counts() && entry.verdict > Some(Verdict::Unchecked)).take(WORST).collect();
    if worst.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{}", look.paint(Role::Heading, "Worst"))?;
    let names = worst.iter().map(|entry| entry.name.as_str().chars().count()).max().unwrap_or(0).min(24);
    let founds: Vec<String> = worst.iter().map(|entry| severities(own(entry))).collect();
    let widest = founds.iter().map(|found| found.chars().count()).max().unwrap_or(0);
    let places: Vec<String> = worst.iter().map(|entry| format!("{}:{}", entry.setup, entry.place.line)).collect();
    let longest = places.iter().map(|place| place.width()).max().unwrap_or(0);
    let room = look.width.saturating_sub(17 + names + widest).min(longest);
    for ((entry, found), place) in worst.into_iter().zip(founds).zip(places) {
        let Some(verdict) = entry.verdict else { continue };
        let name = pad(&cut(entry.name.as_str(), names), names);
        let line = format!("{name}  {}", pad(&cut_front(&place, room), room));
        writeln!(out, "  {}{line}  {found}", look.paint(Role::Verdict(verdict), &pad(verdict.name(), 11)))?;
    }
    Ok(())
}

/// How many findings there are, worst first.
fn severities(findings: &[FindingGroup<'_>]) -> String {
    let counts = [Severity::Critical, Severity::High, Severity::Medium].map(|severity| {
        let count =
            findings.iter().filter(|group| group.lead.severity == severity && group.lead.waived.is_none()).count();
        (count > 0).then(|| format!("{count} {}", severity.name()))
    });
    counts.into_iter().flatten().collect::<Vec<_>>().join(", ")
}

/// Teams, where there are any, else repositories, else folders: and their entries by verdict.
fn table(look: RenderOptions, report: &Report, out: &mut dyn Write) -> io::Result<()> {
    let groups = Groups::of(report);
    let mut rows: BTreeMap<&str, [usize; Verdict::ALL.len()]> = BTreeMap::new();
    for entry in report.entries.iter().filter(|entry| entry.counts()) {
        let at = Verdict::ALL.iter().position(|verdict| Some(*verdict) == entry.verdict);
        if let Some(cell) = at.and_then(|at| rows.entry(groups.name(entry.setup.as_str())).or_default().get_mut(at)) {
            *cell += 1;
        }
    }
    if rows.len() < 2 {
        return Ok(());
    }
    let mut rows: Vec<(&str, [usize; Verdict::ALL.len()])> = rows.into_iter().collect();
    rows.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(b.0)));
    let names = rows.iter().map(|(name, _)| name.chars().count()).max().unwrap_or(0).min(MAX_NAME);
    let heads: Vec<String> = Verdict::ALL.iter().map(|verdict| format!("{:>10}", verdict.name())).collect();
    writeln!(out, "\n{}{}", " ".repeat(names + 2), look.paint(Role::Quiet, &heads.concat()))?;
    for (name, cells) in rows.iter().take(MAX_ROWS) {
        let cells = cells.iter().zip(Verdict::ALL).map(|(count, verdict)| match count {
            // A nought is no news.
            0 => format!("{:>10}", "·"),
            count => look.paint(Role::Verdict(*verdict), &format!("{count:>10}")),
        });
        writeln!(out, "  {}{}", pad(&cut(name, names), names), cells.collect::<String>())?;
    }
    if let Some(more) = rows.len().checked_sub(MAX_ROWS).filter(|more| *more > 0) {
        writeln!(out, "  and {}", count(more, "more", "more"))?;
    }
    Ok(())
}
