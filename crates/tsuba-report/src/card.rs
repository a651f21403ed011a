//! One entry on one screen, for who has to decide on it: what it is, what it does, what speaks against it, what has changed.

use crate::model::{EntryRow, FindingRow, OrderRow};
use crate::page::Page;
use crate::phrases::{credentials, decided, launch_lines, listed};
use crate::style::{pad, wrap};
use crate::{RenderOptions, Role};
use std::io::{self, Write};
use tsuba_core::judge::Verdict;
use tsuba_core::understand::Asks;

/// An entry to decide on.
#[derive(Clone, Debug)]
pub struct Card<'r> {
    /// Its row in the report.
    pub entry: &'r EntryRow,
    /// The team that answers for it.
    pub team: Option<&'r str>,
    /// What was found of it and of what its server lists, worst first.
    pub findings: Vec<&'r FindingRow>,
    /// What its server says to the model, most important first.
    pub orders: &'r [OrderRow],
    /// What has changed since it was approved: texts that may be printed.
    pub changes: Vec<String>,
}

const LABEL: usize = 9;
const INDENT: &str = "  ";
/// Of more findings the worst are shown, and how many there are.
const MAX_FINDINGS: usize = 6;
/// Of what speaks to the model the first are shown, and how many more there are.
const MAX_ORDERS: usize = 4;
/// A value of more lines is cut.
const MAX_LINES: usize = 4;

impl Card<'_> {
    /// Draws it; `all` with every finding, its line and what to do about it.
    ///
    /// # Errors
    /// What the writer says.
    pub fn draw(&self, look: RenderOptions, title: &str, all: bool, out: &mut dyn Write) -> io::Result<()> {
        let entry = self.entry;
        let undecided = tsuba_core::rules::undecided();
        let ready = entry.because.iter().all(|rule| undecided.contains(&rule.as_str()));
        let verdict = entry.verdict.map(|verdict| match verdict {
            Verdict::FixFirst if ready => "only a decision is missing".to_owned(),
            verdict => look.paint(Role::Verdict(verdict), verdict.name()),
        });
        let name = look.paint(Role::Name, entry.name.as_str());
        writeln!(out, "{title}  {name}  {}", verdict.unwrap_or_default())?;
        let team = self.team.map(|team| format!("  team {team}")).unwrap_or_default();
        writeln!(out, "{}\n", look.paint(Role::Quiet, &format!("{}:{}{team}", entry.setup, entry.place.line)))?;
        let list = |texts: &[crate::model::Text]| texts.iter().map(|t| t.as_str()).collect::<Vec<_>>().join(", ");
        let called = entry.remote.as_ref().map(|remote| &remote.host);
        let alone = entry.reach.hosts.iter().all(|host| Some(host) == called);
        let launch = launch_lines(entry).into_iter().map(|(label, line)| (label, Some(line)));
        let rows = [
            ("tools", Some(listed(entry).unwrap_or_else(|| "not known: there is no evidence".to_owned()))),
            ("given", credentials(entry)),
            ("login", entry.login.as_ref().map(|login| login.line())),
            ("folders", Some(list(&entry.reach.folders))),
            ("hosts", Some(list(&entry.reach.hosts)).filter(|_| !alone)),
            ("powers", Some(crate::texts::listed(&entry.reach.powers))),
            ("asks", Some(entry.asks).filter(|asks| **asks != Asks::Unknown).map(|asks| asks.to_string())),
            ("decision", decided(entry).filter(|decided| decided != "none")),
        ];
        for (label, text) in launch.chain(rows) {
            if let Some(text) = text.filter(|text| !text.is_empty()) {
                self.row(look, label, &text, out)?;
            }
        }
        for (at, change) in self.changes.iter().enumerate() {
            self.row(look, if at == 0 { "changed" } else { "" }, change, out)?;
        }
        writeln!(out)?;
        if self.findings.is_empty() {
            writeln!(out, "{INDENT}no findings")?;
        }
        self.found(look, all, out)?;
        self.speaks(look, all, out)
    }

    /// What speaks to the model, which no reviewer should decide without: all of it, or the first that no finding tells.
    fn speaks(&self, look: RenderOptions, all: bool, out: &mut dyn Write) -> io::Result<()> {
        let orders: Vec<&OrderRow> = self.orders.iter().filter(|order| all || !order.told).collect();
        if orders.is_empty() {
            return Ok(());
        }
        writeln!(out, "\n{INDENT}{}", look.paint(Role::Heading, "speaks to the model"))?;
        let shown = if all { orders.len() } else { MAX_ORDERS };
        let mut page = Page::new(look, out);
        orders.iter().take(shown).try_for_each(|order| page.order(order))?;
        match orders.len().saturating_sub(shown) {
            0 => Ok(()),
            more => writeln!(out, "{INDENT}… and {more} more; d shows all"),
        }
    }

    fn found(&self, look: RenderOptions, all: bool, out: &mut dyn Write) -> io::Result<()> {
        let shown = if all { self.findings.len() } else { MAX_FINDINGS };
        for (number, finding) in self.findings.iter().enumerate().take(shown) {
            self.finding(look, number + 1, finding, all, out)?;
        }
        match self.findings.len().saturating_sub(shown) {
            0 => Ok(()),
            more => writeln!(out, "{INDENT}… and {more} more; d shows all"),
        }
    }

    fn row(&self, look: RenderOptions, label: &str, text: &str, out: &mut dyn Write) -> io::Result<()> {
        let width = look.width.saturating_sub(INDENT.len() + LABEL).max(24);
        for (at, line) in wrap(text, width, "").iter().enumerate() {
            if at == MAX_LINES {
                return writeln!(out, "{INDENT}{}…", " ".repeat(LABEL));
            }
            let label = if at == 0 { label } else { "" };
            writeln!(out, "{INDENT}{}{line}", look.paint(Role::Quiet, &pad(label, LABEL)))?;
        }
        Ok(())
    }

    fn finding(
        &self,
        look: RenderOptions,
        number: usize,
        finding: &FindingRow,
        all: bool,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        let severity = look.paint(Role::Severity(finding.severity), &pad(finding.severity.name(), 8));
        let waived = if finding.waived.is_some() { "  (waived)" } else { "" };
        writeln!(out, "{INDENT}{number:>2} {severity} {}{waived}", finding.rule)?;
        let lead = " ".repeat(INDENT.len() + 12);
        let width = look.width.saturating_sub(lead.len()).max(24);
        let mut lines = wrap(finding.message.as_str(), width, "");
        if all {
            lines.push(format!("{}:{}", finding.setup, finding.place.line));
            let texts = [("model reads: ", &finding.reads), ("person sees: ", &finding.sees)];
            for (label, text) in texts {
                lines.extend(text.iter().flat_map(|text| wrap(&format!("{label}{text}"), width, "")));
            }
            lines.extend(wrap(&format!("fix: {}", finding.fix), width, ""));
        } else if lines.len() > 2 {
            lines.truncate(2);
            if let Some(last) = lines.last_mut() {
                last.push('…');
            }
        }
        lines.iter().try_for_each(|line| writeln!(out, "{lead}{line}"))
    }
}
