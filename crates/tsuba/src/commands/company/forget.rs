//! `tsuba company forget`: takes things out of the store.

use crate::dates::date;
use crate::exit::Done;
use clap::Args as Arguments;
use std::io::Write as _;
use std::path::Path;
use tsuba_report::count;
use tsuba_store::Forget;

/// Forget a repository or host that is no more, or what is older than a date
#[derive(Clone, Debug, Arguments)]
#[group(required = true, multiple = false)]
pub(super) struct Args {
    /// All reports of this repository, as `list` names it
    #[arg(long, value_name = "NAME")]
    repository: Option<String>,
    /// All reports of this host
    #[arg(long, value_name = "NAME")]
    host: Option<String>,
    /// Reports before this date (YYYY-MM-DD), and what was gone by then; the newest of each repository or host stays
    #[arg(long, value_name = "DATE")]
    before: Option<String>,
}

pub(super) fn run(path: &Path, args: &Args) -> anyhow::Result<Done> {
    let what = match (&args.repository, &args.host, &args.before) {
        (Some(name), ..) => Forget::Repository(name.clone()),
        (_, Some(name), _) => Forget::Host(name.clone()),
        (_, _, day) => Forget::Before(date("--before", day.as_deref().unwrap_or_default())?),
    };
    let mut store = super::store::open(path)?;
    let forgotten = store.forget(&what)?;
    writeln!(anstream::stdout(), "{} forgotten", count(forgotten, "report", "reports"))?;
    Ok(Done::Clean)
}
