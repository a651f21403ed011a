//! The life of an entry: when it was first seen, what changed, what was found and fixed.

use crate::db::values;
use crate::list::named;
use crate::{Store, StoreError};
use serde::Serialize;

/// Something that happened.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct Event {
    /// On which day, as reports tell it.
    pub day: String,
    /// `first seen`, `changed`, `verdict`, `decision`, `gone`, `back`, `opened`, `closed`, `reopened`.
    pub what: String,
    /// What exactly.
    pub detail: String,
}

/// An entry and what happened to it.
#[derive(Clone, Debug, Serialize)]
pub struct Life {
    /// Its id, as reports have it.
    pub id: String,
    /// Its name.
    pub name: String,
    /// What it runs or calls.
    pub runs: String,
    /// The repository, or host and folder.
    pub scope: String,
    /// File and line.
    pub place: String,
    /// Who answers for it.
    pub team: String,
    /// The verdict of the newest report.
    pub verdict: String,
    /// Since when it is not there any more.
    pub gone: Option<String>,
    /// What happened, in order.
    pub events: Vec<Event>,
}

/// The beginning of an id has at least so many characters.
const SHORTEST: usize = 6;

impl Store {
    /// The lives of the entries with this id, or the beginning of one, or this name.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn lives(&self, id: &str) -> Result<Vec<Life>, StoreError> {
        // Up to the last text that begins so.
        let (from, to) = if id.len() >= SHORTEST { (id, format!("{id}\u{10ffff}")) } else { ("", String::new()) };
        let select = "SELECT e.id, e.key, e.name, e.runs, s.name, e.place, e.team, e.verdict, e.gone FROM entry e JOIN scope s ON s.id = e.scope
             WHERE (e.key >= ?1 AND e.key < ?2) OR e.name = ?3 ORDER BY s.name, e.place LIMIT 100";
        let rows = self.0.rows(select, values![from, &to, id], |row| {
            let life = Life {
                id: row.text(1)?,
                name: row.text(2)?,
                runs: row.text(3)?,
                scope: row.text(4)?,
                place: row.text(5)?,
                team: row.text(6)?,
                verdict: row.text(7)?,
                gone: row.maybe(8)?,
                events: Vec::new(),
            };
            Ok((row.number(0)?, life))
        })?;
        let mut lives = Vec::new();
        for (entry, mut life) in rows {
            life.events = self.events(entry)?;
            lives.push(life);
        }
        Ok(lives)
    }

    fn events(&self, entry: i64) -> Result<Vec<Event>, StoreError> {
        let mut events = self.0.rows(
            "SELECT day, what, detail FROM event WHERE entry = ?1 ORDER BY day, id",
            values![entry],
            |row| Ok(Event { day: row.text(0)?, what: row.text(1)?, detail: row.text(2)? }),
        )?;
        let select = "SELECT rule, severity, message, first_seen, closed, closed_by, reopened, waived FROM finding WHERE entry = ?1 ORDER BY id";
        self.0.each(select, values![entry], |row| {
            let (rule, severity, message) = (row.text(0)?, row.number(1)?, row.text(2)?);
            let (first, closed, by) = (row.text(3)?, row.maybe(4)?, row.maybe(5)?);
            let (reopened, waived) = (row.number(6)?, row.text(7)?);
            let again = if reopened > 0 { format!("; came back {reopened} times") } else { String::new() };
            let waived = if waived.is_empty() { waived } else { format!("; waived by {waived}") };
            let detail = format!("{} {rule}: {message}{again}{waived}", named(severity));
            events.push(Event { day: first, what: "opened".to_owned(), detail });
            if let Some(day) = closed {
                let by = by.filter(|by| !by.is_empty()).map(|by| format!(" in {by}")).unwrap_or_default();
                events.push(Event { day, what: "closed".to_owned(), detail: format!("{rule}{by}") });
            }
            Ok(())
        })?;
        // What happened first stands first; on the same day it stays as it was noted.
        events.sort_by(|a, b| a.day.cmp(&b.day));
        Ok(events)
    }
}
