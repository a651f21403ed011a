//! The findings of a company as Apache Parquet: a file for each day on which some were first seen, so that a lake engine reads only the days
//! that it is asked for.

use anyhow::{Context as _, bail};
use jiff::civil::{Date, date};
use parquet::basic::Compression;
use parquet::data_type::{ByteArray, ByteArrayType, Int32Type};
use parquet::errors::ParquetError;
use parquet::file::properties::WriterProperties;
use parquet::file::writer::{SerializedFileWriter, SerializedRowGroupWriter};
use parquet::schema::parser::parse_message_type;
use std::fs::{self, File};
use std::path::Path;
use std::sync::Arc;
use tsuba_store::{FindingLine, Store};

/// So many findings are one group of rows: what is held in memory.
const GROUP: usize = 50_000;

/// A column: its name, and what it holds.
enum Column {
    Text(&'static str, fn(&FindingLine) -> &str),
    Number(&'static str, fn(&FindingLine) -> u32),
    /// `YYYY-MM-DD`, where there is one.
    Day(&'static str, fn(&FindingLine) -> Option<&str>),
}

/// `first_seen` is the name of the folder.
const COLUMNS: [Column; 18] = [
    Column::Text("fingerprint", |line| &line.fingerprint),
    Column::Text("rule", |line| &line.rule),
    Column::Text("severity", |line| line.severity),
    Column::Text("confidence", |line| &line.confidence),
    Column::Text("entry", |line| &line.entry),
    Column::Text("name", |line| &line.name),
    Column::Text("scope", |line| &line.scope),
    Column::Text("setup", |line| &line.setup),
    Column::Number("line", |line| line.line),
    Column::Text("team", |line| &line.team),
    Column::Text("owner", |line| &line.owner),
    Column::Text("message", |line| &line.message),
    Column::Text("fix", |line| &line.fix),
    Column::Day("last_seen", |line| Some(&line.last_seen)),
    Column::Day("closed", |line| line.closed.as_deref()),
    Column::Text("closed_by", |line| &line.closed_by),
    Column::Number("reopened", |line| line.reopened),
    Column::Text("waived", |line| &line.waived),
];

pub(super) fn write(store: &Store, wanted: (bool, &[String]), folder: Option<&Path>) -> anyhow::Result<()> {
    let Some(folder) = folder else { bail!("--format parquet writes several files: name a new folder with --output") };
    fs::create_dir_all(folder).with_context(|| format!("cannot make {}", folder.display()))?;
    let mut there = fs::read_dir(folder).with_context(|| format!("cannot look into {}", folder.display()))?;
    if there.next().is_some() {
        // What is left of an earlier export would be read as part of this one.
        bail!("{} is not empty; name a new folder with --output", folder.display());
    }
    for day in store.days()? {
        // It becomes the name of a folder.
        let day: Date = day.parse().with_context(|| "the store has a finding without a date".to_owned())?;
        day_of(store, wanted, &day.to_string(), folder)?;
    }
    Ok(())
}

fn day_of(store: &Store, wanted: (bool, &[String]), day: &str, folder: &Path) -> anyhow::Result<()> {
    let mut part: Option<Part> = None;
    let mut rows: Vec<FindingLine> = Vec::new();
    let path = folder.join(format!("first_seen={day}"));
    let mut put = |rows: &mut Vec<FindingLine>| -> anyhow::Result<()> {
        let part = match &mut part {
            Some(part) => part,
            none => {
                fs::create_dir(&path).with_context(|| format!("cannot make {}", path.display()))?;
                none.insert(Part::new(&path.join("findings.parquet"))?)
            }
        };
        part.group(rows)?;
        rows.clear();
        Ok(())
    };
    store.each_finding(wanted, Some(day), |line| {
        rows.push(line);
        if rows.len() >= GROUP { put(&mut rows).map_err(std::io::Error::other) } else { Ok(()) }
    })?;
    if !rows.is_empty() {
        put(&mut rows)?;
    }
    part.map_or(Ok(()), Part::close)
}

/// One file.
struct Part(SerializedFileWriter<File>);

impl Part {
    fn new(path: &Path) -> anyhow::Result<Self> {
        let file = File::options().write(true).create_new(true).open(path);
        let file = file.with_context(|| format!("cannot write {}", path.display()))?;
        let column = |column: &Column| match column {
            Column::Text(name, _) => format!("REQUIRED BINARY {name} (STRING);"),
            Column::Number(name, _) => format!("REQUIRED INT32 {name};"),
            Column::Day(name, _) => format!("OPTIONAL INT32 {name} (DATE);"),
        };
        let columns: Vec<String> = COLUMNS.iter().map(column).collect();
        let schema = parse_message_type(&format!("message finding {{ {} }}", columns.join(" ")))?;
        let properties = WriterProperties::builder().set_compression(Compression::SNAPPY).build();
        Ok(Self(SerializedFileWriter::new(file, Arc::new(schema), Arc::new(properties))?))
    }

    fn group(&mut self, rows: &[FindingLine]) -> anyhow::Result<()> {
        let mut group = self.0.next_row_group()?;
        COLUMNS.iter().try_for_each(|column| column.write(rows, &mut group))?;
        group.close()?;
        Ok(())
    }

    fn close(self) -> anyhow::Result<()> {
        self.0.close()?;
        Ok(())
    }
}

impl Column {
    fn write(&self, rows: &[FindingLine], group: &mut SerializedRowGroupWriter<'_, File>) -> Result<(), ParquetError> {
        let missing = || ParquetError::General("there is no such column".to_owned());
        let mut writer = group.next_column()?.ok_or_else(missing)?;
        match self {
            Self::Text(_, of) => {
                let all: Vec<ByteArray> = rows.iter().map(|row| ByteArray::from(of(row))).collect();
                writer.typed::<ByteArrayType>().write_batch(&all, None, None)?;
            }
            Self::Number(_, of) => {
                let all: Vec<i32> = rows.iter().map(|row| i32::try_from(of(row)).unwrap_or(i32::MAX)).collect();
                writer.typed::<Int32Type>().write_batch(&all, None, None)?;
            }
            Self::Day(_, of) => {
                let days: Vec<Option<i32>> = rows.iter().map(|row| of(row).and_then(since_1970)).collect();
                let levels: Vec<i16> = days.iter().map(|day| i16::from(day.is_some())).collect();
                let all: Vec<i32> = days.into_iter().flatten().collect();
                writer.typed::<Int32Type>().write_batch(&all, Some(&levels), None)?;
            }
        }
        writer.close()
    }
}

/// The days since the first of 1970, as the format counts them.
fn since_1970(day: &str) -> Option<i32> {
    let day: Date = day.parse().ok()?;
    Some(tsuba_store::days_between(date(1970, 1, 1), day))
}
