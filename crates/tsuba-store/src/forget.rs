//! Taking things out: a repository or host that is no more, and what is too old.

use crate::db::{Db, Value, values};
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
                // Who adds a report of one of them waits, or is waited for.
                db.run(&format!("UPDATE scope SET name = name WHERE {column} = ?1"), values![name])?;
                let scopes = format!("SELECT id FROM scope WHERE {column} = ?1");
                let count = take_out_reports(db, &format!("scope IN ({scopes})"), name)?;
                take_out_entries(db, &format!("scope IN ({scopes})"), name)?;
                db.run(&format!("DELETE FROM finding WHERE scope IN ({scopes})"), values![name])?;
                db.run(&format!("DELETE FROM decision WHERE scope IN ({scopes})"), values![name])?;
                db.run(&format!("DELETE FROM scope WHERE {column} = ?1"), values![name])?;
                take_out_registers(db, "name = ?1", values![name])?;
                if matches!(what, Forget::Host(_)) {
                    // Those of its folders are called by both.
                    let (from, to) = (format!("{name}:"), format!("{name};"));
                    take_out_registers(db, "name >= ?1 AND name < ?2", values![from, to])?;
                }
                Ok(count)
            }
            Forget::Before(day) => {
                let day = day.to_string();
                db.run("UPDATE scope SET name = name", values![])?;
                // The newest report of a scope stays, however old: it says what is there.
                let count = take_out_reports(
                    db,
                    "as_of < ?1 AND EXISTS (SELECT 1 FROM report later
                     WHERE later.scope = report.scope AND (later.as_of, later.id) > (report.as_of, report.id))",
                    &day,
                )?;
                take_out_entries(db, "gone < ?1", &day)?;
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

/// Takes out reports and what they counted; answers how many those were.
fn take_out_reports(db: &Db, meant: &str, value: &str) -> Result<usize, StoreError> {
    db.run(&format!("DELETE FROM tally WHERE report IN (SELECT id FROM report WHERE {meant})"), values![value])?;
    db.run(&format!("DELETE FROM report WHERE {meant}"), values![value])
}

/// Takes out entries, with what they use, what happened to them and what was found at them.
fn take_out_entries(db: &Db, meant: &str, value: &str) -> Result<(), StoreError> {
    for table in ["used", "event", "finding"] {
        db.run(&format!("DELETE FROM {table} WHERE entry IN (SELECT id FROM entry WHERE {meant})"), values![value])?;
    }
    db.run(&format!("DELETE FROM entry WHERE {meant}"), values![value])?;
    Ok(())
}

/// Takes out registers with what they decide.
fn take_out_registers(db: &Db, meant: &str, values: &[Value<'_>]) -> Result<(), StoreError> {
    db.run(&format!("UPDATE register SET name = name WHERE {meant}"), values)?;
    db.run(&format!("DELETE FROM registered WHERE register IN (SELECT id FROM register WHERE {meant})"), values)?;
    db.run(&format!("DELETE FROM register WHERE {meant}"), values)?;
    Ok(())
}
