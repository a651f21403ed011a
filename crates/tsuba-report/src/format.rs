//! The formats, and the trait they share.

use crate::{
    CycloneDx, EntryTable, FindingTable, Html, JUnit, Json, Lines, Markdown, Ocsf, RenderOptions, Report, Sarif, Text,
};
use std::io::{self, Write};

/// Writes a report in one format.
pub trait Renderer {
    /// Writes the whole report.
    ///
    /// # Errors
    /// What the writer says.
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()>;
}

/// The formats by name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// For people.
    Text,
    /// `tsuba-report/2`.
    Json,
    /// SARIF 2.1.0, for scanning dashboards.
    Sarif,
    /// For a ticket.
    Markdown,
    /// A page, for a manager to look at and an engineer to work in.
    Html,
    /// A table of the findings.
    Csv,
    /// A table of the entries.
    EntriesCsv,
    /// A finding a line, as JSON.
    Ndjson,
    /// A bill of materials.
    CycloneDx,
    /// An event for each finding.
    Ocsf,
    /// A test report.
    JUnit,
}

impl Format {
    /// The renderer of this format; `look` is how the text format may look.
    pub fn renderer(self, look: RenderOptions) -> Box<dyn Renderer> {
        match self {
            Self::Text => Box::new(Text(look)),
            Self::Json => Box::new(Json),
            Self::Sarif => Box::new(Sarif),
            Self::Markdown => Box::new(Markdown),
            Self::Html => Box::new(Html),
            Self::Csv => Box::new(FindingTable),
            Self::EntriesCsv => Box::new(EntryTable),
            Self::Ndjson => Box::new(Lines),
            Self::CycloneDx => Box::new(CycloneDx),
            Self::Ocsf => Box::new(Ocsf),
            Self::JUnit => Box::new(JUnit),
        }
    }
}
