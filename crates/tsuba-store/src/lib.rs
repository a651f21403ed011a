//! store: many reports in one database, so that a whole company can be asked: who runs what, since when, is it getting better.
//!
//! A report is of a *scope*: a repository, or what was looked at on a host. Reports of one scope at several dates are compared: what an earlier
//! one has and a later one has not is gone or closed, and it is reopened when it comes back. A report of another scope says nothing of it.
//! Only what reports hold is kept, so no secret can be in the store.

mod add;
mod decided;
mod forget;
mod life;
mod list;
mod schema;
mod trend;
mod uses;
mod wheres;

pub use add::Added;
pub use decided::{DecisionLine, Elsewhere};
pub use forget::Forget;
pub use life::{Event, Life};
pub use list::{EntryLine, Filter, FindingLine, Overdue, days_between};
pub use trend::{Trend, Week};
pub use wheres::{Use, Wanted};

use rusqlite::{Connection, ErrorCode, Row};
use std::fmt;
use std::path::Path;
use std::sync::LazyLock;
use std::time::{Duration, Instant};
use tsuba_core::judge::pattern_redactor;
use tsuba_core::text::Redactor;

/// The database of a company.
#[derive(Debug)]
pub struct Store(Connection);

/// So long one writer waits for another.
const MAX_WAIT: Duration = Duration::from_secs(120);
/// How long it is left alone before it is asked again.
const PAUSE: Duration = Duration::from_millis(5);

/// What can go wrong.
#[derive(Debug)]
pub enum StoreError {
    /// The database said so.
    Database(rusqlite::Error),
    /// It was written by a newer program: its version, and the newest that is known here.
    Newer(u32, u32),
    /// It is a database of something else.
    Foreign,
    /// A report in which findings were left out would close them all.
    Filtered,
    /// An inventory judges nothing.
    Unjudged,
    /// A report that cannot be written down again.
    Unwritable,
    /// A store cannot be made at this place.
    Place(std::io::Error),
    /// A report's day is none.
    Date(String),
}

impl fmt::Display for StoreError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Database(error) => write!(f, "the store: {error}"),
            Self::Newer(found, known) => {
                write!(f, "the store was written by a newer version of tsuba (schema {found}; this one knows {known})")
            }
            Self::Foreign => f.write_str("a database of another program; name a new file with --store"),
            Self::Filtered => {
                f.write_str("findings were filtered out of this report; add one of an audit without --only, --rule, --severity, --team or --since")
            }
            Self::Unwritable => f.write_str("the report cannot be written as JSON again"),
            Self::Place(error) => write!(f, "cannot make a store here: {error}"),
            Self::Unjudged => f.write_str("an inventory, which judges nothing; add the report of an audit"),
            Self::Date(day) => write!(f, "{day:?} is not a date (YYYY-MM-DD)"),
        }
    }
}

impl std::error::Error for StoreError {}

impl From<rusqlite::Error> for StoreError {
    fn from(error: rusqlite::Error) -> Self {
        Self::Database(error)
    }
}

impl Store {
    /// Opens a store to write into it; it is made where there is none.
    ///
    /// # Errors
    /// Where it cannot be opened, is of a newer version, or is a database of something else.
    pub fn create(path: &Path) -> Result<Self, StoreError> {
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
        Self::ready(Connection::open(path)?)
    }

    /// Opens a store that is there.
    ///
    /// # Errors
    /// Likewise, and where there is none.
    pub fn open(path: &Path) -> Result<Self, StoreError> {
        use rusqlite::OpenFlags;
        Self::ready(Connection::open_with_flags(
            path,
            OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX,
        )?)
    }

    /// One in memory.
    ///
    /// # Errors
    /// Where there is no room for it.
    pub fn in_memory() -> Result<Self, StoreError> {
        Self::ready(Connection::open_in_memory()?)
    }

    fn ready(mut db: Connection) -> Result<Self, StoreError> {
        db.busy_timeout(MAX_WAIT)?;
        db.set_prepared_statement_cache_capacity(64);
        // While a new file gets its journal, SQLite answers some of those who come at the same moment at once, whatever the timeout is.
        let end = Instant::now() + MAX_WAIT;
        loop {
            match schema::bring_up(&mut db) {
                Err(StoreError::Database(error)) if is_busy(&error) && Instant::now() < end => {
                    std::thread::sleep(PAUSE)
                }
                done => break done.map(|()| Self(db)),
            }
        }
    }
}

/// Whether another program has the database just now.
fn is_busy(error: &rusqlite::Error) -> bool {
    matches!(error.sqlite_error_code(), Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked))
}

static CLEANER: LazyLock<Redactor> = LazyLock::new(pattern_redactor);

/// A text of a row. What a report says was cleaned before it came in; a file may have been changed since, so it reaches no terminal raw.
fn text(row: &Row<'_>, at: usize) -> rusqlite::Result<String> {
    Ok(CLEANER.clean_masked(row.get_ref(at)?.as_str()?).to_string())
}

/// Likewise, where there is one.
fn maybe(row: &Row<'_>, at: usize) -> rusqlite::Result<Option<String>> {
    Ok(row.get_ref(at)?.as_str_or_null()?.map(|text| CLEANER.clean_masked(text).to_string()))
}
