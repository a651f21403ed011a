//! `tsuba cage`: a stage of building a cage; only `tsuba capture` asks for it.

use crate::exit::Done;
use anyhow::anyhow;
use clap::Args as Arguments;
use std::ffi::OsString;

/// Build a cage and become the server in it
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// The stage, and what it needs
    #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
    rest: Vec<OsString>,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let code = tsuba_capture::cage::stage(&args.rest).map_err(|why| anyhow!(why))?;
    Ok(Done::As(code))
}
