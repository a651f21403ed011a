//! `tsuba review`: through the entries on which nobody has decided, one at a time.

use crate::dates::date;
use crate::deciding::{
    DecisionTarget, ReviewerArgs, judged, may_be_written, named, open, place, record_approved_state, scope,
};
use crate::dialog::Dialog;
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::pipeline::Audited;
use crate::{approved, output, register};
use anyhow::Context as _;
use clap::Args as Arguments;
use jiff::civil::Date;
use std::collections::BTreeSet;
use std::io::{self, BufRead, IsTerminal as _, Write};
use std::path::PathBuf;
use tsuba_core::decide::drift::drift;
use tsuba_core::judge::{Audit, EntryRef};
use tsuba_core::register::{Decision, Kind, ReviewStatus, Scope};
use tsuba_core::severity::Severity;
use tsuba_report::{Card, Report};

/// Review entries that are undecided or have changed since approval
///
/// Every decision is written at once: whatever ends the review, what was decided is kept. Answers are read line by line, from a
/// terminal or from a file.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    input: InputArgs,
    /// Only entries of this name, decided on or not (may be given several times)
    #[arg(long, value_name = "NAME")]
    entry: Vec<String>,
    /// The evidence of what the servers list (may be given several times)
    #[arg(long, value_name = "FOLDER")]
    evidence: Vec<PathBuf>,
    #[command(flatten)]
    who: ReviewerArgs,
}

const HELP: [&str; 3] = [
    "  a  approve it as it is now     r  refuse it",
    "  w  waive a finding: w 2        d  show every finding in full",
    "  s  skip it (or nothing)        q  end; what is decided is kept",
];

/// What came of an entry.
enum Outcome {
    Decided,
    Skipped,
    /// No more answers, or no wish to give them.
    Ended,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    // Whoever cannot be named must not find out after the first decision.
    args.who.by()?;
    let mut audited = judged(&args.input, &args.evidence, &args.who)?;
    register::as_known(&mut audited.audit);
    let wanted = wanted(&audited.audit, &args.entry)?;
    let report = audited.report();
    let mut look = output::look();
    look.width = look.width.min(80);
    let mut dialog = Dialog::new(io::stdin().lock(), !io::stdin().is_terminal(), anstream::stdout().lock());
    let mut review = Review { args, audited, report, waived: BTreeSet::new(), look };
    if wanted.is_empty() {
        writeln!(dialog.out, "nothing to decide: every entry is approved or refused")?;
        return Ok(Done::Clean);
    }
    let (mut decided, mut skipped) = (0, 0);
    for (at, entry_ref) in wanted.iter().enumerate() {
        let title = format!("{} of {}", at + 1, wanted.len());
        match review.entry(&mut dialog, *entry_ref, &title)? {
            Outcome::Decided => decided += 1,
            Outcome::Skipped => skipped += 1,
            Outcome::Ended => break,
        }
    }
    let left = wanted.len() - decided;
    let message = if skipped == left { String::new() } else { format!(", {skipped} of them skipped") };
    writeln!(dialog.out, "{decided} decided, {left} left{message}")?;
    Ok(Done::Clean)
}

/// Which entries are gone through: those named, else those on which nothing that holds is decided, worst first.
fn wanted(audit: &Audit, names: &[String]) -> anyhow::Result<Vec<EntryRef>> {
    if !names.is_empty() {
        return Ok(named(audit, names)?.into_iter().map(|(entry_ref, ..)| entry_ref).collect());
    }
    let mut out = Vec::new();
    for (s, analysis) in audit.analyses.iter().enumerate().filter(|(_, analysis)| analysis.kind.sets_up()) {
        for (e, entry) in analysis.entries.iter().enumerate().filter(|(_, entry)| entry.listing.is_none()) {
            let standing = audit.standings.get(s).and_then(|row| row.get(e)?.as_ref());
            let decided = matches!(standing, Some(ReviewStatus::Approved(_) | ReviewStatus::Refused(_)));
            if !decided && !entry.disabled {
                let entry_ref = EntryRef { analysis: s, entry: Some(e) };
                let mut found: Vec<Severity> = audit
                    .findings_for(entry_ref)
                    .iter()
                    .filter(|finding| !finding.rule.ways.waits_for_a_decision() && finding.waived.is_none())
                    .map(|finding| finding.severity)
                    .collect();
                found.sort_by_key(|severity| std::cmp::Reverse(*severity));
                out.push((std::cmp::Reverse(found), entry_ref));
            }
        }
    }
    out.sort();
    Ok(out.into_iter().map(|(_, entry_ref)| entry_ref).collect())
}

struct Review<'a> {
    args: &'a Args,
    audited: Audited,
    report: Report,
    /// Findings that were waived in this review.
    waived: BTreeSet<String>,
    look: tsuba_report::RenderOptions,
}

impl Review<'_> {
    fn entry<I: BufRead, O: Write>(
        &mut self,
        dialog: &mut Dialog<I, O>,
        entry_ref: EntryRef,
        title: &str,
    ) -> anyhow::Result<Outcome> {
        self.draw(&mut dialog.out, entry_ref, title, false)?;
        loop {
            let Some(answer) = dialog.ask("\na approve  r refuse  w waive  d details  s skip  q end  ? help >")? else {
                return Ok(Outcome::Ended);
            };
            let (word, rest) = answer.split_once(' ').unwrap_or((&answer, ""));
            let done = match word.to_ascii_lowercase().as_str() {
                "" | "s" | "skip" => return Ok(Outcome::Skipped),
                "q" | "quit" | "end" => return Ok(Outcome::Ended),
                "a" | "approve" => self.approve(dialog, entry_ref),
                "r" | "refuse" => self.refuse(dialog, entry_ref),
                "w" | "waive" => self.waive(dialog, entry_ref, rest.trim()).map(|()| false),
                "d" | "details" => self.draw(&mut dialog.out, entry_ref, title, true).map(|()| false),
                "?" | "h" | "help" => help(&mut dialog.out).map(|()| false),
                _ => {
                    writeln!(dialog.out, "that is none of these:")?;
                    help(&mut dialog.out).map(|()| false)
                }
            };
            match done {
                Ok(true) => return Ok(Outcome::Decided),
                Ok(false) => {}
                // What cannot be written is told, and asked again: nothing is lost by it.
                Err(error) => writeln!(dialog.out, "  not written: {error:#}")?,
            }
        }
    }

    fn draw(&self, out: &mut dyn Write, entry_ref: EntryRef, title: &str, all: bool) -> anyhow::Result<()> {
        let Some(row) = self.row(entry_ref) else { return Ok(()) };
        let entry = self.report.entries.get(row).context("the entry is not there")?;
        let listed =
            self.listed(entry_ref).and_then(|listed| self.row(listed)).and_then(|row| self.report.entries.get(row));
        let is_own = |id: &String| *id == entry.id || listed.is_some_and(|listed| *id == listed.id);
        let findings = self.report.findings.iter().filter(|finding| finding.entry.as_ref().is_some_and(is_own));
        let undecided = tsuba_core::rules::undecided();
        let findings = findings.filter(|finding| !undecided.contains(&finding.rule.as_str())).collect();
        let setup = self.report.setups.iter().find(|setup| setup.path == entry.setup);
        let card = Card {
            entry,
            team: setup.and_then(|setup| setup.team.as_ref()).map(|team| team.as_str()),
            findings,
            orders: listed
                .unwrap_or(entry)
                .listing
                .as_ref()
                .map(|listing| listing.orders.as_slice())
                .unwrap_or_default(),
            changes: self.changes(entry_ref),
        };
        writeln!(out)?;
        Ok(card.draw(self.look, title, all, out)?)
    }

    /// The index of an entry's row in the report, which has them in the order of the studies.
    fn row(&self, entry_ref: EntryRef) -> Option<usize> {
        let before: usize =
            self.audited.audit.analyses.iter().take(entry_ref.analysis).map(|analysis| analysis.entries.len()).sum();
        Some(before + entry_ref.entry?)
    }

    fn listed(&self, entry_ref: EntryRef) -> Option<EntryRef> {
        let entry = self.audited.audit.analyses.get(entry_ref.analysis)?.entries.get(entry_ref.entry?)?;
        entry.listed.map(|listed| EntryRef { analysis: listed.analysis, entry: Some(listed.entry) })
    }

    /// What has changed since its approval: word by word where the words are kept, else what the audit knows.
    fn changes(&self, entry_ref: EntryRef) -> Vec<String> {
        let standing = entry_ref
            .entry
            .and_then(|entry| self.audited.audit.standings.get(entry_ref.analysis)?.get(entry)?.as_ref());
        let Some(ReviewStatus::Changed(at, changed)) = standing else { return Vec::new() };
        let clean = |text: &str| self.audited.audit.cleaner.clean(text).as_str().to_owned();
        let path = self.args.who.register.clone().unwrap_or_else(|| register::NAME.into());
        let decision = self.audited.audit.register.as_ref().and_then(|register| register.decisions.get(*at));
        let kept = decision.and_then(|decision| approved::kept(&path, decision).ok().flatten());
        let now = self.row(entry_ref).and_then(|row| self.report.entries.get(row)).and_then(|entry| {
            let own = self.report.only(|row| row.id == entry.id);
            serde_json::from_value(serde_json::to_value(&own).ok()?).ok()
        });
        match kept.zip(now) {
            Some((kept, now)) => {
                let message =
                    drift(&kept, &now, &tsuba_core::rules::undecided()).into_iter().map(|change| {
                        match change.told_words() {
                            words if words.is_empty() => clean(&change.what),
                            words => clean(&format!("{}: {words}", change.what)),
                        }
                    });
                message.collect()
            }
            None => changed.iter().map(|text| clean(text)).collect(),
        }
    }

    /// True when it was approved.
    fn approve<I: BufRead, O: Write>(
        &mut self,
        dialog: &mut Dialog<I, O>,
        entry_ref: EntryRef,
    ) -> anyhow::Result<bool> {
        let waived = &self.waived;
        let still = |rule: &&&str| {
            self.audited
                .audit
                .findings_for(entry_ref)
                .iter()
                .any(|finding| finding.rule.id == **rule && !waived.contains(finding.register_fingerprint()))
        };
        let rules = open(&self.audited.audit, entry_ref);
        let open: Vec<&str> = rules.iter().filter(still).copied().collect();
        if !open.is_empty() {
            writeln!(dialog.out, "  open: {}", open.join(", "))?;
            if !matches!(dialog.ask("  approve all the same? (y/n) >")?.as_deref(), Some("y" | "yes")) {
                return Ok(false);
            }
        }
        let Some(reason) = reason(dialog)? else { return Ok(false) };
        let Some(until) = until(dialog, "  until (YYYY-MM-DD; nothing: no end) >")? else { return Ok(false) };
        let mut conditions = Vec::new();
        while let Some(condition) = dialog.ask("  condition (nothing: no more) >")?.filter(|text| !text.is_empty()) {
            conditions.push(condition);
        }
        may_be_written(&conditions)?;
        let (analysis, entry) = self.of(entry_ref)?;
        let scope = scope(&self.audited.audit, Kind::Approved, DecisionTarget::Entry, analysis, entry)?;
        let mut decision = self.args.who.decision(Kind::Approved, scope, until, &reason)?;
        decision.conditions = conditions;
        record_approved_state(&mut decision, &self.audited.audit, entry);
        let path = self.write(dialog, &decision)?;
        approved::keep(&path, &mut self.audited, &[(decision, vec![entry_ref])])?;
        Ok(true)
    }

    fn refuse<I: BufRead, O: Write>(&mut self, dialog: &mut Dialog<I, O>, entry_ref: EntryRef) -> anyhow::Result<bool> {
        let what = dialog.ask("  refuse the entry, its package everywhere, or its host everywhere? (e/p/h) [e] >")?;
        let on = match what.as_deref() {
            Some("" | "e" | "entry") => DecisionTarget::Entry,
            Some("p" | "package") => DecisionTarget::Package,
            Some("h" | "host") => DecisionTarget::Host,
            _ => return Ok(false),
        };
        let Some(reason) = reason(dialog)? else { return Ok(false) };
        let (analysis, entry) = self.of(entry_ref)?;
        let scope = scope(&self.audited.audit, Kind::Refused, on, analysis, entry)?;
        let decision = self.args.who.decision(Kind::Refused, scope, None, &reason)?;
        self.write(dialog, &decision)?;
        Ok(true)
    }

    fn waive<I: BufRead, O: Write>(
        &mut self,
        dialog: &mut Dialog<I, O>,
        entry_ref: EntryRef,
        number: &str,
    ) -> anyhow::Result<()> {
        let number = match number.parse::<usize>() {
            Ok(number) => number,
            Err(_) => match dialog.ask("  which finding? (its number) >")?.and_then(|text| text.parse().ok()) {
                Some(number) => number,
                None => return Ok(()),
            },
        };
        let mut findings = self.audited.audit.findings_for(entry_ref);
        findings.retain(|finding| !finding.rule.ways.waits_for_a_decision());
        // In the order in which they are shown: that of the whole report.
        let order = |print: &str| self.report.findings.iter().position(|row| row.fingerprint == print);
        findings.sort_by_key(|finding| order(&finding.fingerprint));
        let Some(finding) = number.checked_sub(1).and_then(|at| findings.get(at)) else {
            writeln!(dialog.out, "  there is no finding {number}")?;
            return Ok(());
        };
        let place = place(&self.audited.audit, finding);
        let (rule, register_fingerprint, shown) =
            (finding.rule.id, finding.register_fingerprint().to_owned(), finding.fingerprint.clone());
        let Some(reason) = reason(dialog)? else { return Ok(()) };
        let Some(until) = until(dialog, "  until (YYYY-MM-DD) >")? else { return Ok(()) };
        if until.is_none() {
            writeln!(dialog.out, "  a waiver ends: nothing is written")?;
            return Ok(());
        }
        let scope = Scope::Finding { rule: rule.to_owned(), finding: register_fingerprint.clone() };
        let decision = Decision { place, ..self.args.who.decision(Kind::Waived, scope, until, &reason)? };
        self.write(dialog, &decision)?;
        self.report.findings.iter_mut().filter(|row| row.fingerprint == shown).for_each(|row| row.waive(&decision));
        self.waived.insert(register_fingerprint);
        Ok(())
    }

    fn of(
        &self,
        entry_ref: EntryRef,
    ) -> anyhow::Result<(&tsuba_core::understand::Analysis, &tsuba_core::understand::Entry)> {
        let analysis = self.audited.audit.analyses.get(entry_ref.analysis).context("the setup is not there")?;
        let entry = entry_ref.entry.and_then(|entry| analysis.entries.get(entry)).context("the entry is not there")?;
        Ok((analysis, entry))
    }

    fn write<I: BufRead, O: Write>(&self, dialog: &mut Dialog<I, O>, decision: &Decision) -> anyhow::Result<PathBuf> {
        let path = register::write(self.audited.register.as_deref(), std::slice::from_ref(decision))?;
        writeln!(dialog.out, "  {}, {}", decision.kind.name(), register::written(&path))?;
        Ok(path)
    }
}

fn help(out: &mut dyn Write) -> anyhow::Result<()> {
    Ok(HELP.iter().try_for_each(|line| writeln!(out, "{line}"))?)
}

/// Why; `None` where nobody says so twice.
fn reason<I: BufRead, O: Write>(dialog: &mut Dialog<I, O>) -> io::Result<Option<String>> {
    for question in ["  reason >", "  a reason is needed >"] {
        match dialog.ask(question)? {
            None => return Ok(None),
            Some(reason) if !reason.is_empty() => return Ok(Some(reason)),
            Some(_) => {}
        }
    }
    writeln!(dialog.out, "  nothing is written")?;
    Ok(None)
}

/// Until when: a day, or no end; `None` where there is no answer that can be used.
fn until<I: BufRead, O: Write>(dialog: &mut Dialog<I, O>, question: &str) -> io::Result<Option<Option<Date>>> {
    for _ in 0..3 {
        match dialog.ask(question)? {
            None => return Ok(None),
            Some(text) if text.is_empty() => return Ok(Some(None)),
            Some(text) => match date("until", &text) {
                Ok(day) => return Ok(Some(Some(day))),
                Err(error) => writeln!(dialog.out, "  {error:#}")?,
            },
        }
    }
    Ok(None)
}
