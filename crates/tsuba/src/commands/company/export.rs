//! `tsuba company export`: the findings of a company, for other programs.

use crate::exit::Done;
use crate::output;
use clap::{Args as Arguments, ValueEnum};
use std::path::PathBuf;
use tsuba_store::Store;

/// Write every finding, open and closed, for a spreadsheet or a data lake
#[derive(Clone, Debug, Arguments)]
pub(super) struct Args {
    /// The format
    #[arg(long, value_enum, default_value_t = ExportFormat::Ndjson)]
    format: ExportFormat,
    /// Write it to this file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    output: Option<PathBuf>,
    /// Only what is open
    #[arg(long)]
    open: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum ExportFormat {
    /// A finding a line, as JSON
    Ndjson,
    /// A table
    Csv,
}

pub(super) fn run(store: &Store, args: &Args) -> anyhow::Result<Done> {
    let findings = store.findings(args.open)?;
    output::write(args.output.as_ref(), |out| match args.format {
        ExportFormat::Csv => tsuba_report::table(&findings, out),
        ExportFormat::Ndjson => findings.iter().try_for_each(|finding| {
            serde_json::to_writer(&mut *out, finding)?;
            out.write_all(b"\n")
        }),
    })?;
    Ok(Done::Clean)
}
