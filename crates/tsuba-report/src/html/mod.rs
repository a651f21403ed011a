//! The report as one page: for a manager to look at and an engineer to work in.
//!
//! What a manager reads (figures, who uses what, leak paths) is in the markup. The entries and findings are data, and a script builds their rows
//! as they come into view, so that twenty thousand stay usable. Nothing is fetched, and nothing from outside is markup: the template escapes
//! what it is given, the script only sets texts, and a content-security policy lets nothing run but this script.

mod company;
mod data;
mod figures;
mod graph;

use crate::groups::Groups;
use crate::model::{EntryRow, FindingRow, Named};
use crate::phrases::{count, files, shown};
use crate::together::{FindingGroup, together};
use crate::{Renderer, Report};
use askama::Template;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
pub use company::{Company, CompanyEntry, CompanyFinding, CompanyWeek, company};
use figures::{FamilyRow, GroupLine, RuleLine};
use graph::{LeakPath, UseGraph};
use sha2::{Digest as _, Sha256};
use std::collections::BTreeMap;
use std::io::{self, Write};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;
use tsuba_core::text::Name as _;

/// One self-contained page.
#[derive(Clone, Copy, Debug)]
pub struct Html;

pub(crate) const STYLE: &str = include_str!("../../templates/page.css");
const SCRIPT: &str = include_str!("../../templates/page.js");

/// A report with what several figures are made from.
struct Study<'r> {
    report: &'r Report,
    groups: Groups<'r>,
    findings: Vec<FindingGroup<'r>>,
    entries: BTreeMap<&'r str, &'r EntryRow>,
}

impl<'r> Study<'r> {
    fn of(report: &'r Report) -> Self {
        Self {
            report,
            groups: Groups::of(report),
            findings: together(&report.findings, &report.entries),
            entries: report.entries_by_id(),
        }
    }

    /// The entries that count, with the group that answers for each.
    fn counted(&self) -> impl Iterator<Item = (&'r str, &'r EntryRow)> {
        let own = self.report.entries.iter().filter(|entry| entry.counts());
        own.map(|entry| (self.groups.name(entry.setup.as_str()), entry))
    }

    /// The group that a finding concerns: what a server says concerns those who use it, wherever it was captured.
    fn group_of(&self, finding: &FindingRow) -> &'r str {
        let entry = finding.entry.as_deref().and_then(|id| self.entries.get(id));
        let owner =
            entry.and_then(|entry| entry.listing.as_ref()?.of.iter().find_map(|id| self.entries.get(id.as_str())));
        self.groups.name(owner.map_or(&finding.setup, |owner| &owner.setup).as_str())
    }

    /// What is open, each finding once.
    fn open(&self) -> impl Iterator<Item = &FindingGroup<'r>> {
        self.findings.iter().filter(|group| group.lead.waived.is_none())
    }
}

/// The counts that the page begins with.
struct Tile {
    count: usize,
    name: &'static str,
    says: &'static str,
}

#[derive(Template)]
#[template(path = "page.html")]
struct Page<'r> {
    policy: String,
    style: &'static str,
    script: &'static str,
    data: String,
    title: String,
    lines: Vec<String>,
    judged: bool,
    tiles: Vec<Tile>,
    severities: Vec<(&'static str, usize)>,
    group: &'static str,
    groups: &'static str,
    group_lines: Vec<GroupLine<'r>>,
    more_groups: usize,
    families: Vec<FamilyRow>,
    rules: Vec<RuleLine<'r>>,
    more_rules: usize,
    graph: UseGraph<'r>,
    paths: Vec<LeakPath<'r>>,
    more_paths: usize,
    unread: Vec<(String, &'r str)>,
    more_unread: usize,
    version: &'r str,
}

/// So many files that could not be read are named.
const MAX_UNREAD: usize = 200;

impl Renderer for Html {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let study = Study::of(report);
        let summary = &report.summary;
        let (group_lines, more_groups) = figures::by_group(&study);
        let (rules, more_rules) = figures::by_rule(&study);
        let (paths, more_paths) = graph::leak_paths(&study);
        let unread = report.unread.iter().take(MAX_UNREAD);
        let place = |line: Option<u32>| line.map(|line| format!(":{line}")).unwrap_or_default();
        let page = Page {
            policy: policy(),
            style: STYLE,
            script: SCRIPT,
            data: data::json(&study)?,
            title: report.title(),
            lines: lines(report),
            judged: !summary.verdicts.is_empty() && !report.is_partial(),
            tiles: Verdict::ALL.iter().map(|verdict| tile(report, *verdict)).collect(),
            severities: Severity::ALL
                .iter()
                .map(|severity| (severity.name(), summary.findings.get(&Named(*severity)).copied().unwrap_or_default()))
                .collect(),
            group: study.groups.kind.name(),
            groups: study.groups.kind.plural(),
            group_lines,
            more_groups,
            families: figures::by_family(&study),
            rules,
            more_rules,
            graph: graph::uses(&study),
            paths,
            more_paths,
            unread: unread.map(|row| (format!("{}{}", row.path, place(row.line)), row.why.as_str())).collect(),
            more_unread: report.unread.len().saturating_sub(MAX_UNREAD),
            version: report.tool.version.as_str(),
        };
        let mut out = out;
        page.write_into(&mut out)
    }
}

fn tile(report: &Report, verdict: Verdict) -> Tile {
    Tile {
        count: report.summary.verdicts.get(&Named(verdict)).copied().unwrap_or_default(),
        name: verdict.name(),
        says: says(verdict),
    }
}

/// What a verdict means, for a manager.
fn says(verdict: Verdict) -> &'static str {
    match verdict {
        Verdict::Refuse => "must not be used",
        Verdict::FixFirst => "usable once the setup is corrected",
        Verdict::Unchecked => "nothing wrong is written, but something was not seen",
        Verdict::Ready => "no findings, and the server was asked",
    }
}

/// What stands under the title: how much there is, as of when, and what the figures leave out.
fn lines(report: &Report) -> Vec<String> {
    let summary = &report.summary;
    let mut first = vec![format!("{} in {}", count(summary.entries, "entry", "entries"), files(report))];
    first.extend(shown(report));
    if summary.undecided > 0 {
        first.push(format!("{} undecided", summary.undecided));
    }
    if summary.unread > 0 {
        first.push(format!("{} unread", count(summary.unread, "file", "files")));
    }
    if summary.waived > 0 {
        first.push(format!("{} waived", count(summary.waived, "finding", "findings")));
    }
    first.push(format!("as of {}", report.as_of));
    let mut lines = vec![first.join("; ")];
    let names = |texts: &[crate::model::Text]| texts.iter().map(|text| text.as_str()).collect::<Vec<_>>().join(", ");
    if !report.judged_with.is_empty() {
        lines.push(format!("judged with {}", names(&report.judged_with)));
    }
    if !report.filters.is_empty() {
        lines.push(format!("filtered: {}", names(&report.filters)));
    }
    let unasked = summary.unasked.local.saturating_add(summary.unasked.remote);
    if unasked > 0 {
        lines.push(format!(
            "{} not queried: tool lists and authentication were not checked",
            count(unasked, "server was", "servers were")
        ));
    }
    if summary.known > 0 {
        lines.push(format!("{} known before and left out", count(summary.known, "finding", "findings")));
    }
    lines
}

/// What the page may do: show itself, and run its own script.
pub(crate) fn policy() -> String {
    let hash = |text: &str| format!("'sha256-{}'", STANDARD.encode(Sha256::digest(text.as_bytes())));
    format!(
        "default-src 'none'; script-src {}; style-src {}; base-uri 'none'; form-action 'none'",
        hash(SCRIPT),
        hash(STYLE)
    )
}

/// The worst of what is open among some findings.
fn worst<'f, 'r: 'f>(findings: impl IntoIterator<Item = &'f &'r FindingRow>) -> Option<Severity> {
    findings.into_iter().filter(|row| row.waived.is_none()).map(|row| row.severity).max()
}
