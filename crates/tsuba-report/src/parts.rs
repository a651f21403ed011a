//! The list of the parts that a report was split into: whose each is, how it stands, and where its file is.

use crate::html::{STYLE, policy};
use crate::markdown::escape;
use crate::{Part, Report, SplitBy};
use askama::Template;
use std::io::{self, Write};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;
use tsuba_core::text::Name as _;

/// The severities that a list tells.
const TOLD: [Severity; 3] = [Severity::Critical, Severity::High, Severity::Medium];

struct Row<'p> {
    name: &'p str,
    file: String,
    counts: Vec<usize>,
}

#[derive(Template)]
#[template(path = "parts.html")]
struct List<'p> {
    policy: String,
    style: &'static str,
    title: String,
    by: &'static str,
    as_of: &'p str,
    heads: Vec<&'static str>,
    rows: Vec<Row<'p>>,
    unread: Vec<(String, &'p str)>,
}

/// Writes the list, in HTML or else in Markdown. `ending` is that of the parts' files.
///
/// # Errors
/// What the writer says.
pub fn parts(
    report: &Report,
    by: SplitBy,
    parts: &[Part],
    (ending, html): (&str, bool),
    out: &mut dyn Write,
) -> io::Result<()> {
    let heads = Verdict::ALL.iter().map(|verdict| verdict.name()).chain(TOLD.map(Severity::name)).collect();
    let counts = |part: &Part| {
        Verdict::ALL
            .iter()
            .map(|verdict| part.count(*verdict))
            .chain(TOLD.map(|severity| part.found(severity)))
            .collect()
    };
    let place = |line: Option<u32>| line.map(|line| format!(":{line}")).unwrap_or_default();
    let list = List {
        policy: policy(),
        style: STYLE,
        title: report.title(),
        by: by.name(),
        as_of: &report.as_of,
        heads,
        rows: parts
            .iter()
            .map(|part| Row { name: &part.name, file: format!("{}.{ending}", part.file), counts: counts(part) })
            .collect(),
        unread: report
            .unread
            .iter()
            .map(|row| (format!("{}{}", row.path, place(row.line)), row.why.as_str()))
            .collect(),
    };
    if html {
        let mut out = out;
        return list.write_into(&mut out);
    }
    writeln!(out, "## Tool servers by {}: {}\n\nas of {}\n", list.by, escape(&list.title), list.as_of)?;
    writeln!(out, "| {} | {} |\n| --- |{}", list.by, list.heads.join(" | "), " ---: |".repeat(list.heads.len()))?;
    for row in &list.rows {
        let counts: Vec<String> = row.counts.iter().map(ToString::to_string).collect();
        writeln!(out, "| [{}]({}) | {} |", escape(row.name), row.file, counts.join(" | "))?;
    }
    if !list.unread.is_empty() {
        writeln!(out, "\nCould not be read:\n")?;
    }
    list.unread.iter().try_for_each(|(file, why)| writeln!(out, "- {}: {}", escape(file), escape(why)))
}
