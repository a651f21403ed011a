//! `tsuba man`: the manual page.

use crate::exit::Done;
use crate::output;
use clap::{Args as Arguments, CommandFactory as _};

/// Print the manual page (roff), with every command
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {}

pub(crate) fn run(_: &Args) -> anyhow::Result<Done> {
    let command = crate::Cli::command();
    output::write(None, |out| {
        clap_mangen::Man::new(command.clone()).render(out)?;
        for sub in command.get_subcommands() {
            let man = clap_mangen::Man::new(sub.clone());
            man.render_name_section(out)?;
            man.render_synopsis_section(out)?;
            man.render_options_section(out)?;
        }
        Ok(())
    })?;
    Ok(Done::Clean)
}
