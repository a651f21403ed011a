//! `tsuba approve`: writes down that a server may be used as it is now.

use crate::dates::date;
use crate::deciding::{
    DecisionArgs, DecisionTarget, Named, judged, may_be_written, open, record_approved_state, scope,
};
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::{approved, register};
use anyhow::bail;
use clap::Args as Arguments;
use std::io::Write as _;
use std::path::PathBuf;
use tsuba_core::judge::EntryRef;
use tsuba_core::register::{Decision, Kind};

/// Approve entries as they are now: launch or URL, and everything a model reads of their servers
///
/// What was approved is fingerprinted; `tsuba audit` reports when it has changed.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    named: Named,
    /// What is approved
    #[arg(long = "for", value_enum, value_name = "WHAT", default_value_t = DecisionTarget::Entry)]
    on: DecisionTarget,
    /// The evidence of what the servers list (may be given several times)
    #[arg(long, value_name = "FOLDER")]
    evidence: Vec<PathBuf>,
    /// The last day on which it holds (YYYY-MM-DD)
    #[arg(long, value_name = "DATE")]
    until: Option<String>,
    /// A condition (may be given several times)
    #[arg(long, value_name = "TEXT")]
    condition: Vec<String>,
    /// Approve although findings of high or critical are open
    #[arg(long)]
    despite_findings: bool,
    /// Approve although the server has not told what it offers; the register says so
    #[arg(long)]
    unseen: bool,
    #[command(flatten)]
    decider: DecisionArgs,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let until = args.until.as_deref().map(|text| date("--until", text)).transpose()?;
    may_be_written(&args.condition)?;
    if args.named.entry.is_empty() {
        bail!("--entry NAME is missing: say what is approved; `tsuba review` goes through what is undecided");
    }
    let mut audited = judged(&args.input, &args.evidence, &args.decider.who)?;
    let audit = &audited.audit;
    let mut decided: Vec<(Decision, Vec<EntryRef>)> = Vec::new();
    let mut message = Vec::new();
    for (entry_ref, analysis, entry) in args.named.of(&audited)? {
        let open = open(audit, entry_ref);
        if !open.is_empty() && !args.despite_findings {
            bail!(
                "{} in {} has open findings: {}; have them mended, waive them, or add --despite-findings",
                audit.cleaner.clean(&entry.name.text),
                audit.cleaner.clean(&analysis.document.path),
                open.join(", ")
            );
        }
        let scope = scope(audit, Kind::Approved, args.on, analysis, entry)?;
        let mut decision = args.decider.decision(Kind::Approved, scope, until)?;
        decision.conditions.clone_from(&args.condition);
        record_approved_state(&mut decision, audit, entry);
        if decision.prints.is_none() && !args.unseen {
            bail!(
                "{} in {} has not told what it offers: collect that first (tsuba capture, then --evidence), or add --unseen",
                audit.cleaner.clean(&entry.name.text),
                audit.cleaner.clean(&analysis.document.path)
            );
        }
        let listed = match decision.prints.as_ref().map(|prints| prints.items.len()) {
            Some(1) => "with its one tool".to_owned(),
            Some(count) => format!("with {count} tools, prompts and resources"),
            None => {
                "as it is started or called; what its server lists is not known, so that a change of it will not show"
                    .to_owned()
            }
        };
        message.push(format!("approved {}  {}  {listed}", entry.name.text, analysis.document.path));
        // The same thing is decided on once.
        match decided.iter_mut().find(|(known, _)| known.id() == decision.id()) {
            Some((known, of)) => {
                *known = decision;
                of.push(entry_ref);
            }
            None => decided.push((decision, vec![entry_ref])),
        }
    }
    let decisions: Vec<Decision> = decided.iter().map(|(decision, _)| decision.clone()).collect();
    let path = register::write(audited.register.as_deref(), &decisions)?;
    approved::keep(&path, &mut audited, &decided)?;
    let mut out = anstream::stdout().lock();
    for line in message {
        writeln!(out, "{}", audited.audit.cleaner.clean(&line))?;
    }
    writeln!(out, "{}", register::written(&path))?;
    Ok(Done::Clean)
}
