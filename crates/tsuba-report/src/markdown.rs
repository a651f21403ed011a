//! The report for a ticket: what is wrong, where, and what to write instead.

use crate::model::{EntryRow, Named};
use crate::phrases::{count, launch_lines, reason, shown};
use crate::together::{FindingGroup, together};
use crate::{Renderer, Report};
use std::collections::BTreeMap;
use std::io::{self, Write};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;
use tsuba_core::text::Name as _;

/// Markdown.
#[derive(Clone, Copy, Debug)]
pub struct Markdown;

impl Renderer for Markdown {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let summary = &report.summary;
        let verdicts: Vec<String> = Verdict::ALL
            .iter()
            .map(|v| format!("{} {}", summary.verdicts.get(&Named(*v)).unwrap_or(&0), v.name()))
            .collect();
        let filters: Vec<&str> = report.filters.iter().map(|filter| filter.as_str()).collect();
        let message =
            if filters.is_empty() { String::new() } else { escape(&format!("; filtered: {}", filters.join("; "))) };
        let unread = match summary.unread {
            0 => String::new(),
            some => format!("; {} unread", count(some, "file", "files")),
        };
        let title = match report.is_partial() {
            false => format!("{}{unread}{message}", verdicts.join(", ")),
            true => escape(&format!("filtered ({}), so without verdicts{unread}", filters.join("; "))),
        };
        writeln!(out, "## Tool servers: {title}\n")?;
        writeln!(
            out,
            "{} in {}{}, as of {}{}.\n",
            count(summary.entries, "entry", "entries"),
            count(summary.setups, "setup", "setups"),
            shown(report).map(|shown| format!("; {shown}")).unwrap_or_default(),
            report.as_of,
            if summary.known > 0 {
                format!("; {} findings known before are left out", summary.known)
            } else {
                String::new()
            }
        )?;
        let mut findings: BTreeMap<&str, Vec<FindingGroup<'_>>> = BTreeMap::new();
        let above = report.findings.iter().filter(|f| f.severity > Severity::Note || f.entry.is_none());
        for group in together(above, &report.entries) {
            findings.entry(group.lead.entry.as_deref().unwrap_or_default()).or_default().push(group);
        }
        // Beside an earlier report only what is new is told.
        let fresh = |entry: &EntryRow| summary.known == 0 || findings.contains_key(entry.id.as_str());
        // Where only some rules were run there is no verdict: then whatever has a finding is told.
        let found = |entry: &EntryRow| findings.contains_key(entry.id.as_str());
        let is_told = |entry: &&EntryRow| entry.verdict.map_or(found(entry), |verdict| verdict > Verdict::Unchecked);
        for entry in report.entries.iter().filter(|entry| !entry.document && fresh(entry)).filter(is_told) {
            let verdict = entry.verdict.map(|verdict| format!(" ({})", verdict.name())).unwrap_or_default();
            writeln!(out, "### {}{verdict}\n", escape(entry.name.as_str()))?;
            let lines = launch_lines(entry);
            let does: Vec<String> = lines.iter().map(|(label, line)| format!("{label} {}", code(line))).collect();
            writeln!(out, "{}, line {}: {}\n", code(entry.setup.as_str()), entry.place.line, does.join(", "))?;
            for finding in findings.get(entry.id.as_str()).into_iter().flatten() {
                findings_item(finding, out)?;
            }
            writeln!(out)?;
        }
        let unchecked =
            report.entries.iter().filter(|entry| entry.verdict == Some(Verdict::Unchecked) && entry.counts());
        let unchecked: Vec<&EntryRow> = unchecked.filter(|_| summary.known == 0).collect();
        if !unchecked.is_empty() {
            writeln!(out, "### Unchecked\n")?;
            for entry in unchecked {
                let why: Vec<&str> = entry.because.iter().filter_map(|name| reason(name.as_str())).collect();
                let (name, setup) = (escape(entry.name.as_str()), code(entry.setup.as_str()));
                writeln!(out, "- {name}, {setup}, line {}: {}", entry.place.line, why.join("; "))?;
            }
            writeln!(out)?;
        }
        let of_documents = report.entries.iter().filter(|entry| entry.document);
        let of_documents: Vec<&FindingGroup<'_>> =
            of_documents.filter_map(|entry| findings.get(entry.id.as_str())).flatten().collect();
        let loose: Vec<&FindingGroup<'_>> = findings.get("").into_iter().flatten().collect();
        for (heading, groups) in [("Shown in documents", of_documents), ("File-level findings", loose)] {
            if !groups.is_empty() {
                writeln!(out, "### {heading}\n")?;
                groups.into_iter().try_for_each(|group| findings_item(group, out))?;
                writeln!(out)?;
            }
        }
        if !report.unread.is_empty() {
            writeln!(out, "### Could not be read\n")?;
            for unread in &report.unread {
                writeln!(out, "- {}: {}", code(unread.path.as_str()), escape(unread.why.as_str()))?;
            }
        }
        Ok(())
    }
}

fn findings_item(group: &FindingGroup<'_>, out: &mut dyn Write) -> io::Result<()> {
    let finding = group.lead;
    if let Some(waiver) = &finding.waived {
        return writeln!(
            out,
            "- [x] {} is waived until {} by {}: {}",
            finding.rule,
            waiver.until,
            escape(waiver.by.as_str()),
            escape(waiver.reason.as_str())
        );
    }
    let again = group.places().map(|places| format!(", {places}")).unwrap_or_default();
    let messages: Vec<String> = group.all().map(|finding| escape(finding.message.as_str())).collect();
    writeln!(
        out,
        "- [ ] **{}** {} ({}:{}:{}{again}): {}",
        finding.severity,
        group.codes(),
        code(finding.setup.as_str()),
        finding.place.line,
        finding.place.column,
        messages.join("; ")
    )?;
    writeln!(out, "  - {}", code(finding.excerpt.as_str()))?;
    group.fixes().into_iter().try_for_each(|fix| writeln!(out, "  - {}", escape(fix)))
}

/// Everything that Markdown or HTML would obey is escaped.
pub(crate) fn escape(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '&' => out.push_str("&amp;"),
            '\\' | '`' | '*' | '_' | '[' | ']' | '#' | '!' | '|' | '~' | '@' => {
                out.push('\\');
                out.push(c);
            }
            c => out.push(c),
        }
    }
    out
}

/// A code span that no backtick in the text can end.
fn code(text: &str) -> String {
    let longest = text.split(|c| c != '`').map(str::len).max().unwrap_or(0);
    let fence = "`".repeat(longest + 1);
    let space = if longest > 0 || text.is_empty() { " " } else { "" };
    format!("{fence}{space}{text}{space}{fence}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn markup_in_the_text_stays_text() {
        assert_eq!(escape("<img src=x> [a](b) @crew"), "&lt;img src=x&gt; \\[a\\](b) \\@crew");
        assert_eq!(code("a`b``c"), "``` a`b``c ```");
        assert_eq!(code("plain"), "`plain`");
    }
}
