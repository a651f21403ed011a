//! Which decisions of a register are meant.

use crate::commands::decisions::what;
use crate::deciding::ReviewerArgs;
use crate::register;
use anyhow::{Context as _, bail};
use clap::Args as Arguments;
use tsuba_core::judge::pattern_redactor;
use tsuba_core::register::{Decision, Kind, Register, Scope};

/// The decisions that are meant.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Picked {
    /// The decision, as `tsuba decisions` names it, or what it is on: an entry, a package, a host, a finding (may be given several times)
    #[arg(value_name = "DECISION", required = true)]
    decisions: Vec<String>,
    /// All decisions that fit, where they are several
    #[arg(long)]
    all: bool,
}

/// So many decisions are told when there are too many.
const TOLD: usize = 10;

impl Picked {
    /// Finds them.
    ///
    /// # Errors
    /// Where there is no register, where a name fits no decision, and where it fits several and not all are meant: then nothing is taken.
    pub(crate) fn find(
        &self,
        ReviewerArgs { register: named, team, .. }: &ReviewerArgs,
    ) -> anyhow::Result<Vec<Decision>> {
        let none = || format!("there is no register; `tsuba approve` begins one ({})", register::NAME);
        let register: Register = register::load(named.as_deref())?.with_context(none)?;
        let cleaner = pattern_redactor();
        let mut found: Vec<Decision> = Vec::new();
        for name in &self.decisions {
            let of_team = |decision: &&Decision| team.is_none() || decision.team == *team;
            let own = register.decisions.iter().filter(|decision| decision.kind != Kind::Revoked).filter(of_team);
            let fits: Vec<&Decision> = own.filter(|decision| is_meant(decision, name)).collect();
            match fits.as_slice() {
                [] => bail!(
                    "{}: unknown decision, and none covers an entry of that name; `tsuba decisions` lists them",
                    cleaner.clean(name)
                ),
                [_, _, ..] if !self.all => {
                    let line = |decision: &&Decision| {
                        cleaner.clean(&format!("{}  {}  {}", decision.id(), decision.kind.name(), what(decision)))
                    };
                    let message: String =
                        fits.iter().take(TOLD).map(|decision| format!("\n  {}", line(decision))).collect();
                    bail!(
                        "{}: {} decisions fit; give the one that is meant, or add --all:{message}",
                        cleaner.clean(name),
                        fits.len()
                    );
                }
                _ => found.extend(fits.into_iter().cloned()),
            }
        }
        found.dedup();
        Ok(found)
    }
}

fn is_meant(decision: &Decision, name: &str) -> bool {
    decision.id() == name
        || match &decision.scope {
            Scope::Entry { entry, .. } => entry == name,
            Scope::Package { package, .. } => package == name,
            Scope::Host { host } => host == name,
            Scope::Finding { rule, finding } => rule == name || finding == name,
        }
}
