//! `tsuba revoke`: takes decisions back.

use crate::deciding::DecisionArgs;
use crate::exit::Done;
use crate::picked::Picked;
use crate::register;
use clap::Args as Arguments;
use std::io::Write as _;
use tsuba_core::judge::pattern_redactor;

/// Withdraw decisions; what they covered is undecided again
///
/// What was decided, who took it back and why stay in the register as its history.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    picked: Picked,
    #[command(flatten)]
    decider: DecisionArgs,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let named = args.decider.who.register.as_deref();
    let mut revoked = Vec::new();
    for decision in args.picked.find(&args.decider.who)? {
        let new = args.decider.decision(decision.kind, decision.scope.clone(), None)?;
        revoked.push(decision.revoked(new.by, new.on, new.reason));
    }
    let path = register::write(named, &revoked)?;
    let (mut out, cleaner) = (anstream::stdout().lock(), pattern_redactor());
    for decision in &revoked {
        writeln!(out, "{}", cleaner.clean(&format!("revoked  {}", super::decisions::what(decision))))?;
    }
    writeln!(out, "{}", register::written(&path))?;
    Ok(Done::Clean)
}
