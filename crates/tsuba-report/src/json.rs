//! The report as JSON: the stable contract.

use crate::model::SCHEMA;
use crate::{Renderer, Report};
use std::fmt;
use std::io::{self, BufWriter, Write};

/// `tsuba-report/2`.
#[derive(Clone, Copy, Debug)]
pub struct Json;

/// So many bytes are handed on at once.
const COLLECTED: usize = 256 << 10;

impl Renderer for Json {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        // Collected here: the many small pieces of a report cost more when each goes through a writer of unknown kind.
        let mut collected = BufWriter::with_capacity(COLLECTED, out);
        serde_json::to_writer_pretty(&mut collected, report)?;
        collected.write_all(b"\n")?;
        collected.flush()
    }
}

/// Reads a report back, whoever wrote it: every text in it is cleaned again, and it can be written in every format.
///
/// # Errors
/// Where it is no `tsuba-report/2`: what and where, without quoting it.
pub fn read(bytes: &[u8]) -> Result<Report, NotAReport> {
    serde_json::from_slice(bytes).map_err(|error| NotAReport { line: error.line(), column: error.column() })
}

/// Bytes that are no report.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NotAReport {
    /// Where reading ended, in lines from 1; 0 where the place is not known.
    pub line: usize,
    /// Likewise, in columns.
    pub column: usize,
}

impl fmt::Display for NotAReport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "no report of this program in JSON ({SCHEMA}), from line {}, column {} on", self.line, self.column)
    }
}

/// The JSON Schema of the report, as it is kept in `docs/`.
pub fn schema() -> String {
    let generator = schemars::generate::SchemaSettings::draft2020_12().for_serialize().into_generator();
    let schema = generator.into_root_schema_for::<Report>();
    serde_json::to_string_pretty(&schema).unwrap_or_default() + "\n"
}
