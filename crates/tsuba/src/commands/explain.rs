//! `tsuba explain`: why a rule exists, and what the policy says of an entry.

use super::explain_policy::{self, Asked};
use crate::exit::Done;
use crate::output;
use anyhow::bail;
use clap::Args as Arguments;
use std::path::PathBuf;
use tsuba_report::rules;

/// Explain a rule with an example before and after, or what the policy says of an entry; without either, list the rules
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// The rule, as `family/name`; with --policy the folders and files to look at
    #[arg(value_name = "RULE")]
    what: Vec<PathBuf>,
    /// Tell what policy and register say of each entry, and which line says so
    #[arg(long)]
    policy: bool,
    /// Only of entries of this name, and then also where nothing is said (may be given several times)
    #[arg(long, value_name = "NAME", requires = "policy")]
    entry: Vec<String>,
    /// Folders of evidence (may be given several times)
    #[arg(long, value_name = "FOLDER", requires = "policy")]
    evidence: Vec<PathBuf>,
    /// The register [default: tsuba-register.toml in the current folder; one that lies in what is judged only where it is trusted]
    #[arg(long, value_name = "FILE", requires = "policy")]
    register: Option<PathBuf>,
    /// Configuration file [default: tsuba.toml in the current folder, else this account's own; one that lies in what is judged only where it is trusted]
    #[arg(long, value_name = "FILE", requires = "policy")]
    config: Option<PathBuf>,
    /// As of this date (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE", requires = "policy")]
    as_of: Option<String>,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    if args.policy {
        return explain_policy::run(&Asked {
            inputs: &args.what,
            entry: &args.entry,
            evidence: &args.evidence,
            register: args.register.as_deref(),
            config: args.config.as_deref(),
            as_of: args.as_of.as_deref(),
        });
    }
    let look = output::look();
    match args.what.as_slice() {
        [] => output::write(None, |out| rules::list(look, out))?,
        [rule] => {
            let id = rule.to_string_lossy();
            match tsuba_core::rules::find(&id) {
                Some(rule) => output::write(None, |out| rules::explain(rule, look, out))?,
                None => bail!("{}", tsuba_core::rules::unknown(&id)),
            }
        }
        _ => bail!("one rule at a time"),
    }
    Ok(Done::Clean)
}
