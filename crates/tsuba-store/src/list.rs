//! The entries of a company, and the findings that have been open for too long.

use crate::add::rank;
use crate::{Store, StoreError, maybe, text};
use jiff::ToSpan as _;
use jiff::civil::Date;
use rusqlite::params;
use serde::Serialize;
use tsuba_core::severity::Severity;

/// Which entries are meant; each empty list means all.
#[derive(Clone, Debug, Default)]
pub struct Filter {
    /// Verdicts.
    pub verdicts: Vec<String>,
    /// Teams, or owners that repositories name.
    pub teams: Vec<String>,
    /// Repositories, or hosts with folders: a part of their name.
    pub scopes: Vec<String>,
    /// With what is not there any more.
    pub gone: bool,
}

/// An entry.
#[derive(Clone, Debug, Serialize)]
pub struct EntryLine {
    /// Its id, as reports have it.
    pub id: String,
    /// Its name.
    pub name: String,
    /// What it runs or calls.
    pub runs: String,
    /// The verdict of the newest report.
    pub verdict: String,
    /// Where it stands with the register.
    pub decision: String,
    /// Who answers for it.
    pub team: String,
    /// Whose account owns the file.
    pub owner: String,
    /// The repository, or host and folder.
    pub scope: String,
    /// File and line.
    pub place: String,
    /// The first report that has it.
    pub first_seen: String,
    /// The last one.
    pub last_seen: String,
    /// Since when it is not there any more.
    pub gone: Option<String>,
}

/// A finding that has been open for long.
#[derive(Clone, Debug, Serialize)]
pub struct Overdue {
    /// For so many days.
    pub days: i32,
    /// `critical`, `high`, …
    pub severity: &'static str,
    /// The rule.
    pub rule: String,
    /// The entry's name; empty where it is of a file.
    pub entry: String,
    /// Who answers for it.
    pub team: String,
    /// Whose account owns the file.
    pub owner: String,
    /// The repository, or host and folder.
    pub scope: String,
    /// File and line.
    pub place: String,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub fix: String,
    /// The first report that has it.
    pub first_seen: String,
    /// How often it was closed and came back.
    pub reopened: u32,
}

/// A finding, open or closed.
#[derive(Clone, Debug, Serialize)]
pub struct FindingLine {
    /// As reports have it.
    pub fingerprint: String,
    /// The rule.
    pub rule: String,
    /// `critical`, `high`, …
    pub severity: &'static str,
    /// `certain`, `likely` or `possible`.
    pub confidence: String,
    /// The entry's id; empty where it is of a file.
    pub entry: String,
    /// The entry's name.
    pub name: String,
    /// The repository, or host and folder.
    pub scope: String,
    /// The file.
    pub setup: String,
    /// The line, in the newest report.
    pub line: u32,
    /// Who answers for it.
    pub team: String,
    /// Whose account owns the file.
    pub owner: String,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub fix: String,
    /// The first report that has it.
    pub first_seen: String,
    /// The last one.
    pub last_seen: String,
    /// Since when it is not there any more.
    pub closed: Option<String>,
    /// The commit of the first report without it.
    pub closed_by: String,
    /// How often it was closed and came back.
    pub reopened: u32,
    /// By whom it is accepted, and until when.
    pub waived: String,
}

impl Store {
    /// The entries, the worst first.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn entries(&self, filter: &Filter) -> Result<Vec<EntryLine>, StoreError> {
        let mut select = self.0.prepare(
            "SELECT e.key, e.name, e.runs, e.verdict, e.decision, e.team, e.owner, s.name, e.place, e.first_seen, e.last_seen, e.gone
             FROM entry e JOIN scope s ON s.id = e.scope WHERE e.kind = 'entry' AND (?1 OR e.gone IS NULL)
             ORDER BY CASE e.verdict WHEN 'refuse' THEN 0 WHEN 'fix-first' THEN 1 WHEN 'unchecked' THEN 2 ELSE 3 END, s.name, e.place, e.name",
        )?;
        let rows = select.query_map([filter.gone], |row| {
            Ok(EntryLine {
                id: text(row, 0)?,
                name: text(row, 1)?,
                runs: text(row, 2)?,
                verdict: text(row, 3)?,
                decision: text(row, 4)?,
                team: text(row, 5)?,
                owner: text(row, 6)?,
                scope: text(row, 7)?,
                place: text(row, 8)?,
                first_seen: text(row, 9)?,
                last_seen: text(row, 10)?,
                gone: maybe(row, 11)?,
            })
        })?;
        let has = |list: &[String], value: &str| list.is_empty() || list.iter().any(|one| one == value);
        let within =
            |list: &[String], value: &str| list.is_empty() || list.iter().any(|one| value.contains(one.as_str()));
        let is_meant = |line: &EntryLine| {
            has(&filter.verdicts, &line.verdict)
                && has(&filter.teams, &line.team)
                && within(&filter.scopes, &line.scope)
        };
        let kept = rows.filter(|line| line.as_ref().map_or(true, is_meant));
        kept.collect::<Result<_, _>>().map_err(StoreError::from)
    }

    /// The findings at least this severe that have been open for at least so many days, and are not waived; the oldest of the worst first.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn overdue(&self, least: Severity, days: i32, today: Date) -> Result<Vec<Overdue>, StoreError> {
        let mut select = self.0.prepare(
            "SELECT f.severity, f.rule, coalesce(e.name, ''), f.team, f.owner, s.name, f.setup || ':' || f.line, f.message, f.fix, f.first_seen, f.reopened
             FROM finding f JOIN scope s ON s.id = f.scope LEFT JOIN entry e ON e.id = f.entry
             WHERE f.closed IS NULL AND f.waived = '' AND f.severity >= ?1 AND f.first_seen <= ?2
             ORDER BY f.severity DESC, f.first_seen, s.name, f.setup, f.line, f.rule",
        )?;
        // No report is older than a century.
        let latest = today.saturating_sub(i64::from(days.clamp(0, 36_500)).days()).to_string();
        let rows = select.query_map(params![rank(least), latest], |row| {
            let first = text(row, 9)?;
            let since = first.parse::<Date>().map_or(0, |first| days_between(first, today));
            Ok(Overdue {
                days: since,
                severity: named(row.get(0)?),
                rule: text(row, 1)?,
                entry: text(row, 2)?,
                team: text(row, 3)?,
                owner: text(row, 4)?,
                scope: text(row, 5)?,
                place: text(row, 6)?,
                message: text(row, 7)?,
                fix: text(row, 8)?,
                first_seen: first,
                reopened: row.get(10)?,
            })
        })?;
        rows.collect::<Result<_, _>>().map_err(StoreError::from)
    }
}

impl Store {
    /// How many scopes there are reports of.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn scopes(&self) -> Result<usize, StoreError> {
        let count: u32 = self.0.query_row("SELECT count(*) FROM scope", [], |row| row.get(0))?;
        Ok(usize::try_from(count).unwrap_or(usize::MAX))
    }

    /// Every finding, or those that are open, by scope and place.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn findings(&self, open: bool) -> Result<Vec<FindingLine>, StoreError> {
        let mut select = self.0.prepare(
            "SELECT f.fingerprint, f.rule, f.severity, f.confidence, coalesce(e.key, ''), coalesce(e.name, ''), s.name, f.setup, f.line, f.team, f.owner,
             f.message, f.fix, f.first_seen, f.last_seen, f.closed, coalesce(f.closed_by, ''), f.reopened, f.waived
             FROM finding f JOIN scope s ON s.id = f.scope LEFT JOIN entry e ON e.id = f.entry WHERE NOT ?1 OR f.closed IS NULL
             ORDER BY s.name, f.setup, f.line, f.rule, f.fingerprint",
        )?;
        let rows = select.query_map([open], |row| {
            Ok(FindingLine {
                fingerprint: text(row, 0)?,
                rule: text(row, 1)?,
                severity: named(row.get(2)?),
                confidence: text(row, 3)?,
                entry: text(row, 4)?,
                name: text(row, 5)?,
                scope: text(row, 6)?,
                setup: text(row, 7)?,
                line: row.get(8)?,
                team: text(row, 9)?,
                owner: text(row, 10)?,
                message: text(row, 11)?,
                fix: text(row, 12)?,
                first_seen: text(row, 13)?,
                last_seen: text(row, 14)?,
                closed: maybe(row, 15)?,
                closed_by: text(row, 16)?,
                reopened: row.get(17)?,
                waived: text(row, 18)?,
            })
        })?;
        rows.collect::<Result<_, _>>().map_err(StoreError::from)
    }
}

impl EntryLine {
    /// Who answers for it: a team, else the account that owns the file.
    pub fn answers(&self) -> &str {
        if self.team.is_empty() { &self.owner } else { &self.team }
    }
}

impl FindingLine {
    /// Likewise.
    pub fn answers(&self) -> &str {
        if self.team.is_empty() { &self.owner } else { &self.team }
    }
}

/// The severity of a number.
pub(crate) fn named(number: u8) -> &'static str {
    let all = Severity::ALL.iter().find(|severity| rank(**severity) == number);
    all.map_or("note", |severity| severity.name())
}

/// So many whole days lie between two dates.
pub fn days_between(from: Date, to: Date) -> i32 {
    i32::try_from(to.duration_since(from).as_hours() / 24).unwrap_or(i32::MAX)
}
