//! `tsuba inventory`: what is there, unjudged.

use crate::exit::Done;
use crate::gather::{Where, gather};
use crate::output;
use crate::threads::Threads;
use clap::{Args as Arguments, ValueEnum};
use std::path::PathBuf;
use tsuba_core::judge::{Options, audit};
use tsuba_report::{Format, Report};

/// Show every tool server that is set up: what it runs, is handed, and may touch
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    r#where: Where,
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
    /// tsuba-report/1 without findings and verdicts
    Json,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let gathered = gather(&args.r#where, None)?;
    let today = super::audit::today();
    let options = Options { key: gathered.key, ..Options::on(today) };
    let threads = Threads::new(args.r#where.jobs);
    let audit = audit(gathered.studies, gathered.unread, &[], &options, &threads);
    let report = Report::new(&audit, &gathered.inputs, today, env!("CARGO_PKG_VERSION"), &threads).unjudged();
    let look = if args.output.is_some() { output::plain() } else { output::look() };
    output::write(args.output.as_ref(), |out| match args.format {
        InventoryFormat::Text => tsuba_report::inventory::render(&report, look, out),
        InventoryFormat::Json => Format::Json.renderer(look).render(&report, out),
    })?;
    Ok(Done::Clean)
}
