//! A store in one file of SQLite.

use super::{Column, Row, Value, names};
use crate::{StoreError, schema};
use rusqlite::types::{ToSqlOutput, ValueRef};
use rusqlite::{Connection, ErrorCode, OpenFlags, ToSql, params_from_iter};
use std::path::Path;
use std::time::{Duration, Instant};

/// So long one writer waits for another.
const MAX_WAIT: Duration = Duration::from_secs(120);
/// How long it is left alone before it is asked again.
const PAUSE: Duration = Duration::from_millis(5);
/// So many statements are kept ready.
const READY: usize = 64;

pub(super) fn file(path: &Path, create: bool) -> Result<Connection, StoreError> {
    if !create {
        let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        return ready(Connection::open_with_flags(path, flags)?);
    }
    // It tells where a whole company is weak: a new one is its owner's alone, until they say otherwise.
    let mut options = std::fs::File::options();
    options.write(true).create_new(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt as _;
        options.mode(0o600);
    }
    match options.open(path) {
        Ok(_) => {}
        Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => {}
        Err(error) => return Err(StoreError::Place(error)),
    }
    ready(Connection::open(path)?)
}

pub(super) fn in_memory() -> Result<Connection, StoreError> {
    ready(Connection::open_in_memory()?)
}

fn ready(mut db: Connection) -> Result<Connection, StoreError> {
    db.busy_timeout(MAX_WAIT)?;
    db.set_prepared_statement_cache_capacity(READY);
    // While a new file gets its journal, SQLite answers some of those who come at the same moment at once, whatever the timeout is.
    let end = Instant::now() + MAX_WAIT;
    loop {
        match schema::bring_up(&mut db) {
            Err(error) if is_busy(&error) && Instant::now() < end => std::thread::sleep(PAUSE),
            done => break done.map(|()| db),
        }
    }
}

/// Whether another program has the database just now.
fn is_busy(error: &StoreError) -> bool {
    let StoreError::Database(super::DbError::Sqlite(error)) = error else { return false };
    matches!(error.sqlite_error_code(), Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked))
}

impl ToSql for Value<'_> {
    fn to_sql(&self) -> rusqlite::Result<ToSqlOutput<'_>> {
        Ok(ToSqlOutput::Borrowed(match self {
            Self::Null => ValueRef::Null,
            Self::Text(text) => ValueRef::Text(text.as_bytes()),
            Self::Number(number) => ValueRef::Integer(*number),
        }))
    }
}

pub(super) fn each(
    db: &Connection,
    sql: &str,
    values: &[Value<'_>],
    mut take: impl FnMut(&Row<'_>) -> Result<(), StoreError>,
) -> Result<(), StoreError> {
    let mut select = db.prepare_cached(sql)?;
    let mut rows = select.query(params_from_iter(values))?;
    while let Some(row) = rows.next()? {
        take(&Row::Sqlite(row))?;
    }
    Ok(())
}

pub(super) fn run(db: &Connection, sql: &str, values: &[Value<'_>]) -> Result<usize, StoreError> {
    Ok(db.prepare_cached(sql)?.execute(params_from_iter(values))?)
}

pub(super) fn fill(
    db: &Connection,
    table: &str,
    columns: &[Column],
    rows: &[Vec<Value<'_>>],
) -> Result<(), StoreError> {
    let marks: Vec<String> = (1..=columns.len()).map(|at| format!("?{at}")).collect();
    each_row(db, &format!("INSERT INTO {table} ({}) VALUES ({})", names(columns), marks.join(", ")), rows)
}

pub(super) fn rewrite(
    db: &Connection,
    table: &str,
    columns: &[Column],
    rows: &[Vec<Value<'_>>],
) -> Result<(), StoreError> {
    let set = columns.iter().enumerate().skip(1).map(|(at, column)| format!("{} = ?{}", column.name, at + 1));
    let key = columns.first().map_or("id", |column| column.name);
    each_row(db, &format!("UPDATE {table} SET {} WHERE {key} = ?1", set.collect::<Vec<_>>().join(", ")), rows)
}

fn each_row(db: &Connection, sql: &str, rows: &[Vec<Value<'_>>]) -> Result<(), StoreError> {
    let mut statement = db.prepare_cached(sql)?;
    for row in rows {
        statement.execute(params_from_iter(row))?;
    }
    Ok(())
}

pub(super) fn take_out(db: &Connection, table: &str, column: &str, numbers: &[i64]) -> Result<(), StoreError> {
    let mut statement = db.prepare_cached(&format!("DELETE FROM {table} WHERE {column} = ?1"))?;
    for number in numbers {
        statement.execute([number])?;
    }
    Ok(())
}

pub(super) fn set(db: &Connection, table: &str, column: &str, text: &str, ids: &[i64]) -> Result<(), StoreError> {
    let mut statement = db.prepare_cached(&format!("UPDATE {table} SET {column} = ?2 WHERE id = ?1"))?;
    for id in ids {
        statement.execute(rusqlite::params![id, text])?;
    }
    Ok(())
}

pub(super) fn reserve(db: &Connection, table: &str, count: usize) -> Result<Vec<i64>, StoreError> {
    let last: i64 = db.query_row(&format!("SELECT coalesce(max(id), 0) FROM {table}"), [], |row| row.get(0))?;
    // Nobody else writes meanwhile.
    Ok((1..).take(count).map(|at: i64| last.saturating_add(at)).collect())
}

pub(super) fn text<'r>(row: &'r rusqlite::Row<'_>, at: usize) -> Result<Option<&'r str>, StoreError> {
    Ok(row.get_ref(at)?.as_str_or_null().map_err(rusqlite::Error::from)?)
}
