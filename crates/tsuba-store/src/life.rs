//! The life of an entry: when it was first seen, what changed, what was found and fixed.

use crate::list::named;
use crate::{Store, StoreError, maybe, text};
use rusqlite::params;
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

impl Store {
    /// The lives of the entries with this id, or the beginning of one, or this name.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn lives(&self, id: &str) -> Result<Vec<Life>, StoreError> {
        let mut select = self.0.prepare(
            "SELECT e.id, e.key, e.name, e.runs, s.name, e.place, e.team, e.verdict, e.gone FROM entry e JOIN scope s ON s.id = e.scope
             WHERE (length(?1) >= 6 AND e.key >= ?1 AND e.key < ?1 || x'f48fbfbf') OR e.name = ?1 ORDER BY s.name, e.place LIMIT 100",
        )?;
        let rows = select.query_map([id], |row| {
            let life = Life {
                id: text(row, 1)?,
                name: text(row, 2)?,
                runs: text(row, 3)?,
                scope: text(row, 4)?,
                place: text(row, 5)?,
                team: text(row, 6)?,
                verdict: text(row, 7)?,
                gone: maybe(row, 8)?,
                events: Vec::new(),
            };
            Ok((row.get::<_, i64>(0)?, life))
        })?;
        let mut lives = Vec::new();
        for row in rows {
            let (entry, mut life) = row?;
            life.events = self.events(entry)?;
            lives.push(life);
        }
        Ok(lives)
    }

    fn events(&self, entry: i64) -> Result<Vec<Event>, StoreError> {
        let mut select =
            self.0.prepare_cached("SELECT day, what, detail FROM event WHERE entry = ?1 ORDER BY day, id")?;
        let own = select
            .query_map([entry], |row| Ok(Event { day: text(row, 0)?, what: text(row, 1)?, detail: text(row, 2)? }))?;
        let mut events: Vec<Event> = own.collect::<Result<_, _>>()?;
        let mut select = self.0.prepare_cached(
            "SELECT rule, severity, message, first_seen, closed, closed_by, reopened, waived FROM finding WHERE entry = ?1",
        )?;
        let mut rows = select.query(params![entry])?;
        while let Some(row) = rows.next()? {
            let (rule, severity, message) = (text(row, 0)?, row.get(1)?, text(row, 2)?);
            let (first, closed, by) = (text(row, 3)?, maybe(row, 4)?, maybe(row, 5)?);
            let (reopened, waived): (u32, String) = (row.get(6)?, text(row, 7)?);
            let again = if reopened > 0 { format!("; came back {reopened} times") } else { String::new() };
            let waived = if waived.is_empty() { waived } else { format!("; waived by {waived}") };
            let detail = format!("{} {rule}: {message}{again}{waived}", named(severity));
            events.push(Event { day: first, what: "opened".to_owned(), detail });
            if let Some(day) = closed {
                let by = by.filter(|by| !by.is_empty()).map(|by| format!(" in {by}")).unwrap_or_default();
                events.push(Event { day, what: "closed".to_owned(), detail: format!("{rule}{by}") });
            }
        }
        // What happened first stands first; on the same day it stays as it was noted.
        events.sort_by(|a, b| a.day.cmp(&b.day));
        Ok(events)
    }
}
