//! What `approve`, `refuse` and `waive` have in common: who decides, on what, until when.

use crate::dates::as_of;
use crate::gather::InputArgs;
use crate::pipeline::{Audited, Pipeline};
use anyhow::{Context as _, bail};
use clap::Args as Arguments;
use jiff::civil::Date;
use std::path::PathBuf;
use tsuba_core::evidence::Listing;
use tsuba_core::judge::{Audit, EntryRef, Finding, pattern_redactor};
use tsuba_core::register::{Decision, FindingPlace, Kind, Scope};
use tsuba_core::severity::Severity;
use tsuba_core::understand::{Analysis, Entry, Fingerprints, launch_fingerprint, listing_of, started};
use tsuba_report::entry_id;

/// Who decides, and where that is written down.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct ReviewerArgs {
    /// Who decides [default: TSUBA_REVIEWER, else user.name of git, else the name of this account]
    #[arg(long, value_name = "NAME")]
    by: Option<String>,
    /// For this team only
    #[arg(long, value_name = "TEAM")]
    pub(crate) team: Option<String>,
    /// The register [default: tsuba-register.toml in the current folder]
    #[arg(long, value_name = "FILE")]
    pub(crate) register: Option<PathBuf>,
    /// Decide as of this date (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE")]
    as_of: Option<String>,
}

/// Who decides, and why.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct DecisionArgs {
    /// Why
    #[arg(long, value_name = "TEXT")]
    pub(crate) reason: String,
    #[command(flatten)]
    pub(crate) who: ReviewerArgs,
}

impl DecisionArgs {
    /// A decision on something, without what was approved.
    pub(crate) fn decision(&self, kind: Kind, scope: Scope, until: Option<Date>) -> anyhow::Result<Decision> {
        if self.reason.trim().is_empty() {
            bail!("--reason is empty: say why, so that the next reviewer knows");
        }
        self.who.decision(kind, scope, until, &self.reason)
    }
}

impl ReviewerArgs {
    pub(crate) fn today(&self) -> anyhow::Result<Date> {
        as_of(self.as_of.as_deref())
    }

    pub(crate) fn by(&self) -> anyhow::Result<String> {
        if let Some(by) = &self.by {
            // What was typed is meant, and nobody else is put in its place.
            return Some(by.clone()).filter(|name| !name.trim().is_empty()).context("--by is empty: name the reviewer");
        }
        let named = |name: &str| std::env::var(name).ok().filter(|name| !name.trim().is_empty());
        let by =
            named("TSUBA_REVIEWER").or_else(tsuba_find::author).or_else(|| named("USER")).or_else(|| named("LOGNAME"));
        by.or_else(tsuba_find::Facts::account).context(
            "no reviewer: neither --by, TSUBA_REVIEWER, user.name of git nor the account has a name; pass --by NAME",
        )
    }

    /// A decision on something, without what was approved.
    pub(crate) fn decision(
        &self,
        kind: Kind,
        scope: Scope,
        until: Option<Date>,
        reason: &str,
    ) -> anyhow::Result<Decision> {
        let reason = reason.to_owned();
        // Also a name that comes from the environment or from version control.
        let by = self.by()?;
        may_be_written([Some(&reason), Some(&by), self.team.as_ref()].into_iter().flatten())?;
        let on = self.today()?;
        if let Some(over) = until.filter(|until| *until < on) {
            bail!("{over} is in the past");
        }
        Ok(Decision {
            kind,
            scope,
            team: self.team.clone(),
            by,
            on,
            reason,
            until,
            conditions: Vec::new(),
            launch: None,
            prints: None,
            place: None,
            history: Vec::new(),
        })
    }
}

/// The register is for everybody, for ever: may these texts stand in it?
pub(crate) fn may_be_written<'t>(texts: impl IntoIterator<Item = &'t String>) -> anyhow::Result<()> {
    let cleaner = pattern_redactor();
    if texts.into_iter().any(|text| cleaner.clean(text).as_str() != text) {
        bail!("the text contains a secret or invisible characters; nothing was written");
    }
    Ok(())
}

/// Judges the inputs, with the register as it is.
pub(crate) fn judged(wanted: &InputArgs, evidence: &[PathBuf], who: &ReviewerArgs) -> anyhow::Result<Audited> {
    let pipeline = Pipeline::new(wanted, who.today()?).with_evidence(evidence)?;
    pipeline.with_register_to_write(who.register.as_deref())?.run()
}

/// Which entries are decided on.
#[derive(Clone, Debug, Default, Arguments)]
pub(crate) struct Named {
    /// The entry, by its name or by its id in a JSON report (may be given several times)
    #[arg(long, value_name = "NAME")]
    pub(crate) entry: Vec<String>,
    /// All entries of that name, where they are several
    #[arg(long)]
    all: bool,
}

impl Named {
    /// The entries that are meant.
    ///
    /// # Errors
    /// Where there is none, and where a name fits several and not all are meant: then none is taken.
    pub(crate) fn of<'a>(&self, audited: &'a Audited) -> anyhow::Result<Vec<(EntryRef, &'a Analysis, &'a Entry)>> {
        let audit = &audited.audit;
        let mut found = Vec::new();
        for name in &self.entry {
            let fits = match by_id(audit, name) {
                Some(own) => vec![own],
                None => named(audit, std::slice::from_ref(name))?,
            };
            if fits.len() > 1 && !self.all {
                let line = |(_, analysis, entry): &(EntryRef, &Analysis, &Entry)| {
                    let place =
                        analysis.document.lines.position(&analysis.document.text, entry.name.span.start as usize);
                    audit.cleaner.clean(&format!(
                        "{}  {}:{}",
                        entry_id(analysis, entry),
                        analysis.document.path,
                        place.line
                    ))
                };
                let message: String = fits.iter().take(TOLD).map(|fit| format!("\n  {}", line(fit))).collect();
                bail!(
                    "{} entries are called {}; name one by its id (--entry ID), or add --all:{message}",
                    fits.len(),
                    audit.cleaner.clean(name)
                );
            }
            found.extend(fits);
        }
        Ok(found)
    }
}

/// So many entries are told when there are too many.
const TOLD: usize = 20;

fn by_id<'a>(audit: &'a Audit, id: &str) -> Option<(EntryRef, &'a Analysis, &'a Entry)> {
    let analyses = audit.analyses.iter().enumerate().filter(|(_, analysis)| analysis.kind.sets_up());
    let mut all = analyses.flat_map(|(s, analysis)| {
        let own = analysis.entries.iter().enumerate().filter(|(_, entry)| entry.listing.is_none());
        own.map(move |(e, entry)| (EntryRef { analysis: s, entry: Some(e) }, analysis, entry))
    });
    all.find(|(_, analysis, entry)| entry_id(analysis, entry) == id)
}

/// The entries of these names that are set up, with where they stand.
pub(crate) fn named<'a>(
    audit: &'a Audit,
    names: &[String],
) -> anyhow::Result<Vec<(EntryRef, &'a Analysis, &'a Entry)>> {
    let mut found = Vec::new();
    for name in names {
        let before = found.len();
        for (s, analysis) in audit.analyses.iter().enumerate().filter(|(_, analysis)| analysis.kind.sets_up()) {
            let entries = analysis.entries.iter().enumerate().filter(|(_, entry)| entry.listing.is_none());
            let of_name = entries.filter(|(_, entry)| entry.name.text == *name);
            found.extend(of_name.map(|(e, entry)| (EntryRef { analysis: s, entry: Some(e) }, analysis, entry)));
        }
        if found.len() == before {
            bail!("no entry is called {name} in the inputs; `tsuba inventory` shows their names");
        }
    }
    Ok(found)
}

/// Where a finding stands, for whoever reads the register.
pub(crate) fn place(audit: &Audit, finding: &Finding) -> Option<FindingPlace> {
    let analysis = audit.analyses.get(finding.entry_ref.analysis)?;
    let entry = finding.entry_ref.entry.and_then(|entry| analysis.entries.get(entry));
    let clean = |text: &str| audit.cleaner.clean(text).to_string();
    Some(FindingPlace {
        setup: clean(analysis.document.register_path()),
        entry: entry.map(|entry| clean(&entry.name.text)),
        pointer: finding.pointer.to_string(),
    })
}

/// What a decision on an entry is on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum DecisionTarget {
    /// This entry of this setup
    Entry,
    /// Its package or image at its version, wherever it is started
    Package,
    /// Every server at its host
    Host,
}

/// The scope of a decision on an entry.
pub(crate) fn scope(
    audit: &Audit,
    kind: Kind,
    on: DecisionTarget,
    analysis: &Analysis,
    entry: &Entry,
) -> anyhow::Result<Scope> {
    let name = audit.cleaner.clean(&entry.name.text);
    match on {
        DecisionTarget::Entry => {
            Ok(Scope::Entry { setup: analysis.document.register_path().to_owned(), entry: entry.name.text.clone() })
        }
        DecisionTarget::Package => {
            let Some((source, package, version)) = started(entry) else {
                bail!("{name} does not start one package or image alone: decide on the entry")
            };
            if kind == Kind::Approved && version.is_none() {
                let package = audit.cleaner.clean(&package);
                bail!("{name} names no version of {package}: pin it first, or decide on the entry");
            }
            // An address may hold a login, and the register is for everybody.
            if audit.cleaner.clean(&package).as_str() != package {
                bail!("{name} starts what cannot be written down as it is: decide on the entry");
            }
            Ok(Scope::Package { source: source.to_owned(), package, version })
        }
        DecisionTarget::Host if kind == Kind::Approved && entry.plan.is_some() => {
            bail!("{name} runs a program; a host decision does not cover it: decide on the entry")
        }
        DecisionTarget::Host => {
            match entry.remote.as_ref().map(|remote| remote.host.clone()).filter(|host| !host.is_empty()) {
                Some(host) => Ok(Scope::Host { host }),
                None => bail!("{name} calls no host: decide on the entry"),
            }
        }
    }
}

/// The rules that speak against an entry now, but for those that only miss a decision.
pub(crate) fn open(audit: &Audit, entry_ref: EntryRef) -> Vec<&'static str> {
    let mut rules: Vec<&'static str> = audit
        .findings_for(entry_ref)
        .into_iter()
        .filter(|finding| finding.severity >= Severity::High && finding.waived.is_none())
        .map(|finding| finding.rule)
        .filter(|rule| rule.ways.decides.is_none())
        .map(|rule| rule.id)
        .collect();
    rules.dedup();
    rules
}

/// Notes what is approved: the launch, where it is the entry that is decided on, and what its server lists. Where its server has not told that,
/// the decision says so.
pub(crate) fn record_approved_state(decision: &mut Decision, audit: &Audit, entry: &Entry) {
    decision.launch = matches!(decision.scope, Scope::Entry { .. }).then(|| launch_fingerprint(entry));
    // An answer that never came lists nothing, which is something else than an empty list.
    let answered = |listing: &&Listing| listing.captured.as_ref().is_none_or(|captured| captured.answered);
    decision.prints = listing_of(&audit.analyses, entry).filter(answered).map(Fingerprints::of);
    if decision.prints.is_none() && !decision.conditions.iter().any(|condition| condition == NOT_ASKED) {
        decision.conditions.push(NOT_ASKED.to_owned());
    }
}

/// What a decision says that was taken without evidence.
const NOT_ASKED: &str = "approved unseen: its server has not told what it offers";
