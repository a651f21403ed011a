//! The report for people: the counts first, then each entry, worst first.

mod findings;
mod orders;

use crate::model::{EntryRow, Named};
use crate::overview::{MANY, overview};
use crate::phrases::{count, credentials, decided, files, launch_lines, listed, plan_line, shown};
use crate::source::SourceRow;
use crate::style::{cut, pad};
use crate::together::{FindingGroup, together};
use crate::{RenderOptions, Renderer, Report, Role};
use std::collections::BTreeMap;
use std::io::{self, Write};
use tsuba_core::judge::Verdict;
use tsuba_core::register::ReviewState;
use tsuba_core::severity::Severity;
use tsuba_core::text::Name as _;

/// The text format.
#[derive(Clone, Copy, Debug)]
pub struct Text(pub RenderOptions);

/// Reports with more findings than this end with the counts they begin with.
const LONG: usize = 10;

impl Renderer for Text {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let groups = together(&report.findings, &report.entries);
        let mut rules: BTreeMap<&str, usize> = BTreeMap::new();
        groups
            .iter()
            .flat_map(FindingGroup::all)
            .for_each(|finding| *rules.entry(finding.rule.as_str()).or_default() += 1);
        let long = groups.len() > LONG;
        let often = if long { often(rules) } else { None };
        self.glance(report, often.as_deref(), out)?;
        let mut findings: BTreeMap<&str, Vec<FindingGroup<'_>>> = BTreeMap::new();
        let mut loose = Vec::new();
        for group in groups {
            match &group.lead.entry {
                Some(id) => findings.entry(id).or_default().push(group),
                None => loose.push(group),
            }
        }
        let (documents, mut entries): (Vec<&EntryRow>, Vec<&EntryRow>) =
            report.entries.iter().partition(|entry| entry.document);
        let own = |entry: &EntryRow| findings.get(entry.id.as_str()).map_or(&[][..], Vec::as_slice);
        // Worst first; within a verdict the entry with the worst findings.
        entries.sort_by_cached_key(|entry| {
            let count = |severity| own(entry).iter().filter(|group| group.lead.severity == severity).count();
            std::cmp::Reverse((
                entry.verdict,
                count(Severity::Critical),
                count(Severity::High),
                count(Severity::Medium),
            ))
        });
        // Beside an earlier report only what is new is told.
        let since = report.summary.known > 0;
        let (talked, quiet): (Vec<&EntryRow>, Vec<&EntryRow>) = entries
            .iter()
            .partition(|entry| !own(entry).is_empty() || (entry.verdict > Some(Verdict::Unchecked) && !since));
        let many = report.entries.iter().filter(|entry| entry.counts()).count() > MANY;
        if (many || self.0.most == Some(0)) && !report.summary.verdicts.is_empty() {
            overview(self.0, report, &entries, own, out)?;
        }
        for entry in talked.iter().take(self.0.most.unwrap_or(usize::MAX)) {
            self.entry(entry, own(entry), out)?;
        }
        if let Some(most) = self.0.most {
            let told = talked.iter().take(most).filter(|entry| entry.counts()).count();
            let left = report.entries.iter().filter(|entry| entry.counts()).count().saturating_sub(told);
            if left > 0 {
                writeln!(out, "\n{} not shown", count(left, "entry is", "entries are"))?;
            }
            return self.unread(report, out);
        }
        let shown: Vec<&FindingGroup<'_>> = documents.iter().flat_map(|entry| own(entry)).collect();
        self.documents(&shown, out)?;
        self.loose(&loose, out)?;
        if !since {
            self.quiet(&quiet, out)?;
        }
        self.orders(report, out)?;
        self.unread(report, out)?;
        self.unasked(report, out)?;
        // On a terminal the first lines have scrolled away.
        if long {
            writeln!(out)?;
            self.glance(report, often.as_deref(), out)?;
        }
        Ok(())
    }
}

impl Text {
    /// The counts: what a busy reader needs.
    fn glance(&self, report: &Report, often: Option<&str>, out: &mut dyn Write) -> io::Result<()> {
        let look = self.0;
        let summary = &report.summary;
        let filters = report.filters.iter().map(|filter| filter.as_str()).collect::<Vec<_>>().join("; ");
        let filtered = if filters.is_empty() { String::new() } else { format!("; filtered: {filters}") };
        let undecided = match summary.undecided {
            0 => String::new(),
            some => format!("; {some} undecided"),
        };
        let unread = match summary.unread {
            0 => undecided,
            some => format!("{undecided}; {} unread", count(some, "file", "files")),
        };
        let unread = shown(report).map(|shown| format!("; {shown}")).unwrap_or_default() + &unread;
        if summary.entries == 0 {
            // What could not be read may well be a setup.
            let read = if summary.unread > 0 {
                "No tool server is set up in what could be read of"
            } else {
                "No tool server is set up in"
            };
            writeln!(out, "{read} {}{unread}.", inputs(report))?;
        } else if report.is_partial() {
            writeln!(
                out,
                "filtered ({filters}), so without verdicts   {} in {}{unread}",
                count(summary.entries, "entry", "entries"),
                files(report)
            )?;
        } else {
            let verdicts: Vec<String> = Verdict::ALL
                .iter()
                .map(|verdict| {
                    format!(
                        "{} {}",
                        summary.verdicts.get(&Named(*verdict)).unwrap_or(&0),
                        look.paint(Role::Verdict(*verdict), verdict.name())
                    )
                })
                .collect();
            writeln!(
                out,
                "{}   of {} in {}{unread}{filtered}",
                verdicts.join("   "),
                count(summary.entries, "entry", "entries"),
                files(report)
            )?;
        }
        let found: Vec<String> = Severity::ALL
            .iter()
            .filter_map(|severity| {
                summary
                    .findings
                    .get(&Named(*severity))
                    .filter(|n| **n > 0)
                    .map(|n| format!("{n} {}", look.paint(Role::Severity(*severity), severity.name())))
            })
            .collect();
        let found = if found.is_empty() { "no findings".to_owned() } else { format!("findings: {}", found.join(", ")) };
        let known = if summary.known > 0 { format!("; {} known before", summary.known) } else { String::new() };
        let waived = if summary.waived > 0 { format!("; {} waived", summary.waived) } else { String::new() };
        writeln!(out, "{found}{waived}{known}   {}", look.paint(Role::Quiet, &format!("(as of {})", report.as_of)))?;
        if let Some(source) = report.source.as_ref().and_then(source) {
            writeln!(out, "{}", cut(&source, look.width))?;
        }
        if !report.judged_with.is_empty() {
            let files: Vec<&str> = report.judged_with.iter().map(|file| file.as_str()).collect();
            let changed = report.findings.iter().filter(|finding| finding.without_policy.is_some()).count();
            let changed = match changed {
                0 => String::new(),
                changed => {
                    format!("; {} changed in severity by the policy", count(changed, "finding", "findings"))
                }
            };
            writeln!(out, "judged with {}{changed}", files.join(" and "))?;
        }
        often.map_or(Ok(()), |often| writeln!(out, "most often: {often}"))
    }

    fn entry(&self, entry: &EntryRow, findings: &[FindingGroup<'_>], out: &mut dyn Write) -> io::Result<()> {
        let look = self.0;
        let off = if entry.disabled { "  (switched off)" } else { "" };
        writeln!(
            out,
            "\n{}{}  {}{off}",
            self.verdict(entry),
            look.paint(Role::Name, entry.name.as_str()),
            look.paint(Role::Quiet, &format!("{}:{}", entry.setup, entry.place.line))
        )?;
        for (label, line) in launch_lines(entry) {
            self.labelled(label, &line, out)?;
        }
        if let Some(listed) = listed(entry) {
            self.labelled("tools", &listed, out)?;
        }
        if let Some(given) = credentials(entry) {
            self.labelled("given", &given, out)?;
        }
        if let Some(decided) = decided(entry) {
            self.labelled("decision", &decided, out)?;
        }
        let reasons: Vec<&str> = entry.because.iter().map(|reason| reason.as_str()).collect();
        // One reason that is told below needs no line of its own; one that stands elsewhere (at the gateway before it) does.
        let below = |id: &&str| findings.iter().flat_map(FindingGroup::all).any(|finding| finding.rule.as_str() == *id);
        if reasons.len() > 1 || !reasons.iter().all(below) {
            self.labelled("because", &entry.reasons().join("; "), out)?;
        }
        // What is about the entry as a whole is not shown by the line with its name.
        let name = (entry.place.line, entry.place.column);
        let findings: Vec<&FindingGroup<'_>> = findings.iter().collect();
        self.findings(&findings, |finding| (finding.place.line, finding.place.column) == name, out)
    }

    /// The verdict on an entry, and room behind it; nothing where none is given.
    fn verdict(&self, entry: &EntryRow) -> String {
        let painted = |verdict: Verdict| self.0.paint(Role::Verdict(verdict), &pad(verdict.name(), 9)) + "  ";
        entry.verdict.map(painted).unwrap_or_default()
    }

    /// Entries without a finding, a line each, by setup.
    fn quiet(&self, entries: &[&EntryRow], out: &mut dyn Write) -> io::Result<()> {
        if entries.is_empty() {
            return Ok(());
        }
        writeln!(out, "\n{}", self.0.paint(Role::Heading, "No findings"))?;
        let name = entries.iter().map(|e| e.name.as_str().chars().count()).max().unwrap_or(0).min(28);
        let mut setup = None;
        for entry in entries {
            if setup != Some(&entry.setup) {
                writeln!(out, "  {}", self.0.paint(Role::Quiet, entry.setup.as_str()))?;
                setup = Some(&entry.setup);
            }
            let line = format!("{}  {}", pad(&cut(entry.name.as_str(), name), name), plan_line(entry));
            // Without findings only what was not seen can decide.
            let mut reasons: Vec<&str> = entry.because.iter().map(|reason| reason.as_str()).collect();
            let standing = entry.decision.as_ref().map(|decision| *decision.standing);
            reasons.extend((standing == Some(ReviewState::Unknown)).then_some("undecided"));
            let reasons = if reasons.is_empty() { String::new() } else { format!("  ({})", reasons.join(", ")) };
            let line = cut(&line, self.0.width.saturating_sub(15 + reasons.len()));
            writeln!(out, "    {}{line}{}", self.verdict(entry), self.0.paint(Role::Quiet, &reasons))?;
        }
        Ok(())
    }

    /// What could not be judged, and how it could be.
    fn unasked(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let others = report.summary.evidence_of_others;
        if others > 0 {
            let files = count(others, "evidence file whose entry is", "evidence files whose entries are");
            writeln!(out, "\nIgnored {files} not in {}", inputs(report))?;
        }
        let unasked = &report.summary.unasked;
        let all = unasked.local.saturating_add(unasked.remote);
        if all == 0 {
            return Ok(());
        }
        let servers = count(all, "server was", "servers were");
        let launch = if unasked.local > 0 { " --launch" } else { "" };
        // As they are given on the command line.
        let given = |input: &str| match input {
            "candidate" => "--candidate TEXT".to_owned(),
            "the home folder" => "--home".to_owned(),
            path => path.to_owned(),
        };
        let inputs = report.inputs.iter().map(|input| given(input.as_str())).collect::<Vec<_>>().join(" ");
        writeln!(out, "\n{}", self.0.paint(Role::Heading, "Not judged"))?;
        writeln!(out, "  {servers} not queried: tool lists and authentication were not checked")?;
        writeln!(out, "    tsuba capture{launch} {inputs}    collects it")?;
        writeln!(out, "    tsuba audit --evidence evidence {inputs}    judges it")
    }

    fn unread(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        if report.unread.is_empty() {
            return Ok(());
        }
        writeln!(out, "\n{}", self.0.paint(Role::Heading, "Could not be read"))?;
        for unread in &report.unread {
            let line = unread.line.map(|line| format!(":{line}")).unwrap_or_default();
            writeln!(out, "  {}{line}  {}", unread.path, unread.why)?;
        }
        Ok(())
    }
}

/// Which rules speak most often: where one change of habit would help most.
fn often(counts: BTreeMap<&str, usize>) -> Option<String> {
    let mut counts: Vec<(&str, usize)> = counts.into_iter().filter(|(_, n)| *n > 1).collect();
    counts.sort_by_key(|(rule, n)| (std::cmp::Reverse(*n), *rule));
    let named: Vec<String> = counts.iter().take(4).map(|(rule, n)| format!("{rule} {n}")).collect();
    (!named.is_empty()).then(|| named.join(", "))
}

/// From where paths are told, and of which repository and commit they are.
fn source(source: &SourceRow) -> Option<String> {
    let root = source.root.as_ref()?;
    let repository = source.repository.as_ref().map(|own| format!("   {own}")).unwrap_or_default();
    let commit = source.commit.as_ref().map(|commit| format!(" at {}", commit.as_str().get(..12).unwrap_or_default()));
    Some(format!("paths from {root}{repository}{}", commit.unwrap_or_default()))
}

fn inputs(report: &Report) -> String {
    let name = |input: &str| if input == "." { "this folder".to_owned() } else { input.to_owned() };
    let names: Vec<String> = report.inputs.iter().map(|input| name(input.as_str())).collect();
    names.join(", ")
}
