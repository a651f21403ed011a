//! A store in a database of PostgreSQL, for a company that runs one.

mod address;
mod password;
mod service;
mod tls;

pub use address::Address;

use super::{CLEANER, Column, DbError, Row, Value, names};
use crate::{StoreError, schema};
use ::postgres::fallible_iterator::FallibleIterator as _;
use ::postgres::types::private::BytesMut;
use ::postgres::types::{IsNull, ToSql, Type, to_sql_checked};
use ::postgres::{Client, Error, Statement};
use std::cell::RefCell;
use std::collections::HashMap;
use std::fmt::{self, Write as _};
use std::io::Write as _;
use std::time::Duration;

/// So long one writer waits for another.
const MAX_WAIT: Duration = Duration::from_secs(120);
/// So long the server may work on one statement.
const MAX_STATEMENT: Duration = Duration::from_secs(600);

/// A connection, with the statements that it has ready.
pub(crate) struct Postgres(RefCell<Connected>);

struct Connected {
    client: Client,
    ready: HashMap<String, Statement>,
}

impl From<Error> for StoreError {
    fn from(error: Error) -> Self {
        Self::Database(DbError::Postgres(error))
    }
}

/// What the server says, and not how the library calls it.
pub(super) fn describe(error: &Error, f: &mut fmt::Formatter<'_>) -> fmt::Result {
    let text = match error.as_db_error() {
        Some(own) => own.message().to_owned(),
        None => {
            let mut text = error.to_string();
            let mut cause = std::error::Error::source(error);
            while let Some(inner) = cause {
                let more = inner.to_string();
                if !text.contains(&more) {
                    _ = write!(text, ": {more}");
                }
                cause = inner.source();
            }
            text
        }
    };
    // It is a server's word, and reaches a terminal.
    write!(f, "{}", CLEANER.clean(&text))
}

impl Postgres {
    /// Connects, and makes the tables, or brings them up to today's.
    pub(crate) fn connect(address: &Address) -> Result<super::Db, StoreError> {
        let mut client = address.connect()?;
        client.batch_execute(&format!(
            "SET lock_timeout = {}; SET statement_timeout = {}; SET client_min_messages = error",
            MAX_WAIT.as_millis(),
            MAX_STATEMENT.as_millis()
        ))?;
        let db = super::Db::Postgres(Box::new(Self(RefCell::new(Connected { client, ready: HashMap::new() }))));
        schema::bring_up_server(&db)?;
        Ok(db)
    }

    pub(super) fn each(
        &self,
        sql: &str,
        values: &[Value<'_>],
        mut take: impl FnMut(&Row<'_>) -> Result<(), StoreError>,
    ) -> Result<(), StoreError> {
        let mut connected = self.0.borrow_mut();
        let statement = connected.statement(sql)?;
        let mut rows = connected.client.query_raw(&statement, values.iter().map(|value| value as &dyn ToSql))?;
        while let Some(row) = rows.next()? {
            take(&Row::Postgres(&row))?;
        }
        Ok(())
    }

    pub(super) fn run(&self, sql: &str, values: &[Value<'_>]) -> Result<usize, StoreError> {
        let mut connected = self.0.borrow_mut();
        let statement = connected.statement(sql)?;
        let values: Vec<&(dyn ToSql + Sync)> = values.iter().map(|value| value as _).collect();
        let count = connected.client.execute(&statement, &values)?;
        Ok(usize::try_from(count).unwrap_or(usize::MAX))
    }

    /// By `COPY`: one statement, however many rows there are.
    pub(super) fn fill(&self, table: &str, columns: &[Column], rows: &[Vec<Value<'_>>]) -> Result<(), StoreError> {
        let mut connected = self.0.borrow_mut();
        let sql = format!("COPY {table} ({}) FROM STDIN", names(columns));
        let mut copy = connected.client.copy_in(&sql)?;
        for row in rows {
            let line: Vec<String> = row.iter().map(copied).collect();
            copy.write_all((line.join("\t") + "\n").as_bytes()).map_err(StoreError::Output)?;
        }
        copy.finish()?;
        Ok(())
    }

    /// One statement likewise, with a list of values for each column.
    pub(super) fn rewrite(&self, table: &str, columns: &[Column], rows: &[Vec<Value<'_>>]) -> Result<(), StoreError> {
        let key = columns.first().map_or("id", |column| column.name);
        let lists = columns
            .iter()
            .enumerate()
            .map(|(at, column)| format!("CAST(?{} AS {}[])", at + 1, if column.number { "BIGINT" } else { "TEXT" }));
        let set = columns.iter().skip(1).map(|column| format!("{0} = new.{0}", column.name));
        let sql = format!(
            "UPDATE {table} SET {} FROM unnest({}) AS new ({}) WHERE {table}.{key} = new.{key}",
            set.collect::<Vec<_>>().join(", "),
            lists.collect::<Vec<_>>().join(", "),
            names(columns),
        );
        let values = columns.iter().enumerate().map(|(at, column)| -> Box<dyn ToSql + Sync> {
            if column.number {
                Box::new(rows.iter().map(|row| cell(row, at).number()).collect::<Vec<Option<i64>>>())
            } else {
                Box::new(rows.iter().map(|row| cell(row, at).text()).collect::<Vec<Option<String>>>())
            }
        });
        let values: Vec<Box<dyn ToSql + Sync>> = values.collect();
        let mut connected = self.0.borrow_mut();
        let statement = connected.statement(&sql)?;
        let values: Vec<&(dyn ToSql + Sync)> = values.iter().map(AsRef::as_ref).collect();
        connected.client.execute(&statement, &values)?;
        Ok(())
    }

    pub(super) fn take_out(&self, table: &str, column: &str, numbers: &[i64]) -> Result<(), StoreError> {
        let mut connected = self.0.borrow_mut();
        let statement =
            connected.statement(&format!("DELETE FROM {table} WHERE {column} = ANY (CAST(?1 AS BIGINT[]))"))?;
        connected.client.execute(&statement, &[&numbers])?;
        Ok(())
    }

    pub(super) fn set(&self, table: &str, column: &str, text: &str, ids: &[i64]) -> Result<(), StoreError> {
        let mut connected = self.0.borrow_mut();
        let sql = format!("UPDATE {table} SET {column} = ?2 WHERE id = ANY (CAST(?1 AS BIGINT[]))");
        let statement = connected.statement(&sql)?;
        connected.client.execute(&statement, &[&ids, &Value::from(text)])?;
        Ok(())
    }

    pub(super) fn reserve(&self, table: &str, count: usize) -> Result<Vec<i64>, StoreError> {
        let sql = format!(
            "SELECT nextval(pg_get_serial_sequence('{table}', 'id')) FROM generate_series(1, CAST(?1 AS BIGINT))"
        );
        let count = i64::try_from(count).unwrap_or(i64::MAX);
        let mut ids = Vec::new();
        self.each(&sql, &[Value::Number(count)], |row| {
            ids.push(row.number(0)?);
            Ok(())
        })?;
        Ok(ids)
    }

    pub(super) fn batch(&self, sql: &str) -> Result<(), StoreError> {
        Ok(self.0.borrow_mut().client.batch_execute(sql)?)
    }
}

fn cell<'v>(row: &[Value<'v>], at: usize) -> Value<'v> {
    row.get(at).cloned().unwrap_or(Value::Null).shown()
}

impl Connected {
    /// A statement of ours, with the marks that this server knows.
    fn statement(&mut self, sql: &str) -> Result<Statement, StoreError> {
        if let Some(ready) = self.ready.get(sql) {
            return Ok(ready.clone());
        }
        let statement = self.client.prepare(&sql.replace('?', "$"))?;
        self.ready.insert(sql.to_owned(), statement.clone());
        Ok(statement)
    }
}

impl Value<'_> {
    /// Without the one character that this server keeps in no text.
    fn shown(self) -> Self {
        match self {
            Self::Text(text) if text.contains('\0') => Self::Text(text.replace('\0', "\u{fffd}").into()),
            other => other,
        }
    }

    fn number(self) -> Option<i64> {
        if let Self::Number(number) = self { Some(number) } else { None }
    }

    fn text(self) -> Option<String> {
        if let Self::Text(text) = self { Some(text.into_owned()) } else { None }
    }
}

impl ToSql for Value<'_> {
    fn to_sql(&self, wanted: &Type, out: &mut BytesMut) -> Result<IsNull, Box<dyn std::error::Error + Sync + Send>> {
        match self.clone().shown() {
            Self::Null => Ok(IsNull::Yes),
            Self::Text(text) => text.as_ref().to_sql(wanted, out),
            // Which kind of number a place takes is the server's choice.
            Self::Number(number) if *wanted == Type::INT4 => i32::try_from(number)?.to_sql(wanted, out),
            Self::Number(number) if *wanted == Type::BOOL => (number != 0).to_sql(wanted, out),
            Self::Number(number) => number.to_sql(wanted, out),
        }
    }

    fn accepts(_: &Type) -> bool {
        true
    }

    to_sql_checked!();
}

/// A value in the text format of `COPY` (PostgreSQL documentation, COPY, "Text Format").
fn copied(value: &Value<'_>) -> String {
    match value.clone().shown() {
        Value::Null => "\\N".to_owned(),
        Value::Number(number) => number.to_string(),
        Value::Text(text) => {
            let mut out = String::with_capacity(text.len());
            for c in text.chars() {
                match c {
                    '\\' => out.push_str("\\\\"),
                    '\t' => out.push_str("\\t"),
                    '\n' => out.push_str("\\n"),
                    '\r' => out.push_str("\\r"),
                    c => out.push(c),
                }
            }
            out
        }
    }
}

pub(super) fn text(row: &::postgres::Row, at: usize) -> Result<Option<&str>, StoreError> {
    Ok(row.try_get(at)?)
}

pub(super) fn number(row: &::postgres::Row, at: usize) -> Result<Option<i64>, StoreError> {
    let kind = row.columns().get(at).map(|column| column.type_().clone());
    Ok(match kind {
        Some(Type::INT4) => row.try_get::<_, Option<i32>>(at)?.map(i64::from),
        Some(Type::BOOL) => row.try_get::<_, Option<bool>>(at)?.map(i64::from),
        _ => row.try_get(at)?,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn copied_values_stand_in_one_line_and_one_column() {
        for (value, want) in [
            (Value::Null, "\\N"),
            (Value::Number(-7), "-7"),
            (Value::from("tide-table"), "tide-table"),
            (Value::from("\\N"), "\\\\N"),
            (Value::from("a\tb\nc\rd"), "a\\tb\\nc\\rd"),
            (Value::from("\\."), "\\\\."),
            (Value::from("a\0b"), "a\u{fffd}b"),
            (Value::from(""), ""),
        ] {
            assert_eq!(copied(&value), want, "{value:?}");
        }
    }
}
