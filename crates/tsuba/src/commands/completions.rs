//! `tsuba completions`: for the shell.

use crate::exit::Done;
use crate::output;
use clap::{Args as Arguments, CommandFactory as _};
use clap_complete::Shell;

/// Print the completions for a shell
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// The shell
    shell: Shell,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let mut text = Vec::new();
    clap_complete::generate(args.shell, &mut crate::Cli::command(), "tsuba", &mut text);
    output::write(None, |out| out.write_all(&text))?;
    Ok(Done::Clean)
}
