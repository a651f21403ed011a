//! The report as a table: a row for each finding, or for each entry (RFC 4180, with a head, lines ended by CR and LF).
//!
//! A table is opened by programs that calculate: a cell that begins as a formula does is led by an apostrophe.

use crate::model::{CredentialRow, Setup, Text};
use crate::phrases::plan_line;
use crate::{Renderer, Report};
use serde::Serialize;
use std::borrow::Cow;
use std::io::{self, Write};
use tsuba_core::understand::credential::Kind;

/// A row for each finding.
#[derive(Clone, Copy, Debug)]
pub struct FindingTable;

/// A row for each entry.
#[derive(Clone, Copy, Debug)]
pub struct EntryTable;

const FINDINGS: [&str; 18] = [
    "severity",
    "confidence",
    "rule",
    "entry",
    "verdict",
    "team",
    "owner",
    "setup",
    "line",
    "column",
    "pointer",
    "message",
    "fix",
    "excerpt",
    "waived until",
    "fingerprint",
    "entry id",
    "as of",
];

const ENTRIES: [&str; 22] = [
    "verdict",
    "entry",
    "team",
    "owner",
    "setup",
    "line",
    "transport",
    "runs",
    "package",
    "version",
    "image",
    "pinned",
    "address",
    "plaintext credentials",
    "other credentials",
    "tools",
    "decision",
    "decided by",
    "valid until",
    "because",
    "entry id",
    "as of",
];

impl Renderer for FindingTable {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let mut table = Table::new(out, &FINDINGS)?;
        let (setups, entries) = (report.setups_by_path(), report.entries_by_id());
        for finding in &report.findings {
            let setup = setups.get(finding.setup.as_str());
            let entry = finding.entry.as_deref().and_then(|id| entries.get(id));
            let place = &finding.place;
            table.row([
                finding.severity.name().into(),
                finding.confidence.name().into(),
                finding.rule.as_str().into(),
                entry.map_or("", |entry| entry.name.as_str()).into(),
                entry.and_then(|entry| entry.verdict).map_or("", |verdict| verdict.name()).into(),
                team(setup).into(),
                owner(setup).into(),
                finding.setup.as_str().into(),
                place.line.to_string().into(),
                place.column.to_string().into(),
                place.pointer.as_str().into(),
                finding.message.as_str().into(),
                finding.fix.as_str().into(),
                finding.excerpt.as_str().into(),
                finding.waived.as_ref().map_or("", |waiver| waiver.until.as_str()).into(),
                finding.fingerprint.as_str().into(),
                finding.entry.as_deref().unwrap_or_default().into(),
                report.as_of.as_str().into(),
            ])?;
        }
        table.end()
    }
}

impl Renderer for EntryTable {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let mut table = Table::new(out, &ENTRIES)?;
        let setups = report.setups_by_path();
        // What a text only shows, or a file lists, is nobody's entry.
        for entry in report.entries.iter().filter(|entry| entry.counts()) {
            let setup = setups.get(entry.setup.as_str());
            let launch = entry.launch.as_ref();
            let text = |text: Option<&Text>| text.map(|text| text.as_str()).unwrap_or_default().to_owned();
            let decision = entry.decision.as_ref();
            let (plain, other): (Vec<_>, Vec<_>) =
                entry.credentials.iter().partition(|credential| credential.kind.0 == Kind::Plaintext);
            let names = |credentials: Vec<&CredentialRow>| {
                credentials.iter().map(|credential| credential.name.as_str()).collect::<Vec<_>>().join("; ")
            };
            let because: Vec<&str> = entry.because.iter().map(|rule| rule.as_str()).collect();
            table.row([
                entry.verdict.map_or("", |verdict| verdict.name()).into(),
                entry.name.as_str().into(),
                team(setup).into(),
                owner(setup).into(),
                entry.setup.as_str().into(),
                entry.place.line.to_string().into(),
                entry.transport.to_string().into(),
                plan_line(entry).into(),
                text(launch.and_then(|launch| launch.package.as_ref())).into(),
                text(launch.and_then(|launch| launch.version.as_ref())).into(),
                text(launch.and_then(|launch| launch.image.as_ref())).into(),
                launch.and_then(|launch| launch.pin.as_ref()).map(ToString::to_string).unwrap_or_default().into(),
                text(entry.remote.as_ref().map(|remote| &remote.url)).into(),
                names(plain).into(),
                names(other).into(),
                entry.listing.as_ref().map(|listing| listing.tools.to_string()).unwrap_or_default().into(),
                decision.map(|decision| decision.standing.to_string()).unwrap_or_default().into(),
                text(decision.and_then(|decision| decision.by.as_ref())).into(),
                decision.and_then(|decision| decision.until.clone()).unwrap_or_default().into(),
                because.join("; ").into(),
                entry.id.as_str().into(),
                report.as_of.as_str().into(),
            ])?;
        }
        table.end()
    }
}

/// Rows as a table, whatever they are: their fields are the columns.
///
/// # Errors
/// What the writer says, and where a row has other rows in it.
pub fn table<T: Serialize>(rows: &[T], out: &mut dyn Write) -> io::Result<()> {
    let mut table = Rows::new(out);
    rows.iter().try_for_each(|row| table.row(row))?;
    table.finish()
}

/// So many rows are put into cells at a time: what reads cells takes its time to get ready.
const ROWS: usize = 500;

/// Likewise, row by row.
pub struct Rows<'o> {
    writer: csv::Writer<&'o mut dyn Write>,
    /// Rows as they are, with the names of their columns before the first one.
    raw: csv::Writer<Vec<u8>>,
    held: usize,
}

impl<'o> Rows<'o> {
    /// Into a writer.
    pub fn new(out: &'o mut dyn Write) -> Self {
        let writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(out);
        Self { writer, raw: csv::WriterBuilder::new().from_writer(Vec::new()), held: 0 }
    }

    /// A row; before the first one stand the names of its columns.
    ///
    /// # Errors
    /// What the writer says, and where a row has other rows in it.
    pub fn row(&mut self, row: &impl Serialize) -> io::Result<()> {
        self.raw.serialize(row).map_err(io::Error::from)?;
        self.held += 1;
        if self.held < ROWS { Ok(()) } else { self.hand_on() }
    }

    /// Hands on what is held.
    fn hand_on(&mut self) -> io::Result<()> {
        let next = csv::WriterBuilder::new().has_headers(false).from_writer(Vec::new());
        let raw = std::mem::replace(&mut self.raw, next).into_inner().map_err(|error| error.into_error())?;
        for record in csv::ReaderBuilder::new().has_headers(false).from_reader(&*raw).records() {
            let record = record.map_err(io::Error::from)?;
            self.writer.write_record(record.iter().map(|cell| plain(cell).into_owned())).map_err(io::Error::from)?;
        }
        self.held = 0;
        Ok(())
    }

    /// Hands on what is left.
    ///
    /// # Errors
    /// What the writer says.
    pub fn finish(mut self) -> io::Result<()> {
        if self.held > 0 {
            self.hand_on()?;
        }
        self.writer.flush()
    }
}

impl core::fmt::Debug for Rows<'_> {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        f.write_str("Rows")
    }
}

fn team<'r>(setup: Option<&&'r Setup>) -> &'r str {
    setup.and_then(|setup| setup.answers()).map_or("", |team| team.as_str())
}

fn owner<'r>(setup: Option<&&'r Setup>) -> &'r str {
    setup.and_then(|setup| setup.owner.as_ref()).map_or("", |owner| owner.as_str())
}

/// A table of so many columns.
struct Table<'o>(csv::Writer<&'o mut dyn Write>);

impl<'o> Table<'o> {
    fn new(out: &'o mut dyn Write, head: &[&str]) -> io::Result<Self> {
        let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(out);
        writer.write_record(head).map_err(io::Error::from)?;
        Ok(Self(writer))
    }

    fn row<const N: usize>(&mut self, cells: [Cow<'_, str>; N]) -> io::Result<()> {
        self.0.write_record(cells.iter().map(|cell| plain(cell).into_owned())).map_err(io::Error::from)
    }

    fn end(mut self) -> io::Result<()> {
        self.0.flush()
    }
}

/// A cell that no program takes for a formula.
fn plain(cell: &str) -> Cow<'_, str> {
    let calculates = |c: char| matches!(c, '=' | '+' | '-' | '@' | '\t' | '\r' | '\n' | '＝' | '＋' | '－' | '＠');
    match cell.trim_start_matches(' ').chars().next() {
        Some(first) if calculates(first) => Cow::Owned(format!("'{cell}")),
        _ => Cow::Borrowed(cell),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_cell_is_a_formula() {
        for (cell, want) in [
            ("=1+1", "'=1+1"),
            ("+1", "'+1"),
            ("-1", "'-1"),
            ("@sum", "'@sum"),
            (" =1", "' =1"),
            ("\t=1", "'\t=1"),
            ("＝1", "'＝1"),
            ("npx -y", "npx -y"),
            ("1-2", "1-2"),
            ("", ""),
        ] {
            assert_eq!(plain(cell), want, "{cell}");
        }
    }

    #[test]
    fn rows_are_handed_on_in_parts_under_one_head() {
        #[derive(Serialize)]
        struct One {
            at: usize,
            text: &'static str,
        }
        for count in [0, 1, ROWS, ROWS + 1, 2 * ROWS + 7] {
            let mut out: Vec<u8> = Vec::new();
            let mut rows = Rows::new(&mut out);
            for at in 0..count {
                rows.row(&One { at, text: "=1, \"2\"" }).unwrap();
            }
            rows.finish().unwrap();
            let text = String::from_utf8(out).unwrap();
            let want: String = (0..count).map(|at| format!("{at},\"'=1, \"\"2\"\"\"\r\n")).collect();
            let head = if count > 0 { "at,text\r\n" } else { "" };
            assert_eq!(text, format!("{head}{want}"), "{count}");
        }
    }
}
