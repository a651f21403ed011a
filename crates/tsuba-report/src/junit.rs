//! The verdicts as a test report (JUnit XML): a suite for each setup, a case for each entry. What must be refused or fixed fails, what was not
//! checked is skipped, and what could not be read is an error.

use crate::model::{EntryRow, FindingRow};
use crate::{Renderer, Report};
use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, BytesText, Event};
use std::collections::BTreeMap;
use std::io::{self, Write};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;

/// JUnit XML.
#[derive(Clone, Copy, Debug)]
pub struct JUnit;

/// Findings from here on fail a case that has no verdict.
const GATE: Severity = Severity::High;

/// An entry, a file with findings of its own, or one that could not be read.
struct Case<'r> {
    name: &'r str,
    outcome: Outcome,
    message: String,
    details: String,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Outcome {
    Passed,
    Failed,
    Skipped,
    Error,
}

impl Renderer for JUnit {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let mut suites: BTreeMap<&str, Vec<Case<'_>>> = BTreeMap::new();
        let mut own: BTreeMap<(&str, &str), Vec<&FindingRow>> = BTreeMap::new();
        for finding in report.findings.iter().filter(|finding| finding.waived.is_none()) {
            let key = (finding.setup.as_str(), finding.entry.as_deref().unwrap_or_default());
            own.entry(key).or_default().push(finding);
        }
        for entry in report.entries.iter().filter(|entry| !entry.document) {
            let findings = own.remove(&(entry.setup.as_str(), entry.id.as_str())).unwrap_or_default();
            if entry.counts() || !findings.is_empty() {
                suites.entry(entry.setup.as_str()).or_default().push(of_entry(entry, &findings));
            }
        }
        // Of files as a whole, and what texts only show.
        for ((setup, _), findings) in own {
            let outcome = if reaches(&findings) { Outcome::Failed } else { Outcome::Passed };
            let message = findings.first().map(|finding| finding.message.to_string()).unwrap_or_default();
            let case = Case { name: "(file)", outcome, message, details: details(&findings) };
            suites.entry(setup).or_default().push(case);
        }
        for unread in &report.unread {
            let line = unread.line.map(|line| format!("line {line}: ")).unwrap_or_default();
            let message = format!("{line}{}", unread.why);
            let case = Case { name: "(unread)", outcome: Outcome::Error, message, details: String::new() };
            suites.entry(unread.path.as_str()).or_default().push(case);
        }
        write(report, &suites, out)
    }
}

fn reaches(findings: &[&FindingRow]) -> bool {
    findings.iter().any(|finding| finding.severity >= GATE)
}

fn of_entry<'r>(entry: &'r EntryRow, findings: &[&FindingRow]) -> Case<'r> {
    let outcome = match entry.verdict.filter(|_| entry.counts()) {
        Some(Verdict::Refuse | Verdict::FixFirst) => Outcome::Failed,
        Some(Verdict::Unchecked) => Outcome::Skipped,
        Some(Verdict::Ready) => Outcome::Passed,
        None if reaches(findings) => Outcome::Failed,
        None => Outcome::Passed,
    };
    let because = entry.reasons();
    let verdict = entry.verdict.map_or("", Verdict::name);
    Case {
        name: entry.name.as_str(),
        outcome,
        message: format!("{verdict}: {}", because.join("; ")).trim_matches([':', ' ']).to_owned(),
        details: details(findings),
    }
}

/// The findings of a case, one below the other.
fn details(findings: &[&FindingRow]) -> String {
    let lines = findings.iter().map(|finding| {
        let place = format!("{}:{}:{}", finding.setup, finding.place.line, finding.place.column);
        format!(
            "{} {} at {place}\n{}\n{}\nfix: {}\n",
            finding.severity.name(),
            finding.rule,
            finding.message,
            finding.excerpt,
            finding.fix
        )
    });
    lines.collect::<Vec<_>>().join("\n")
}

fn write(report: &Report, suites: &BTreeMap<&str, Vec<Case<'_>>>, out: &mut dyn Write) -> io::Result<()> {
    let mut xml = Writer::new_with_indent(out, b' ', 2);
    xml.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let time = format!("{}T00:00:00", report.as_of);
    let all: Vec<&Case<'_>> = suites.values().flatten().collect();
    xml.write_event(Event::Start(counted("testsuites", "tsuba", &all)))?;
    for (path, cases) in suites {
        let mut suite = counted("testsuite", path, &cases.iter().collect::<Vec<_>>());
        suite.push_attribute(("timestamp", time.as_str()));
        xml.write_event(Event::Start(suite))?;
        for case in cases {
            let mut start = BytesStart::new("testcase");
            attribute(&mut start, "classname", path);
            attribute(&mut start, "name", case.name);
            let element = match case.outcome {
                Outcome::Passed => None,
                Outcome::Failed => Some("failure"),
                Outcome::Skipped => Some("skipped"),
                Outcome::Error => Some("error"),
            };
            let Some(element) = element else {
                xml.write_event(Event::Empty(start))?;
                continue;
            };
            xml.write_event(Event::Start(start))?;
            let mut inner = BytesStart::new(element);
            attribute(&mut inner, "message", &case.message);
            xml.write_event(Event::Start(inner))?;
            xml.write_event(Event::Text(BytesText::new(&allowed(&case.details))))?;
            xml.write_event(Event::End(BytesEnd::new(element)))?;
            xml.write_event(Event::End(BytesEnd::new("testcase")))?;
        }
        xml.write_event(Event::End(BytesEnd::new("testsuite")))?;
    }
    xml.write_event(Event::End(BytesEnd::new("testsuites")))?;
    xml.into_inner().write_all(b"\n")
}

/// An element with the counts of its cases.
fn counted<'e>(element: &'e str, name: &str, cases: &[&Case<'_>]) -> BytesStart<'e> {
    let count = |outcome| cases.iter().filter(|case| case.outcome == outcome).count().to_string();
    let mut start = BytesStart::new(element);
    attribute(&mut start, "name", name);
    start.push_attribute(("tests", cases.len().to_string().as_str()));
    start.push_attribute(("failures", count(Outcome::Failed).as_str()));
    start.push_attribute(("errors", count(Outcome::Error).as_str()));
    start.push_attribute(("skipped", count(Outcome::Skipped).as_str()));
    start
}

fn attribute(element: &mut BytesStart<'_>, name: &str, value: &str) {
    element.push_attribute((name, allowed(value).as_str()));
}

/// A text without what XML has no way to write (XML 1.0, 2.2).
fn allowed(text: &str) -> String {
    let may =
        |c: char| !matches!(c, '\u{0}'..='\u{8}' | '\u{b}' | '\u{c}' | '\u{e}'..='\u{1f}' | '\u{fffe}' | '\u{ffff}');
    text.chars().map(|c| if may(c) { c } else { '\u{fffd}' }).collect()
}
