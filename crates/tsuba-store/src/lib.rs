//! store: many reports in one database, so that a whole company can be asked: who runs what, since when, is it getting better.
//!
//! A report is of a *scope*: a repository, or what was looked at on a host. Reports of one scope at several dates are compared: what an earlier
//! one has and a later one has not is gone or closed, and it is reopened when it comes back. A report of another scope says nothing of it.
//! Only what reports hold is kept, so no secret can be in the store.

mod add;
mod db;
mod decided;
mod forget;
mod life;
mod list;
mod registers;
mod schema;
mod trend;
mod uses;
mod wheres;

pub use add::Added;
pub use db::DbError;
#[cfg(feature = "postgres")]
pub use db::postgres::Address;
pub use decided::{DecisionLine, Elsewhere};
pub use forget::Forget;
pub use life::{Event, Life};
pub use list::{Counts, EntryLine, Filter, FindingLine, Overdue, days_between};
pub use trend::{Trend, Week};
pub use uses::Used;
pub use wheres::{MAX_USES, Use, Wanted};

use db::Db;
use std::fmt;
use std::path::{Path, PathBuf};

/// The database of a company.
#[derive(Debug)]
pub struct Store(Db);

/// What can go wrong.
#[derive(Debug)]
pub enum StoreError {
    /// The database said so.
    Database(DbError),
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
    /// What was read cannot be handed on.
    Output(std::io::Error),
    /// A report's day is none.
    Date(String),
    /// The address of a database says something else than one does: what. It is not quoted, for it may hold a password.
    Address(String),
    /// The address of a database holds a password.
    PasswordShown,
    /// A file of logins or certificates cannot be used: why.
    File(PathBuf, String),
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
            Self::Output(error) => error.fmt(f),
            Self::Unjudged => f.write_str("an inventory, which judges nothing; add the report of an audit"),
            Self::Date(day) => write!(f, "{day:?} is not a date (YYYY-MM-DD)"),
            Self::Address(why) => write!(f, "the address of the store: {why}"),
            Self::PasswordShown => f.write_str(
                "the address of the store holds a password, which others can read in the list of processes; set PGPASSWORD, or use a password file (PGPASSFILE) or a service file (PGSERVICEFILE), and change the password",
            ),
            Self::File(path, why) => write!(f, "{}: {why}", path.display()),
        }
    }
}

impl std::error::Error for StoreError {}

impl From<std::io::Error> for StoreError {
    fn from(error: std::io::Error) -> Self {
        Self::Output(error)
    }
}

impl Store {
    /// Opens a store in a file to write into it; it is made where there is none.
    ///
    /// # Errors
    /// Where it cannot be opened, is of a newer version, or is a database of something else.
    pub fn create(path: &Path) -> Result<Self, StoreError> {
        Db::file(path, true).map(Self)
    }

    /// Opens a store in a file that is there.
    ///
    /// # Errors
    /// Likewise, and where there is none.
    pub fn open(path: &Path) -> Result<Self, StoreError> {
        Db::file(path, false).map(Self)
    }

    /// Opens a store in a database of PostgreSQL; its tables are made where there are none.
    ///
    /// # Errors
    /// Where it cannot be reached, is of a newer version, or has tables of something else.
    #[cfg(feature = "postgres")]
    pub fn connect(address: &Address) -> Result<Self, StoreError> {
        db::postgres::Postgres::connect(address).map(Self)
    }

    /// One in memory.
    ///
    /// # Errors
    /// Where there is no room for it.
    pub fn in_memory() -> Result<Self, StoreError> {
        Db::in_memory().map(Self)
    }
}
