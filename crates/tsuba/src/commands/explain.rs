//! `tsuba explain`: why a rule exists.

use crate::exit::Done;
use crate::output;
use anyhow::bail;
use clap::Args as Arguments;
use tsuba_report::rules;

/// Explain a rule with an example before and after; without a rule, list them all
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// The rule, as `family/name`
    rule: Option<String>,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let look = output::look();
    match &args.rule {
        None => output::write(None, |out| rules::list(look, out))?,
        Some(id) => match tsuba_core::rules::find(id) {
            Some(rule) => output::write(None, |out| rules::explain(rule, look, out))?,
            None => {
                let name = id.rsplit('/').next().unwrap_or(id);
                let near: Vec<&str> = tsuba_core::rules::all()
                    .iter()
                    .map(|r| r.id)
                    .filter(|r| r.contains(name) || r.starts_with(id.as_str()))
                    .collect();
                let hint = if near.is_empty() {
                    "`tsuba explain` lists them".to_owned()
                } else {
                    format!("did you mean {}?", near.join(" or "))
                };
                bail!("there is no rule {id:?}; {hint}");
            }
        },
    }
    Ok(Done::Clean)
}
