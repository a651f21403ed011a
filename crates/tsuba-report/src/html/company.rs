//! The page of a whole company: how it goes, whose what is, how long findings have been open, and all entries.

use super::data::{Data, Found, Item, within_markup};
use super::figures::{GroupLine, lines};
use super::{SCRIPT, STYLE, Tile, policy, says};
use crate::phrases::reason;
use askama::Template;
use std::collections::BTreeMap;
use std::io::{self, Write};
use svg::node::element::{Line, Path, Text as Label, path};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;
use tsuba_core::text::Name as _;

/// What is known of a company. Every text of it may be shown.
#[derive(Clone, Debug, Default)]
pub struct Company {
    /// As of which day.
    pub as_of: String,
    /// How many repositories and hosts there are reports of.
    pub sources: usize,
    /// The version of the program.
    pub version: String,
    /// The last weeks.
    pub weeks: Vec<CompanyWeek>,
    /// How many entries there are, by who answers for them and verdict.
    pub verdicts: Vec<(String, Verdict, usize)>,
    /// How many findings are open that nobody accepts, by severity and days.
    pub open: Vec<(&'static str, i32, usize)>,
    /// The entries that are there, or the worst of them.
    pub entries: Vec<CompanyEntry>,
    /// Are there more findings of files than those that are among them?
    pub files_cut: bool,
}

/// A week of a company.
#[derive(Clone, Debug, Default)]
pub struct CompanyWeek {
    /// Its last day.
    pub until: String,
    /// How many scopes had been reported on.
    pub sources: u32,
    /// Open findings: critical, high, medium.
    pub open: [i64; 3],
    /// Findings that came in it.
    pub came: i64,
    /// That went.
    pub went: i64,
}

/// An entry of a company.
#[derive(Clone, Debug, Default)]
pub struct CompanyEntry {
    /// Its name; of findings of a file, the file's.
    pub name: String,
    /// The verdict; none of a file.
    pub verdict: String,
    /// Who answers for it.
    pub owner: String,
    /// Where it is: repository or host, file and line.
    pub place: String,
    /// What is told of it, labelled.
    pub facts: Vec<(&'static str, String)>,
    /// What was found and is open.
    pub findings: Vec<CompanyFinding>,
}

/// A finding that is open.
#[derive(Clone, Debug, Default)]
pub struct CompanyFinding {
    /// The rule.
    pub rule: String,
    /// How bad.
    pub severity: &'static str,
    /// How sure.
    pub confidence: String,
    /// The line.
    pub line: u32,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub fix: String,
    /// For how long, since when, and whether it was closed in between.
    pub since: String,
    /// By whom it is accepted; empty where it is not.
    pub waived: String,
}

/// Spans of days by which findings are counted.
const AGES: [(&str, i32); 4] = [("up to 7", 7), ("8 to 30", 30), ("31 to 90", 90), ("more than 90", i32::MAX)];
/// The severities of which that is told.
const TOLD: [Severity; 3] = [Severity::Critical, Severity::High, Severity::Medium];
/// The drawing of the weeks.
const WIDTH: i64 = 620;
const HEIGHT: i64 = 150;
const EDGE: i64 = 34;

/// A span of days, and by severity how many findings have been open for so long and how dark the cell is (0 to 4).
type AgeRow = (&'static str, Vec<(&'static str, usize, usize)>);

#[derive(Template)]
#[template(path = "company.html")]
struct Page<'c> {
    policy: String,
    style: &'static str,
    script: &'static str,
    data: String,
    lines: Vec<String>,
    group: &'static str,
    tiles: Vec<Tile>,
    chart: String,
    weeks: &'c [CompanyWeek],
    group_lines: Vec<GroupLine<'c>>,
    more_groups: usize,
    age_heads: [&'static str; 3],
    ages: Vec<AgeRow>,
    version: &'c str,
}

/// Writes the page.
///
/// # Errors
/// What the writer says.
pub fn company(company: &Company, out: &mut dyn Write) -> io::Result<()> {
    let count = |verdict: Verdict| -> usize {
        company.verdicts.iter().filter(|(_, own, _)| *own == verdict).map(|(.., count)| count).sum()
    };
    let (group_lines, more_groups) =
        lines(company.verdicts.iter().map(|(owner, verdict, count)| (owner.as_str(), *verdict, *count)));
    let entries = Verdict::ALL.iter().map(|verdict| count(*verdict)).sum::<usize>();
    let here = company.entries.iter().filter(|entry| !entry.verdict.is_empty()).count();
    let mut said = vec![format!(
        "{} in {}; as of {}",
        crate::count(entries, "entry", "entries"),
        crate::count(company.sources, "repository or host", "repositories and hosts"),
        company.as_of
    )];
    if here < entries {
        said.push(format!("Listed below are the {here} worst; `tsuba company list` has all of them."));
    }
    if company.files_cut {
        said.push("Of findings in files the worst are listed; `tsuba company export` has all of them.".to_owned());
    }
    let page = Page {
        policy: policy(),
        style: STYLE,
        script: SCRIPT,
        data: data(company)?,
        lines: said,
        group: "owner",
        tiles: Verdict::ALL
            .iter()
            .map(|verdict| Tile { count: count(*verdict), name: verdict.name(), says: says(*verdict) })
            .collect(),
        chart: chart(&company.weeks),
        weeks: &company.weeks,
        group_lines,
        more_groups,
        age_heads: TOLD.map(Severity::name),
        ages: ages(company),
        version: &company.version,
    };
    let mut out = out;
    page.write_into(&mut out)
}

/// How many findings have been open for how long.
fn ages(company: &Company) -> Vec<AgeRow> {
    let mut counts: BTreeMap<(usize, &str), usize> = BTreeMap::new();
    for (severity, days, count) in &company.open {
        let span = AGES.iter().position(|(_, most)| days <= most).unwrap_or_default();
        *counts.entry((span, *severity)).or_default() += count;
    }
    let most = counts.values().copied().max().unwrap_or(1).max(1);
    let cell = |span: usize, severity: Severity| {
        let count = counts.get(&(span, severity.name())).copied().unwrap_or_default();
        (severity.name(), count, (count * 4).div_ceil(most))
    };
    AGES.iter()
        .enumerate()
        .map(|(span, (name, _))| (*name, TOLD.map(|severity| cell(span, severity)).to_vec()))
        .collect()
}

/// The open findings of each week as lines: critical, and critical with high.
fn chart(weeks: &[CompanyWeek]) -> String {
    let told: Vec<&CompanyWeek> = weeks.iter().filter(|week| week.sources > 0).collect();
    let critical = |week: &CompanyWeek| week.open.first().copied().unwrap_or_default();
    let both = |week: &CompanyWeek| week.open.iter().take(2).sum::<i64>();
    let most = told.iter().map(|week| both(week)).max().unwrap_or(0).max(1);
    let last = i64::try_from(told.len()).unwrap_or(1).saturating_sub(1).max(1);
    let place = |at: usize, count: i64| {
        let at = i64::try_from(at).unwrap_or(0);
        (EDGE + at * (WIDTH - 2 * EDGE) / last, HEIGHT - 24 - count * (HEIGHT - 44) / most)
    };
    let mut drawing = svg::Document::new()
        .set("viewBox", (0, 0, WIDTH, HEIGHT))
        .set("class", "chart")
        .set("role", "img")
        .set("aria-label", "Open findings by week; the numbers are in the table below");
    let ground = HEIGHT - 24;
    drawing = drawing.add(
        Line::new().set("x1", EDGE).set("x2", WIDTH - EDGE).set("y1", ground).set("y2", ground).set("class", "ground"),
    );
    for (class, name, counts) in [
        ("high", "critical and high", told.iter().map(|week| both(week)).collect::<Vec<i64>>()),
        ("critical", "critical", told.iter().map(|week| critical(week)).collect()),
    ] {
        let mut line = path::Data::new();
        for (at, count) in counts.iter().enumerate() {
            let to = place(at, *count);
            line = if at == 0 { line.move_to(to) } else { line.line_to(to) };
        }
        drawing = drawing.add(Path::new().set("d", line).set("class", class));
        if let Some(count) = counts.last() {
            let (x, y) = place(counts.len() - 1, *count);
            let label = Label::new(format!("{count} {name}"));
            drawing = drawing.add(label.set("x", x).set("y", y - 6).set("text-anchor", "end").set("class", class));
        }
    }
    for (at, week) in [(0, told.first()), (told.len().saturating_sub(1), told.last())] {
        if let Some(week) = week.filter(|_| at > 0 || told.len() > 1) {
            let anchor = if at == 0 { "start" } else { "end" };
            let label = Label::new(week.until.clone()).set("x", place(at, 0).0).set("y", HEIGHT - 8);
            drawing = drawing.add(label.set("text-anchor", anchor).set("class", "quiet"));
        }
    }
    drawing.to_string()
}

/// The entries as the script reads them.
fn data(company: &Company) -> io::Result<String> {
    let mut rules: BTreeMap<&str, &str> = BTreeMap::new();
    let items = company.entries.iter().map(|entry| {
        let found = entry.findings.iter().map(|finding| {
            rules.insert(&finding.rule, reason(&finding.rule).unwrap_or(&finding.rule));
            Found {
                rules: vec![finding.rule.as_str()],
                severity: finding.severity,
                confidence: Some(finding.confidence.as_str()).filter(|sure| *sure != "certain"),
                line: finding.line,
                messages: vec![finding.message.as_str()],
                excerpt: "",
                marked: (0, 0),
                reads: None,
                sees: None,
                fixes: vec![finding.fix.as_str()],
                again: None,
                since: Some(finding.since.as_str()),
                waived: Some(finding.waived.clone()).filter(|waived| !waived.is_empty()),
            }
        });
        Item {
            found: found.collect(),
            name: &entry.name,
            kind: if entry.verdict.is_empty() { "file" } else { "entry" },
            verdict: Some(entry.verdict.as_str()).filter(|verdict| !verdict.is_empty()),
            group: &entry.owner,
            place: entry.place.clone(),
            facts: entry.facts.clone(),
        }
    });
    let items = items.collect();
    Ok(within_markup(&serde_json::to_string(&Data { group: "owner", rules, items })?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_chart_of_no_weeks_is_empty_and_one_of_large_numbers_stays_inside() {
        assert!(!chart(&[]).contains("NaN"));
        let week = |open| CompanyWeek { until: "2026-12-01".to_owned(), sources: 1, open, came: 0, went: 0 };
        let drawn = chart(&[week([0, 0, 0]), week([1_000_000, 2_000_000, 0])]);
        assert!(drawn.contains("3000000 critical and high"), "{drawn}");
        assert!([",-", "\"-", " -", "NaN"].iter().all(|outside| !drawn.contains(outside)), "{drawn}");
    }

    #[test]
    fn what_is_left_out_is_said_above_everything() {
        let page = |verdicts: Vec<(String, Verdict, usize)>, files_cut| {
            let mut out = Vec::new();
            company(&Company { verdicts, files_cut, ..Company::default() }, &mut out).unwrap();
            let text = String::from_utf8(out).unwrap();
            let head = text.find("<header>").unwrap()..text.find("<nav").unwrap();
            text.get(head).unwrap().to_owned()
        };
        let two = vec![("Harbour".to_owned(), Verdict::Refuse, 2)];
        for (verdicts, files_cut, entries, files) in
            [(vec![], false, false, false), (two.clone(), false, true, false), (two, true, true, true)]
        {
            let head = page(verdicts, files_cut);
            assert_eq!(head.contains("Listed below are the 0 worst"), entries, "{head}");
            assert_eq!(head.contains("Of findings in files the worst are listed"), files, "{head}");
        }
    }
}
