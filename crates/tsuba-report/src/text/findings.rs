//! Findings for people: one, those of an entry, those of documents and files.

use super::Text;
use crate::Role;
use crate::model::FindingRow;
use crate::page::{INDENT, Page};
use crate::style::{cut, pad, wrap};
use crate::together::FindingGroup;
use std::io::{self, Write};
use tsuba_core::severity::Severity;

/// With less room than this the place of a finding has a line of its own.
const MIN_PLACE: usize = 24;

/// What is shown of a finding beside its message.
#[derive(Clone, Copy)]
struct Parts {
    /// The line that it is about.
    source: bool,
    /// What to do.
    advice: bool,
    /// The text as the model and as a person reads it.
    texts: bool,
}

impl Text {
    /// Findings of what texts only show, by text.
    pub(super) fn documents(&self, findings: &[&FindingGroup<'_>], out: &mut dyn Write) -> io::Result<()> {
        if findings.is_empty() {
            return Ok(());
        }
        writeln!(out, "\n{}", self.0.paint(Role::Heading, "Shown in documents"))?;
        for groups in findings.chunk_by(|a, b| a.lead.setup == b.lead.setup) {
            let path = groups.first().map(|group| group.lead.setup.as_str()).unwrap_or_default();
            writeln!(out, "\n{}{}", " ".repeat(INDENT), self.0.paint(Role::Name, path))?;
            self.findings(groups, |_| false, out)?;
        }
        Ok(())
    }

    /// Findings that belong to no entry, those of one rule together.
    pub(super) fn loose(&self, findings: &[FindingGroup<'_>], out: &mut dyn Write) -> io::Result<()> {
        if findings.is_empty() {
            return Ok(());
        }
        writeln!(out, "\n{}", self.0.paint(Role::Heading, "File-level findings"))?;
        let alike = |a: &FindingGroup<'_>, b: &FindingGroup<'_>| {
            let (one, other) = (a.lead, b.lead);
            let plain = a.with.is_empty() && b.with.is_empty();
            plain && (&one.rule, one.severity, &one.fix) == (&other.rule, other.severity, &other.fix)
        };
        for group in findings.chunk_by(alike) {
            writeln!(out)?;
            match group {
                [one] => {
                    writeln!(out, "{}{}:{}", " ".repeat(INDENT), one.lead.setup, one.lead.place.line)?;
                    self.finding(one, Parts { source: true, advice: true, texts: true }, out)?;
                }
                [first, ..] => {
                    let first = first.lead;
                    writeln!(out, "{}{} {}", " ".repeat(INDENT), self.severity(first), first.rule)?;
                    let alike = group.iter().all(|group| group.lead.message == first.message);
                    if alike {
                        self.wrapped(first.message.as_str(), "", out)?;
                    }
                    for FindingGroup { lead, .. } in group {
                        let said = if alike { String::new() } else { format!("  {}", lead.message) };
                        self.wrapped(&format!("{}:{}{said}", lead.setup, lead.place.line), "- ", out)?;
                    }
                    self.wrapped(first.fix.as_str(), "fix: ", out)?;
                }
                [] => {}
            }
        }
        Ok(())
    }

    fn severity(&self, finding: &FindingRow) -> String {
        self.0.paint(Role::Severity(finding.severity), &pad(finding.severity.name(), 8))
    }

    /// Findings in turn; `whole` are those that their line does not show.
    pub(super) fn findings(
        &self,
        findings: &[&FindingGroup<'_>],
        whole: impl Fn(&FindingRow) -> bool,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        for (at, group) in findings.iter().enumerate() {
            // The same advice is given once for findings that follow each other.
            let again = findings.get(at + 1).is_some_and(|next| next.fixes() == group.fixes());
            let before = at.checked_sub(1).and_then(|before| findings.get(before));
            let read = before.is_some_and(|before| before.lead.reads == group.lead.reads);
            self.finding(group, Parts { source: !whole(group.lead), advice: !again, texts: !read }, out)?;
        }
        Ok(())
    }

    pub(super) fn labelled(&self, label: &str, text: &str, out: &mut dyn Write) -> io::Result<()> {
        Page::new(self.0, out).row(label, text)
    }

    /// One finding, or several that are told as one.
    fn finding(&self, group: &FindingGroup<'_>, parts: Parts, out: &mut dyn Write) -> io::Result<()> {
        let (look, finding) = (self.0, group.lead);
        if let Some(waiver) = &finding.waived {
            let message = format!("{}  until {} by {}: {}", finding.rule, waiver.until, waiver.by, waiver.reason);
            return self.labelled("waived", &message, out);
        }
        let ruled = finding.without_policy.map(|own| format!(" ({own} without the policy)")).unwrap_or_default();
        let codes = group.codes() + &ruled;
        let place =
            format!("line {}, column {}  {}", finding.place.line, finding.place.column, finding.place.pointer.as_str());
        // What leaves too little room beside it has its place below.
        let room = look.width.saturating_sub(INDENT + 9 + codes.chars().count() + 2);
        write!(out, "{}{} {codes}", " ".repeat(INDENT), self.severity(finding))?;
        if room >= MIN_PLACE {
            writeln!(out, "  {}", look.paint(Role::Quiet, cut(&place, room).trim_end()))?;
        } else {
            let width = look.width.saturating_sub(INDENT + 9).max(MIN_PLACE);
            writeln!(out, "\n{}{}", " ".repeat(INDENT + 9), look.paint(Role::Quiet, cut(&place, width).trim_end()))?;
        }
        if let Some(places) = group.places() {
            self.wrapped(&places, "", out)?;
        }
        group.all().try_for_each(|finding| self.wrapped(finding.message.as_str(), "", out))?;
        // What only wants tidying is told in one line, without the source.
        if finding.severity <= Severity::Low {
            return Ok(());
        }
        if parts.source {
            let (text, start, end) = self.window(finding);
            let lead = " ".repeat(INDENT + 9);
            writeln!(out, "{lead}{} {text}", look.paint(Role::Quiet, "|"))?;
            writeln!(
                out,
                "{lead}{} {}{}",
                look.paint(Role::Quiet, "|"),
                " ".repeat(start),
                look.paint(Role::Severity(finding.severity), &"~".repeat(end.saturating_sub(start).max(1)))
            )?;
        }
        for (label, text) in [("model reads: ", &finding.reads), ("person sees: ", &finding.sees)] {
            // What both read the same is in the source above.
            if let Some(text) = text.as_ref().filter(|_| parts.texts && finding.sees.is_some()) {
                self.wrapped(text.as_str(), label, out)?;
            }
        }
        let fixes = group.fixes().into_iter().filter(|_| parts.advice);
        fixes.into_iter().try_for_each(|fix| self.wrapped(fix, "fix: ", out))
    }

    /// The excerpt, moved so that the marked part is seen within the width; and where the mark begins and ends.
    fn window(&self, finding: &FindingRow) -> (String, usize, usize) {
        use unicode_width::UnicodeWidthStr as _;
        let room = self.0.width.saturating_sub(INDENT + 11).max(20);
        let chars: Vec<char> = finding.excerpt.as_str().chars().collect();
        // A report that is read back may name any place.
        let (mut from, mut end) = (0, finding.marked.1.min(chars.len()));
        let mut start = finding.marked.0.min(end);
        if end > room {
            from = start.saturating_sub(12);
        }
        let room = room - usize::from(from > 0);
        let mut shown: String = chars.iter().skip(from).take(room).collect();
        if chars.len() > from + room {
            shown.pop();
            shown.push('…');
        }
        start -= from.min(start);
        end -= from.min(end);
        let columns = |count: usize| shown.chars().take(count).collect::<String>().width();
        let (left, right) = (columns(start), columns(end));
        let lead = usize::from(from > 0);
        let dots = if from > 0 { "…" } else { "" };
        (format!("{dots}{shown}"), left + lead, right + lead)
    }

    fn wrapped(&self, text: &str, label: &str, out: &mut dyn Write) -> io::Result<()> {
        let lead = " ".repeat(INDENT + 9);
        let width = self.0.width.saturating_sub(lead.len()).max(24);
        for line in wrap(&format!("{label}{text}"), width, "") {
            writeln!(out, "{lead}{line}")?;
        }
        Ok(())
    }
}
