//! `tsuba renew`: lets decisions hold longer.

use crate::dates::date;
use crate::deciding::DecisionArgs;
use crate::exit::Done;
use crate::picked::Picked;
use crate::register;
use clap::Args as Arguments;
use std::io::Write as _;
use tsuba_core::judge::pattern_redactor;

/// Extend decisions to a later date
///
/// What was approved stays what it was: where something else is there now, the approval does not cover it. Who decided before, and why, stays in the
/// register as its history.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    picked: Picked,
    /// The last day on which it holds (YYYY-MM-DD)
    #[arg(long, value_name = "DATE")]
    until: String,
    #[command(flatten)]
    decider: DecisionArgs,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let until = date("--until", &args.until)?;
    let named = args.decider.who.register.as_deref();
    let mut renewed = Vec::new();
    for decision in args.picked.find(&args.decider.who)? {
        let new = args.decider.decision(decision.kind, decision.scope.clone(), Some(until))?;
        renewed.push(decision.renewed(new.by, new.on, new.reason, new.until));
    }
    let path = register::write(named, &renewed)?;
    let (mut out, cleaner) = (anstream::stdout().lock(), pattern_redactor());
    for decision in &renewed {
        let line = format!("{} until {until}  {}", decision.kind.name(), super::decisions::what(decision));
        writeln!(out, "{}", cleaner.clean(&line))?;
    }
    writeln!(out, "{}", register::written(&path))?;
    Ok(Done::Clean)
}
