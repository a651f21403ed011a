//! `tsuba render`: a saved report in another format.

use super::audit::FormatName;
use crate::exit::Done;
use crate::output;
use crate::reports::report;
use crate::split::{self, Split};
use anyhow::bail;
use clap::Args as Arguments;
use std::path::PathBuf;

/// Write a saved JSON report in another format, as `audit` or `inventory` would have written it
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// The report, as `tsuba audit --format json` or `tsuba inventory --format json` wrote it
    #[arg(value_name = "REPORT")]
    report: PathBuf,
    /// The format to write
    #[arg(long, value_enum, default_value_t = FormatName::Text)]
    format: FormatName,
    /// Write it to this file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    output: Option<PathBuf>,
    /// Write one report for each team, repository or owner, and a list of them, into the folder that --output names
    #[arg(long, value_enum, value_name = "BY", requires = "output")]
    split: Option<Split>,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    split::check(args.split, args.output.as_deref(), args.format)?;
    let report = report(&args.report)?;
    // An inventory has no verdicts, and must not look as if nothing were refused.
    let judged = !report.summary.verdicts.is_empty() || !report.filters.is_empty();
    let of_entries = matches!(args.format, FormatName::Text | FormatName::Json | FormatName::EntriesCsv);
    if !judged && !of_entries {
        bail!(
            "{}: an inventory, which judges nothing; it is written as text, json or entries-csv",
            args.report.display()
        );
    }
    if let (Some(by), Some(folder)) = (args.split, &args.output) {
        if !judged {
            bail!(
                "{}: an inventory, which judges nothing; only the report of an audit is split",
                args.report.display()
            );
        }
        split::write(&report, by, args.format, folder, None)?;
        return Ok(Done::Clean);
    }
    let look = if args.output.is_some() { output::plain() } else { output::look() };
    output::write(args.output.as_ref(), |out| match args.format {
        FormatName::Text if !judged => tsuba_report::inventory::render(&report, look, out),
        format => format.of_report().renderer(look).render(&report, out),
    })?;
    Ok(Done::Clean)
}
