//! The database beneath a store: one file of SQLite, or PostgreSQL. Both get the same statements; what differs is here.
//!
//! A statement has its values as `?1`, `?2`, …, texts are compared by their bytes, and flags are numbers.

#[cfg(feature = "postgres")]
pub(crate) mod postgres;
mod sqlite;

use crate::StoreError;
use std::borrow::Cow;
use std::fmt;
use std::path::Path;
use std::sync::LazyLock;
use tsuba_core::judge::pattern_redactor;
use tsuba_core::text::Redactor;

/// A database.
pub(crate) enum Db {
    Sqlite(rusqlite::Connection),
    #[cfg(feature = "postgres")]
    Postgres(Box<postgres::Postgres>),
}

/// What a database says of a mistake.
#[derive(Debug)]
pub enum DbError {
    /// SQLite.
    Sqlite(rusqlite::Error),
    /// PostgreSQL.
    #[cfg(feature = "postgres")]
    Postgres(::postgres::Error),
}

impl fmt::Display for DbError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Sqlite(error) => error.fmt(f),
            #[cfg(feature = "postgres")]
            Self::Postgres(error) => postgres::describe(error, f),
        }
    }
}

impl From<rusqlite::Error> for StoreError {
    fn from(error: rusqlite::Error) -> Self {
        Self::Database(DbError::Sqlite(error))
    }
}

/// A value of a statement.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Value<'v> {
    Null,
    Text(Cow<'v, str>),
    Number(i64),
}

impl<'v> From<&'v str> for Value<'v> {
    fn from(text: &'v str) -> Self {
        Self::Text(Cow::Borrowed(text))
    }
}

impl<'v> From<&'v String> for Value<'v> {
    fn from(text: &'v String) -> Self {
        Self::Text(Cow::Borrowed(text))
    }
}

impl From<String> for Value<'_> {
    fn from(text: String) -> Self {
        Self::Text(Cow::Owned(text))
    }
}

impl From<i64> for Value<'_> {
    fn from(number: i64) -> Self {
        Self::Number(number)
    }
}

impl From<&i64> for Value<'_> {
    fn from(number: &i64) -> Self {
        Self::Number(*number)
    }
}

impl From<bool> for Value<'_> {
    fn from(flag: bool) -> Self {
        Self::Number(i64::from(flag))
    }
}

impl<'v, T: Into<Value<'v>>> From<Option<T>> for Value<'v> {
    fn from(value: Option<T>) -> Self {
        value.map_or(Self::Null, Into::into)
    }
}

/// The values of a statement, each of its own kind.
macro_rules! values {
    ($($value:expr),* $(,)?) => { &[$($crate::db::Value::from($value)),*] };
}
pub(crate) use values;

/// A column that is written, and whether it holds numbers.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Column {
    pub(crate) name: &'static str,
    #[cfg_attr(not(feature = "postgres"), expect(dead_code, reason = "a file keeps what it is given"))]
    pub(crate) number: bool,
}

impl Column {
    pub(crate) const fn text(name: &'static str) -> Self {
        Self { name, number: false }
    }

    pub(crate) const fn number(name: &'static str) -> Self {
        Self { name, number: true }
    }
}

/// The names of columns, as statements have them.
pub(crate) fn names(columns: &[Column]) -> String {
    columns.iter().map(|column| column.name).collect::<Vec<_>>().join(", ")
}

/// A row of an answer.
pub(crate) enum Row<'r> {
    Sqlite(&'r rusqlite::Row<'r>),
    #[cfg(feature = "postgres")]
    Postgres(&'r ::postgres::Row),
}

pub(crate) static CLEANER: LazyLock<Redactor> = LazyLock::new(pattern_redactor);

impl Row<'_> {
    /// A text. What a report says was cleaned before it came in; the database may have been changed since, so it reaches no terminal raw.
    pub(crate) fn text(&self, at: usize) -> Result<String, StoreError> {
        Ok(self.maybe(at)?.unwrap_or_default())
    }

    /// Likewise, where there is one.
    pub(crate) fn maybe(&self, at: usize) -> Result<Option<String>, StoreError> {
        Ok(self.bytes(at)?.map(|text| CLEANER.clean_masked(text).as_str().to_owned()))
    }

    /// To the letter, for what is compared and never shown.
    pub(crate) fn raw(&self, at: usize) -> Result<String, StoreError> {
        Ok(self.raw_if_any(at)?.unwrap_or_default())
    }

    /// Likewise, where there is one.
    pub(crate) fn raw_if_any(&self, at: usize) -> Result<Option<String>, StoreError> {
        Ok(self.bytes(at)?.map(ToOwned::to_owned))
    }

    fn bytes(&self, at: usize) -> Result<Option<&str>, StoreError> {
        match self {
            Self::Sqlite(row) => sqlite::text(row, at),
            #[cfg(feature = "postgres")]
            Self::Postgres(row) => postgres::text(row, at),
        }
    }

    /// A number, or 0 where there is none.
    pub(crate) fn number(&self, at: usize) -> Result<i64, StoreError> {
        Ok(self.number_if_any(at)?.unwrap_or_default())
    }

    /// Likewise, where there is one.
    pub(crate) fn number_if_any(&self, at: usize) -> Result<Option<i64>, StoreError> {
        match self {
            Self::Sqlite(row) => Ok(row.get(at)?),
            #[cfg(feature = "postgres")]
            Self::Postgres(row) => postgres::number(row, at),
        }
    }

    /// A count.
    pub(crate) fn count(&self, at: usize) -> Result<u32, StoreError> {
        Ok(u32::try_from(self.number(at)?).unwrap_or(u32::MAX))
    }

    /// A flag.
    pub(crate) fn flag(&self, at: usize) -> Result<bool, StoreError> {
        Ok(self.number(at)? != 0)
    }
}

impl Db {
    /// A file; `create` makes one where there is none.
    pub(crate) fn file(path: &Path, create: bool) -> Result<Self, StoreError> {
        sqlite::file(path, create).map(Self::Sqlite)
    }

    /// One in memory.
    pub(crate) fn in_memory() -> Result<Self, StoreError> {
        sqlite::in_memory().map(Self::Sqlite)
    }

    /// Hands each row of an answer to `take`, which must not ask in its turn.
    pub(crate) fn each(
        &self,
        sql: &str,
        values: &[Value<'_>],
        take: impl FnMut(&Row<'_>) -> Result<(), StoreError>,
    ) -> Result<(), StoreError> {
        match self {
            Self::Sqlite(db) => sqlite::each(db, sql, values, take),
            #[cfg(feature = "postgres")]
            Self::Postgres(db) => db.each(sql, values, take),
        }
    }

    /// All rows of an answer.
    pub(crate) fn rows<T>(
        &self,
        sql: &str,
        values: &[Value<'_>],
        of: impl Fn(&Row<'_>) -> Result<T, StoreError>,
    ) -> Result<Vec<T>, StoreError> {
        let mut out = Vec::new();
        self.each(sql, values, |row| {
            out.push(of(row)?);
            Ok(())
        })?;
        Ok(out)
    }

    /// The first row of an answer.
    pub(crate) fn one<T>(
        &self,
        sql: &str,
        values: &[Value<'_>],
        of: impl Fn(&Row<'_>) -> Result<T, StoreError>,
    ) -> Result<Option<T>, StoreError> {
        Ok(self.rows(sql, values, of)?.into_iter().next())
    }

    /// Does something, and answers how many rows it concerned.
    pub(crate) fn run(&self, sql: &str, values: &[Value<'_>]) -> Result<usize, StoreError> {
        match self {
            Self::Sqlite(db) => sqlite::run(db, sql, values),
            #[cfg(feature = "postgres")]
            Self::Postgres(db) => db.run(sql, values),
        }
    }

    /// Puts rows into a table, each with a value for each column.
    pub(crate) fn fill(&self, table: &str, columns: &[Column], rows: &[Vec<Value<'_>>]) -> Result<(), StoreError> {
        match self {
            _ if rows.is_empty() => Ok(()),
            Self::Sqlite(db) => sqlite::fill(db, table, columns, rows),
            #[cfg(feature = "postgres")]
            Self::Postgres(db) => db.fill(table, columns, rows),
        }
    }

    /// Writes rows of a table again, each found by its first column.
    pub(crate) fn rewrite(&self, table: &str, columns: &[Column], rows: &[Vec<Value<'_>>]) -> Result<(), StoreError> {
        match self {
            _ if rows.is_empty() => Ok(()),
            Self::Sqlite(db) => sqlite::rewrite(db, table, columns, rows),
            #[cfg(feature = "postgres")]
            Self::Postgres(db) => db.rewrite(table, columns, rows),
        }
    }

    /// Takes the rows out of a table that have one of these numbers in a column.
    pub(crate) fn take_out(&self, table: &str, column: &str, numbers: &[i64]) -> Result<(), StoreError> {
        match self {
            _ if numbers.is_empty() => Ok(()),
            Self::Sqlite(db) => sqlite::take_out(db, table, column, numbers),
            #[cfg(feature = "postgres")]
            Self::Postgres(db) => db.take_out(table, column, numbers),
        }
    }

    /// Writes one text into a column of the rows with these ids.
    pub(crate) fn set(&self, table: &str, column: &str, text: &str, ids: &[i64]) -> Result<(), StoreError> {
        match self {
            _ if ids.is_empty() => Ok(()),
            Self::Sqlite(db) => sqlite::set(db, table, column, text, ids),
            #[cfg(feature = "postgres")]
            Self::Postgres(db) => db.set(table, column, text, ids),
        }
    }

    /// So many ids that no row of a table has. Only within [`Db::whole`].
    pub(crate) fn reserve(&self, table: &str, count: usize) -> Result<Vec<i64>, StoreError> {
        match self {
            _ if count == 0 => Ok(Vec::new()),
            Self::Sqlite(db) => sqlite::reserve(db, table, count),
            #[cfg(feature = "postgres")]
            Self::Postgres(db) => db.reserve(table, count),
        }
    }

    /// Does all of it, or nothing.
    pub(crate) fn whole<T>(&self, work: impl FnOnce(&Self) -> Result<T, StoreError>) -> Result<T, StoreError> {
        self.batch(match self {
            // The right to write at once: who reads first and then wants to write may have to give up.
            Self::Sqlite(_) => "BEGIN IMMEDIATE",
            #[cfg(feature = "postgres")]
            Self::Postgres(_) => "BEGIN",
        })?;
        match work(self).and_then(|done| self.batch("COMMIT").map(|()| done)) {
            Ok(done) => Ok(done),
            Err(why) => {
                // Where even that fails the connection is gone, and with it what was begun.
                _ = self.batch("ROLLBACK");
                Err(why)
            }
        }
    }

    /// Several statements without values.
    pub(crate) fn batch(&self, sql: &str) -> Result<(), StoreError> {
        match self {
            Self::Sqlite(db) => Ok(db.execute_batch(sql)?),
            #[cfg(feature = "postgres")]
            Self::Postgres(db) => db.batch(sql),
        }
    }

    /// Gives back the room of what was deleted, so that it can be read out of the file no more.
    pub(crate) fn wipe(&self) -> Result<(), StoreError> {
        match self {
            Self::Sqlite(_) => self.batch("PRAGMA wal_checkpoint(TRUNCATE); VACUUM;"),
            // The server does that by itself; until then only its administrators can read it.
            #[cfg(feature = "postgres")]
            Self::Postgres(_) => Ok(()),
        }
    }
}

impl fmt::Debug for Db {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Sqlite(_) => "SQLite",
            #[cfg(feature = "postgres")]
            Self::Postgres(_) => "PostgreSQL",
        })
    }
}
