//! `tsuba inventory`: what is there, unjudged.

use crate::dates::today;
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::output;
use crate::pipeline::Pipeline;
use clap::{Args as Arguments, ValueEnum};
use std::path::PathBuf;
use tsuba_report::Format;

/// List every configured tool server: what it runs, is handed, and may touch
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    input: InputArgs,
    /// The format
    #[arg(long, value_enum, default_value_t = InventoryFormat::Text)]
    format: InventoryFormat,
    /// Write to this file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    output: Option<PathBuf>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum InventoryFormat {
    /// For people
    Text,
    /// tsuba-report/2 without findings and verdicts
    Json,
    /// A table, for a spreadsheet
    Csv,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let report = Pipeline::new(&args.input, today()).by(Vec::new()).run()?.report().unjudged();
    let look = if args.output.is_some() { output::plain() } else { output::look() };
    output::write(args.output.as_ref(), |out| match args.format {
        InventoryFormat::Text => tsuba_report::inventory::render(&report, look, out),
        InventoryFormat::Csv => Format::EntriesCsv.renderer(look).render(&report, out),
        InventoryFormat::Json => Format::Json.renderer(look).render(&report, out),
    })?;
    Ok(Done::Clean)
}
