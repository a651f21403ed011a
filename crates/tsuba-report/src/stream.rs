//! A report in JSON, written as it is made: rows of entries and findings are made in pieces side by side, written in order and let go.
//!
//! To the letter what [`crate::Json`] writes of the same report as a whole; only what is counted over everything is kept until the end.

use crate::build::{firsts, is_undecided, owners, paths, rows_of};
use crate::model::{EntryRow, FindingRow, Named, Report, Summary, Text};
use crate::rows::finding_row;
use crate::together::{Told, together_among};
use serde::Serialize;
use serde_json::ser::{Formatter as _, PrettyFormatter};
use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write};
use std::ops::Range;
use tsuba_core::judge::{Audit, Finding, Parallel};
use tsuba_core::severity::Severity;
use tsuba_core::text::Clean;

/// So many setups are one piece of work.
const SETUPS: usize = 8;
/// So many findings are one.
const FINDINGS: usize = 128;
/// So many pieces are made before they are written: what is held in memory.
const ROUND: usize = 16;

/// What a report says that was written so.
#[derive(Clone, Debug)]
pub struct Written {
    /// Without rows.
    shell: Report,
    /// The worst of its findings that is not waived.
    worst: Option<Severity>,
}

impl Written {
    /// As [`Report::reaches`].
    pub fn reaches(&self, gate: Severity) -> bool {
        self.worst.is_some_and(|worst| worst >= gate) || self.shell.reaches(gate)
    }

    /// As [`Report::is_unsure`].
    pub fn is_unsure(&self) -> bool {
        self.shell.is_unsure()
    }
}

/// Where an entry begins, and whether a text only shows it.
struct Start {
    id: String,
    at: (u32, u32),
    document: bool,
}

/// A finding, for what is counted.
struct Counted<'a> {
    setup: &'a str,
    entry: Option<&'a str>,
    finding: &'a Finding,
    is_waived: bool,
}

impl Told for Counted<'_> {
    fn setup(&self) -> &str {
        self.setup
    }

    fn entry(&self) -> Option<&str> {
        self.entry
    }

    fn place(&self) -> (u32, u32, u32, u32) {
        let Finding { start, end, .. } = self.finding;
        (start.line, start.column, end.line, end.column)
    }

    fn has_pointer(&self) -> bool {
        !self.finding.pointer.as_str().is_empty()
    }

    fn rule(&self) -> &str {
        self.finding.rule.id
    }

    fn fingerprint(&self) -> &str {
        &self.finding.fingerprint
    }

    fn reads(&self) -> Option<&str> {
        self.finding.reads.as_ref().map(Clean::as_str)
    }

    fn is_waived(&self) -> bool {
        self.is_waived
    }
}

/// Writes the report of an audit whose head is `shell`.
///
/// # Errors
/// What the writer says.
pub fn stream(audit: &Audit, shell: Report, spread: &impl Parallel, out: &mut dyn Write) -> io::Result<Written> {
    let mut shell = shell;
    let (paths, owners, first) = (paths(audit), owners(audit), firsts(audit));
    let runs = runs(&paths);
    let head = serde_json::to_vec_pretty(&shell)?;
    let [before, between, _] = parts(&head)?;
    out.write_all(before)?;
    let mut starts: Vec<Start> = Vec::new();
    let mut rows = List::begin(out, "entries")?;
    for round in runs.chunks(ROUND * SETUPS) {
        let pieces: Vec<&[Range<usize>]> = round.chunks(SETUPS).collect();
        let made = spread.each(&pieces, |piece| {
            let own = piece.first().zip(piece.last()).map(|(first, last)| first.start..last.end).unwrap_or_default();
            let analyses = own.clone().filter_map(|at| Some((at, audit.analyses.get(at)?)));
            let rows: Vec<EntryRow> = analyses.flat_map(|one| rows_of(audit, one, &paths, &owners)).collect();
            let summary = Summary::of(shell.setups.get(own).unwrap_or_default(), &rows, &[], 0);
            let bytes = written(&rows);
            let start =
                |row: EntryRow| Start { at: (row.place.line, row.place.column), document: row.document, id: row.id };
            vec![Part { bytes, starts: rows.into_iter().map(start).collect(), summary }]
        });
        for part in made {
            add(&mut shell.summary, &part.summary);
            starts.extend(part.starts);
            rows.write(&part.bytes?)?;
        }
    }
    let out = rows.end()?;
    out.write_all(between)?;
    let id = |finding: &Finding| starts.get(first.get(finding.entry_ref.analysis)? + finding.entry_ref.entry?);
    let mut rows = List::begin(out, "findings")?;
    for round in audit.findings.chunks(ROUND * FINDINGS) {
        let pieces: Vec<_> = round.chunks(FINDINGS).collect();
        let made = spread.each(&pieces, |piece| {
            let own = piece.iter().filter(|finding| !is_undecided(finding));
            let own = own.filter_map(|finding| finding_row(audit, finding, id(finding).map(|start| &start.id), &paths));
            vec![written(&own.collect::<Vec<FindingRow>>())]
        });
        made.into_iter().try_for_each(|bytes| rows.write(&bytes?))?;
    }
    let out = rows.end()?;
    let told = audit.findings.iter().filter(|finding| !is_undecided(finding));
    let has = |at: usize| audit.register.as_ref().is_some_and(|register| register.decisions.get(at).is_some());
    let counted = told.filter_map(|finding| {
        let setup = paths.get(finding.entry_ref.analysis)?.as_str();
        let is_waived = finding.waived.is_some_and(has);
        Some(Counted { setup, entry: id(finding).map(|start| start.id.as_str()), finding, is_waived })
    });
    let counted: Vec<Counted<'_>> = counted.collect();
    let open = counted.iter().filter(|one| !one.is_waived).map(|one| one.finding.severity);
    let worst = open.max();
    shell.summary.waived = counted.iter().filter(|one| one.is_waived).count();
    for severity in severities(&counted, (&runs, &starts, &first), spread) {
        *shell.summary.findings.entry(Named(severity)).or_default() += 1;
    }
    // They are written already.
    shell.setups = Vec::new();
    let tail = serde_json::to_vec_pretty(&shell)?;
    let [_, _, after] = parts(&tail)?;
    out.write_all(after)?;
    out.write_all(b"\n")?;
    Ok(Written { shell, worst })
}

/// The severities of what is counted: findings that are told as one are one. No finding is told together with one of another file.
fn severities(
    counted: &[Counted<'_>],
    (runs, starts, first): (&[Range<usize>], &[Start], &[usize]),
    spread: &impl Parallel,
) -> Vec<Severity> {
    let mut of_run: Vec<Vec<&Counted<'_>>> = runs.iter().map(|_| Vec::new()).collect();
    for one in counted {
        let analysis = one.finding.entry_ref.analysis;
        let run = runs.partition_point(|run| run.end <= analysis);
        of_run.get_mut(run).into_iter().for_each(|run| run.push(one));
    }
    let runs: Vec<(&Range<usize>, Vec<&Counted<'_>>)> = runs.iter().zip(of_run).collect();
    spread.spread(&runs, |_, (run, own)| {
        if own.is_empty() {
            return Vec::new();
        }
        let from = first.get(run.start).copied().unwrap_or_default();
        let to = first.get(run.end).copied().unwrap_or(starts.len());
        let entries = starts.get(from..to).unwrap_or_default();
        let places: BTreeMap<&str, (u32, u32)> = entries.iter().map(|start| (start.id.as_str(), start.at)).collect();
        let documents: BTreeSet<&str> =
            entries.iter().filter(|start| start.document).map(|start| start.id.as_str()).collect();
        let groups = together_among(own.iter().copied(), &places, &documents);
        groups.iter().filter(|group| !group.lead.is_waived).map(|group| group.lead.finding.severity).collect()
    })
}

/// A piece of the entries: the text of its rows, and what is kept of them.
struct Part {
    bytes: io::Result<Vec<u8>>,
    starts: Vec<Start>,
    summary: Summary,
}

/// The setups of each path: mostly one. They are sorted by it.
fn runs(paths: &[Text]) -> Vec<Range<usize>> {
    let mut at = 0;
    let lengths = paths.chunk_by(|a, b| a == b).map(<[Text]>::len);
    lengths
        .map(|length| {
            at += length;
            at - length..at
        })
        .collect()
}

/// Adds what was counted in a part.
fn add(all: &mut Summary, own: &Summary) {
    all.setups += own.setups;
    all.entries += own.entries;
    all.documents += own.documents;
    all.shown += own.shown;
    all.unasked.local += own.unasked.local;
    all.unasked.remote += own.unasked.remote;
    for (verdict, count) in &own.verdicts {
        *all.verdicts.entry(*verdict).or_default() += count;
    }
}

/// The text of a report without rows: what is before its entries, between them and its findings, and behind those.
fn parts(shell: &[u8]) -> io::Result<[&[u8]; 3]> {
    // A line within a text has its end escaped, and what is deeper is further in.
    let cut = |text: &'_ [u8], mark: &str| -> Option<(usize, usize)> {
        let mark = format!("\n  {mark}: []");
        let at = text.windows(mark.len()).position(|window| window == mark.as_bytes())?;
        Some((at, at + mark.len()))
    };
    let places = cut(shell, "\"entries\"").zip(cut(shell, "\"findings\""));
    let parts = places.and_then(|(entries, findings)| {
        Some([shell.get(..entries.0)?, shell.get(entries.1..findings.0)?, shell.get(findings.1..)?])
    });
    parts.ok_or_else(|| io::Error::other("a report without rows has no place for them"))
}

/// Rows as the elements of a list that is a member of the whole, with a comma before each.
fn written<T: Serialize>(rows: &[T]) -> io::Result<Vec<u8>> {
    let mut out = Vec::new();
    for row in rows {
        out.extend_from_slice(b",\n    ");
        let mut formatter = PrettyFormatter::new();
        // In as deep as they stand.
        (0..2).try_for_each(|_| formatter.begin_array(&mut io::sink()))?;
        row.serialize(&mut serde_json::Serializer::with_formatter(&mut out, formatter))?;
    }
    Ok(out)
}

/// A list that is being written.
struct List<'o> {
    out: &'o mut dyn Write,
    is_empty: bool,
}

impl<'o> List<'o> {
    fn begin(out: &'o mut dyn Write, name: &str) -> io::Result<Self> {
        write!(out, "\n  \"{name}\": [")?;
        Ok(Self { out, is_empty: true })
    }

    fn write(&mut self, rows: &[u8]) -> io::Result<()> {
        let rows = if self.is_empty { rows.strip_prefix(b",").unwrap_or(rows) } else { rows };
        self.is_empty &= rows.is_empty();
        self.out.write_all(rows)
    }

    fn end(self) -> io::Result<&'o mut dyn Write> {
        self.out.write_all(if self.is_empty { b"]" } else { b"\n  ]" })?;
        Ok(self.out)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_go_where_the_report_has_none_whatever_its_texts_say() {
        // A text that looks like the place, and a member of that name further in.
        let odd = "\n  \"entries\": []\n  \"findings\": [],";
        let value = serde_json::json!({ "a": odd, "b": { "entries": [], "findings": [] }, "entries": [], "findings": [], "unread": [odd] });
        let text = serde_json::to_vec_pretty(&value).unwrap();
        let [before, between, after] = parts(&text).unwrap();
        let whole = [before, b"\n  \"entries\": []", between, b"\n  \"findings\": []", after].concat();
        assert_eq!(whole, text);
        let back: serde_json::Value =
            serde_json::from_slice(&[before, b"\"entries\": [1]", between, b"\"findings\": [2]", after].concat())
                .unwrap();
        assert_eq!(
            (&back["entries"][0], &back["findings"][0], &back["b"]["entries"]),
            (&1.into(), &2.into(), &serde_json::json!([]))
        );
        assert!(parts(b"{}").is_err());
    }

    #[test]
    fn a_list_is_written_as_it_is_as_a_whole() {
        for rows in [
            vec![],
            vec![serde_json::json!({ "a": 1 })],
            vec![serde_json::json!({ "a": { "b": [1, "\n"] } }), serde_json::json!({})],
        ] {
            let mut out = Vec::new();
            let mut list = List::begin(&mut out, "x").unwrap();
            // In two pieces, one of which may be empty.
            let (first, rest) = rows.split_at(rows.len() / 2);
            list.write(&written(first).unwrap()).unwrap();
            list.write(&written(rest).unwrap()).unwrap();
            list.end().unwrap();
            let whole = serde_json::to_string_pretty(&serde_json::json!({ "x": rows })).unwrap();
            assert_eq!(format!("{{{}\n}}", String::from_utf8(out).unwrap()), whole);
        }
    }
}
