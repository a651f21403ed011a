//! `tsuba company export`: the findings of a company, for other programs.

use super::{bill, written};
use crate::dates::as_of;
use crate::exit::Done;
use crate::output;
use clap::{Args as Arguments, ValueEnum};
use std::io;
use std::path::PathBuf;
use tsuba_core::severity::{Confidence, Severity};
use tsuba_core::text::Name as _;
use tsuba_report::{CycloneDx, Observed, Renderer as _, Rows};
use tsuba_store::{FindingLine, Store};

/// Write every finding, open and closed, for a spreadsheet, a data lake or a bill of materials
#[derive(Clone, Debug, Arguments)]
pub(super) struct Args {
    /// The format
    #[arg(long, value_enum, default_value_t = ExportFormat::Ndjson)]
    format: ExportFormat,
    /// Write it to this file instead of standard output; parquet: into this folder, which must be new or empty
    #[arg(long, short, value_name = "FILE")]
    output: Option<PathBuf>,
    /// Only what is open
    #[arg(long)]
    open: bool,
    /// Only repositories, or hosts and folders, with this in their name (may be given several times)
    #[arg(long = "in", value_name = "TEXT")]
    within: Vec<String>,
    /// The date of the export (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE")]
    as_of: Option<String>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum ExportFormat {
    /// A finding a line, as JSON
    Ndjson,
    /// A table
    Csv,
    /// OCSF 1.3: an event a line for each finding, Create or Close
    Ocsf,
    /// CycloneDX 1.6: what entries run and call today, with what is open
    #[value(name = "cyclonedx")]
    CycloneDx,
    /// Columns in a file for each day on which findings were first seen (first_seen=YYYY-MM-DD/findings.parquet)
    #[cfg(feature = "parquet")]
    Parquet,
}

pub(super) fn run(store: &Store, args: &Args) -> anyhow::Result<Done> {
    let day = as_of(args.as_of.as_deref())?.to_string();
    #[cfg(feature = "parquet")]
    if args.format == ExportFormat::Parquet {
        super::parquet::write(store, (args.open, &args.within), args.output.as_deref())?;
        return Ok(Done::Clean);
    }
    if args.format == ExportFormat::CycloneDx {
        let report = bill::report(store, &args.within, &day)?;
        output::write(args.output.as_ref(), |out| CycloneDx.render(&report, out))?;
        return Ok(Done::Clean);
    }
    let each =
        |take: &mut dyn FnMut(FindingLine) -> io::Result<()>| store.each_finding((args.open, &args.within), None, take);
    written(args.output.as_ref(), |out| match args.format {
        ExportFormat::Csv => {
            let mut table = Rows::new(out);
            each(&mut |finding| table.row(&finding))?;
            Ok(table.finish()?)
        }
        ExportFormat::Ocsf => each(&mut |finding| event(&finding, &day).write(out)),
        _ => each(&mut |finding| {
            serde_json::to_writer(&mut *out, &finding)?;
            out.write_all(b"\n")
        }),
    })?;
    Ok(Done::Clean)
}

fn event<'f>(finding: &'f FindingLine, day: &'f str) -> Observed<'f> {
    let said = |text: &'f str| Some(text).filter(|text| !text.is_empty());
    let rule = tsuba_core::rules::find(&finding.rule);
    Observed {
        version: env!("CARGO_PKG_VERSION"),
        day,
        rule: &finding.rule,
        severity: Severity::from_name(finding.severity).unwrap_or(Severity::Note),
        confidence: Confidence::from_name(&finding.confidence).unwrap_or(Confidence::Possible),
        fingerprint: &finding.fingerprint,
        message: &finding.message,
        fix: &finding.fix,
        references: rule.map(|rule| rule.references.to_vec()).unwrap_or_default(),
        entry: said(&finding.entry).map(|id| (id, finding.name.as_str())),
        place: (&finding.setup, finding.line, None),
        team: said(&finding.team),
        owner: said(&finding.owner),
        waived: said(&finding.waived).map(|by| format!("waived by {by}")),
        life: Some((&finding.first_seen, &finding.last_seen, finding.closed.as_deref())),
        more: [("scope", finding.scope.as_str()), ("commit", &finding.closed_by)]
            .into_iter()
            .filter(|(_, value)| !value.is_empty())
            .collect(),
    }
}
