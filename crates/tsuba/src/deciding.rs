//! What `approve`, `refuse` and `waive` have in common: who decides, on what, until when.

use crate::dates::as_of;
use crate::gather::Where;
use crate::pipeline::{Audited, Pipeline};
use anyhow::{Context as _, bail};
use clap::Args as Arguments;
use jiff::civil::Date;
use std::path::PathBuf;
use tsuba_core::evidence::Listing;
use tsuba_core::judge::{Audit, Stands, wary_cleaner};
use tsuba_core::register::{Decision, Kind, Scope};
use tsuba_core::severity::Severity;
use tsuba_core::understand::{Entry, Prints, Study, launch_print, listing_of, started};

/// Who decides, and where that is written down.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Who {
    /// Who decides [default: TSUBA_REVIEWER, else the name of this account]
    #[arg(long, value_name = "NAME")]
    by: Option<String>,
    /// For this team only
    #[arg(long, value_name = "TEAM")]
    team: Option<String>,
    /// The register [default: tsuba-register.toml in the current folder]
    #[arg(long, value_name = "FILE")]
    pub(crate) register: Option<PathBuf>,
    /// Decide as of this date (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE")]
    as_of: Option<String>,
}

/// Who decides, and why.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Decider {
    /// Why
    #[arg(long, value_name = "TEXT")]
    pub(crate) reason: String,
    #[command(flatten)]
    pub(crate) who: Who,
}

impl Decider {
    /// A decision on something, without what was approved.
    pub(crate) fn decision(&self, kind: Kind, scope: Scope, until: Option<Date>) -> anyhow::Result<Decision> {
        if self.reason.trim().is_empty() {
            bail!("--reason is empty: say why, so that the next reviewer knows");
        }
        self.who.decision(kind, scope, until, &self.reason)
    }
}

impl Who {
    pub(crate) fn today(&self) -> anyhow::Result<Date> {
        as_of(self.as_of.as_deref())
    }

    pub(crate) fn by(&self) -> anyhow::Result<String> {
        let of_environment = ["TSUBA_REVIEWER", "USER", "LOGNAME"].iter().find_map(|name| std::env::var(name).ok());
        let by = self.by.clone().or(of_environment).filter(|name| !name.trim().is_empty());
        by.context("nobody decides: name yourself with --by NAME")
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
        may_be_written([Some(&reason), self.by.as_ref(), self.team.as_ref()].into_iter().flatten())?;
        let on = self.today()?;
        if let Some(over) = until.filter(|until| *until < on) {
            bail!("{over} is over already");
        }
        Ok(Decision {
            kind,
            scope,
            team: self.team.clone(),
            by: self.by()?,
            on,
            reason,
            until,
            conditions: Vec::new(),
            launch: None,
            prints: None,
        })
    }
}

/// The register is for everybody, for ever: may these texts stand in it?
pub(crate) fn may_be_written<'t>(texts: impl IntoIterator<Item = &'t String>) -> anyhow::Result<()> {
    let cleaner = wary_cleaner();
    if texts.into_iter().any(|text| cleaner.clean(text).as_str() != text) {
        bail!("what is to be written down holds a secret, or characters that nobody sees; nothing was written");
    }
    Ok(())
}

/// Judges the inputs, with the register as it is.
pub(crate) fn judged(wanted: &Where, evidence: &[PathBuf], who: &Who) -> anyhow::Result<Audited> {
    let pipeline = Pipeline::new(wanted, who.today()?).with_evidence(evidence)?;
    pipeline.with_register_to_write(who.register.as_deref())?.run()
}

/// The entries of these names that are set up, with where they stand.
pub(crate) fn named<'a>(audit: &'a Audit, names: &[String]) -> anyhow::Result<Vec<(Stands, &'a Study, &'a Entry)>> {
    let mut found = Vec::new();
    for name in names {
        let before = found.len();
        for (s, study) in audit.studies.iter().enumerate().filter(|(_, study)| study.kind.sets_up()) {
            let entries = study.entries.iter().enumerate().filter(|(_, entry)| entry.listing.is_none());
            let of_name = entries.filter(|(_, entry)| entry.name.text == *name);
            found.extend(of_name.map(|(e, entry)| (Stands { study: s, entry: Some(e) }, study, entry)));
        }
        if found.len() == before {
            bail!("no entry is called {name} in the inputs; `tsuba inventory` shows their names");
        }
    }
    Ok(found)
}

/// What a decision on an entry is on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum For {
    /// This entry of this setup
    Entry,
    /// Its package or image at its version, wherever it is started
    Package,
    /// Every server at its host
    Host,
}

/// The scope of a decision on an entry.
pub(crate) fn scope(audit: &Audit, kind: Kind, on: For, study: &Study, entry: &Entry) -> anyhow::Result<Scope> {
    let name = audit.cleaner.clean(&entry.name.text);
    match on {
        For::Entry => {
            Ok(Scope::Entry { setup: study.document.register_path().to_owned(), entry: entry.name.text.clone() })
        }
        For::Package => {
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
        For::Host if kind == Kind::Approved && entry.plan.is_some() => {
            bail!("{name} starts a program, which the host says nothing of: decide on the entry")
        }
        For::Host => match entry.remote.as_ref().map(|remote| remote.host.clone()).filter(|host| !host.is_empty()) {
            Some(host) => Ok(Scope::Host { host }),
            None => bail!("{name} calls no host: decide on the entry"),
        },
    }
}

/// The rules that speak against an entry now, but for those that only miss a decision.
pub(crate) fn open(audit: &Audit, stands: Stands) -> Vec<&'static str> {
    let mut rules: Vec<&'static str> = audit
        .findings_for(stands)
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
pub(crate) fn seen(decision: &mut Decision, audit: &Audit, entry: &Entry) {
    decision.launch = matches!(decision.scope, Scope::Entry { .. }).then(|| launch_print(entry));
    // An answer that never came lists nothing, which is something else than an empty list.
    let answered = |listing: &&Listing| listing.captured.as_ref().is_none_or(|captured| captured.answered);
    decision.prints = listing_of(&audit.studies, entry).filter(answered).map(Prints::of);
    if decision.prints.is_none() && !decision.conditions.iter().any(|condition| condition == NOT_ASKED) {
        decision.conditions.push(NOT_ASKED.to_owned());
    }
}

/// What a decision says that was taken without evidence.
const NOT_ASKED: &str = "approved unseen: its server has not told what it offers";
