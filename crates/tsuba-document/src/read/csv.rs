//! Tables of separated values (RFC 4180): the first row names the columns, every further row becomes a mapping.

use super::{Key, MAX_NODES, Member, Node, Reason, Unreadable, Value};
use crate::prelude::*;
use crate::text::Span;
use csv_core::{ReadFieldResult, ReaderBuilder};

/// What may stand between two cells; the one that the first line has most often is taken.
const SEPARATORS: [u8; 3] = [b',', b';', b'\t'];

/// The separator of a table, by its first line.
pub(super) fn separator(text: &str) -> u8 {
    let line = text.lines().find(|line| !line.trim().is_empty()).unwrap_or_default();
    let count = |separator: u8| line.bytes().filter(|byte| *byte == separator).count();
    SEPARATORS.into_iter().rev().max_by_key(|separator| count(*separator)).unwrap_or(b',')
}

/// Parses a table into a list of mappings; an empty cell is `null`.
pub(super) fn parse(text: &str) -> Result<Node, Unreadable> {
    let mut rows = Vec::new();
    let mut header: Option<Vec<(String, Span)>> = None;
    let mut row: Vec<(String, Span)> = Vec::new();
    let mut cells = 0_usize;
    each_cell(text, |cell, span, ends| {
        cells += 1;
        if cells > MAX_NODES {
            return Err(Unreadable { why: Reason::TooMany, at: Some(span.start as usize) });
        }
        row.push((cell, span));
        if ends {
            match &header {
                None => header = Some(core::mem::take(&mut row)),
                Some(header) => rows.push(mapping(header, core::mem::take(&mut row))),
            }
        }
        Ok(())
    })?;
    Ok(Node::new(Span::new(0, text.len()), Value::List(rows)))
}

fn mapping(header: &[(String, Span)], row: Vec<(String, Span)>) -> Node {
    let (start, end) = (row.first().map_or(0, |cell| cell.1.start), row.last().map_or(0, |cell| cell.1.end));
    let members = header.iter().zip(row).map(|((name, at), (cell, span))| {
        let cell = cell.trim();
        let value = if cell.is_empty() { Value::Null } else { Value::Text(cell.to_owned()) };
        Member { key: Key { text: name.trim().to_owned(), span: *at }, value: Node::new(span, value) }
    });
    Node::new(Span { start, end }, Value::Map(members.collect()))
}

/// Hands over every cell with its place, and whether it ends its row.
fn each_cell(text: &str, mut take: impl FnMut(String, Span, bool) -> Result<(), Unreadable>) -> Result<(), Unreadable> {
    let separator = separator(text);
    let mut reader = ReaderBuilder::new().delimiter(separator).build();
    let (mut at, mut start) = (0, 0);
    let mut cell: Vec<u8> = Vec::new();
    let mut room = [0; 1024];
    loop {
        let rest = text.as_bytes().get(at..).unwrap_or_default();
        let (result, read, written) = reader.read_field(rest, &mut room);
        at += read;
        cell.extend(room.get(..written).unwrap_or_default());
        match result {
            // The next call finds nothing left and tells the end.
            ReadFieldResult::InputEmpty | ReadFieldResult::OutputFull => {}
            ReadFieldResult::Field { record_end } => {
                let span = written_at(text, start, at, separator);
                // A quote may be cut by nothing but the end of the text, and cells are cut at ASCII: it stays UTF-8.
                let cell = String::from_utf8_lossy(&core::mem::take(&mut cell)).into_owned();
                take(cell, span, record_end)?;
                start = at;
            }
            ReadFieldResult::End => return Ok(()),
        }
    }
}

/// A cell's place without what separates it from its neighbours.
fn written_at(text: &str, start: usize, end: usize, separator: u8) -> Span {
    let written = text.get(start..end).unwrap_or_default();
    let begins = written.len() - written.trim_start_matches(['\r', '\n']).len();
    let inner = written.strip_suffix(char::from(separator)).unwrap_or(written).trim_end_matches(['\r', '\n']);
    // An empty cell at the end of a row is where its line ends.
    Span::new(start + begins.min(inner.len()), start + inner.len())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn cells(text: &str) -> Vec<(String, String)> {
        let root = parse(text).unwrap();
        let members = root.items().iter().flat_map(Node::members);
        members
            .filter(|member| member.value.value != Value::Null)
            .map(|m| {
                let value = m.value.text().unwrap_or_default();
                // What is written there is the cell itself, perhaps in quotes.
                let written = text[m.value.span.range()].trim();
                let inner = written.strip_prefix('"').and_then(|rest| rest.strip_suffix('"')).unwrap_or(written);
                let written = inner.replace("\"\"", "\"");
                assert_eq!(written.trim(), value, "{text:?}");
                (m.key.text.clone(), value.to_owned())
            })
            .collect()
    }

    #[test]
    fn cells_are_read_with_their_places() {
        for (text, want) in [
            ("app,scope\ntide,read\n", vec![("app", "tide"), ("scope", "read")]),
            ("app;scope\r\ntide;\"read, write\"", vec![("app", "tide"), ("scope", "read, write")]),
            ("app\tscope\n\n\ntide\t\"say \"\"ho\"\"\"\n", vec![("app", "tide"), ("scope", "say \"ho\"")]),
            ("app,scope\ntide\n,read,more\n", vec![("app", "tide"), ("scope", "read")]),
            ("app,scope\n tide , \n", vec![("app", "tide")]),
            ("app,scope", vec![]),
            ("", vec![]),
        ] {
            let read = cells(text);
            let read: Vec<(&str, &str)> = read.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
            assert_eq!(read, want, "{text:?}");
        }
    }

    proptest! {
        #[test]
        fn any_table_is_read_within_its_text(text in "[a,;\t\"\r\nü ]{0,60}") {
            let root = parse(&text).unwrap();
            for member in root.items().iter().flat_map(Node::members) {
                let span = member.value.span;
                prop_assert!(span.start <= span.end && text.get(span.range()).is_some());
            }
        }
    }
}
