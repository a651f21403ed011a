//! Taking things out: a repository or host that is no more, and what is too old.

use crate::db::values;
use crate::{Store, StoreError};
use jiff::civil::Date;

/// What is to be forgotten.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Forget {
    /// All reports of a repository.
    Repository(String),
    /// All reports of a host.
    Host(String),
    /// Reports before a day, and entries and findings that were gone by then.
    Before(Date),
}

impl Store {
    /// Forgets, and answers how many reports that were.
    ///
    /// # Errors
    /// Where the database cannot be written.
    pub fn forget(&mut self, what: &Forget) -> Result<usize, StoreError> {
        let count = self.0.whole(|db| match what {
            Forget::Repository(name) | Forget::Host(name) => {
                let column = if matches!(what, Forget::Host(_)) { "host" } else { "repository" };
                let reports =
                    format!("SELECT count(*) FROM report r JOIN scope s ON s.id = r.scope WHERE s.{column} = ?1");
                let count = db.one(&reports, values![name], |row| row.count(0))?;
                db.run(&format!("DELETE FROM scope WHERE {column} = ?1"), values![name])?;
                db.run("DELETE FROM register WHERE name = ?1", values![name])?;
                if matches!(what, Forget::Host(_)) {
                    // Those of its folders are called by both.
                    let (from, to) = (format!("{name}:"), format!("{name};"));
                    db.run("DELETE FROM register WHERE name >= ?1 AND name < ?2", values![from, to])?;
                }
                Ok(usize::try_from(count.unwrap_or_default()).unwrap_or(usize::MAX))
            }
            Forget::Before(day) => {
                let day = day.to_string();
                // The newest report of a scope stays, however old: it says what is there.
                let count = db.run(
                    "DELETE FROM report WHERE as_of < ?1 AND EXISTS
                     (SELECT 1 FROM report later WHERE later.scope = report.scope AND (later.as_of, later.id) > (report.as_of, report.id))",
                    values![&day],
                )?;
                db.run("DELETE FROM entry WHERE gone < ?1", values![&day])?;
                db.run("DELETE FROM finding WHERE closed < ?1", values![&day])?;
                db.run("DELETE FROM event WHERE day < ?1 AND what <> 'first seen'", values![&day])?;
                Ok(count)
            }
        })?;
        // What is forgotten is not to be read out of the file either.
        self.0.wipe()?;
        Ok(count)
    }
}
