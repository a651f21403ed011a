//! The entries of a company, and the findings that have been open for too long.

use crate::add::rank;
use crate::db::{Value, values};
use crate::{Store, StoreError};
use jiff::ToSpan as _;
use jiff::civil::Date;
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
    /// At most so many; the number of those that are meant stays what it is.
    pub limit: Option<usize>,
    /// Without the first ones.
    pub skip: usize,
}

/// How many entries are meant.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Counts {
    /// All of them.
    pub entries: usize,
    /// In so many scopes.
    pub scopes: usize,
    /// Those that are there, by who answers for them and verdict.
    pub verdicts: Vec<(String, String, usize)>,
}

/// The worst first.
const WORST_FIRST: &str = "CASE e.verdict WHEN 'refuse' THEN 0 WHEN 'fix-first' THEN 1 WHEN 'unchecked' THEN 2 ELSE 3 END, s.name, e.place, e.name, e.key";

impl Filter {
    /// The condition of a statement, and its values.
    fn condition(&self) -> (String, Vec<Value<'_>>) {
        // Put together, so that it is found by no index: to go through most of a table in the order of fingerprints takes many times as long.
        let (mut text, mut values) = ("e.kind || '' = 'entry'".to_owned(), Vec::new());
        if !self.gone {
            text.push_str(" AND e.gone IS NULL");
        }
        text.push_str(&one_of(&self.verdicts, "e.verdict = ?", &mut values));
        text.push_str(&one_of(&self.teams, "e.team = ?", &mut values));
        text.push_str(&within(&self.scopes, &mut values));
        (text, values)
    }

    /// From where to where.
    fn part(&self) -> String {
        // As far as a database counts.
        let most = |count: usize| i64::try_from(count).unwrap_or(i64::MAX);
        format!("LIMIT {} OFFSET {}", most(self.limit.unwrap_or(usize::MAX)), most(self.skip))
    }
}

/// One of a list must be so, if there is one: the end of a condition, with what is added to its values.
fn one_of<'v>(list: &'v [String], form: &str, values: &mut Vec<Value<'v>>) -> String {
    let mut any = Vec::new();
    for one in list {
        values.push(Value::from(one));
        any.push(form.replace('?', &format!("?{}", values.len())));
    }
    if any.is_empty() { String::new() } else { format!(" AND ({})", any.join(" OR ")) }
}

/// The scope (`s`) must have one of these in its name.
pub(crate) fn within<'v>(scopes: &'v [String], values: &mut Vec<Value<'v>>) -> String {
    // A text that stands in a name is missing in it where it is taken out; nothing stands in every name.
    let scopes = if scopes.iter().any(String::is_empty) { &[] } else { scopes };
    one_of(scopes, "replace(s.name, ?, '') <> s.name", values)
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
        let mut all = Vec::new();
        self.each_entry(filter, |line| {
            all.push(line);
            Ok(())
        })?;
        Ok(all)
    }

    /// Likewise one after the other, for there may be more than memory holds.
    ///
    /// # Errors
    /// Where the database cannot be read, and what `take` says.
    pub fn each_entry(
        &self,
        filter: &Filter,
        mut take: impl FnMut(EntryLine) -> std::io::Result<()>,
    ) -> Result<(), StoreError> {
        let (condition, values) = filter.condition();
        let select = format!(
            "SELECT e.key, e.name, e.runs, e.verdict, e.decision, e.team, e.owner, s.name, e.place, e.first_seen, e.last_seen, e.gone
             FROM entry e JOIN scope s ON s.id = e.scope WHERE {condition} ORDER BY {WORST_FIRST} {}",
            filter.part()
        );
        self.0.each(&select, &values, |row| {
            let line = EntryLine {
                id: row.text(0)?,
                name: row.text(1)?,
                runs: row.text(2)?,
                verdict: row.text(3)?,
                decision: row.text(4)?,
                team: row.text(5)?,
                owner: row.text(6)?,
                scope: row.text(7)?,
                place: row.text(8)?,
                first_seen: row.text(9)?,
                last_seen: row.text(10)?,
                gone: row.maybe(11)?,
            };
            take(line).map_err(StoreError::Output)
        })
    }

    /// How many entries are meant, whatever the limit is.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn counts(&self, filter: &Filter) -> Result<Counts, StoreError> {
        let (condition, values) = filter.condition();
        let of = format!("FROM entry e JOIN scope s ON s.id = e.scope WHERE {condition}");
        let whose = "CASE WHEN e.team = '' THEN e.owner ELSE e.team END";
        let size = |count: i64| usize::try_from(count).unwrap_or_default();
        let totals = self.0.one(&format!("SELECT count(*), count(DISTINCT e.scope) {of}"), &values, |row| {
            Ok((size(row.number(0)?), size(row.number(1)?)))
        })?;
        let (entries, scopes) = totals.unwrap_or_default();
        let sql = format!("SELECT {whose}, e.verdict, count(*) {of} AND e.gone IS NULL GROUP BY 1, 2 ORDER BY 1, 2");
        let verdicts = self.0.rows(&sql, &values, |row| Ok((row.text(0)?, row.text(1)?, size(row.number(2)?))))?;
        Ok(Counts { entries, scopes, verdicts })
    }

    /// The findings at least this severe that have been open for at least so many days, and are not waived; the oldest of the worst first.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn overdue(&self, least: Severity, days: i32, today: Date) -> Result<Vec<Overdue>, StoreError> {
        let select = "SELECT f.severity, f.rule, coalesce(e.name, ''), f.team, f.owner, s.name, f.setup || ':' || f.line, f.message, f.fix, f.first_seen, f.reopened
             FROM finding f JOIN scope s ON s.id = f.scope LEFT JOIN entry e ON e.id = f.entry
             WHERE f.closed IS NULL AND f.waived = '' AND f.severity >= ?1 AND f.first_seen <= ?2
             ORDER BY f.severity DESC, f.first_seen, s.name, f.setup, f.line, f.rule";
        // No report is older than a century.
        let latest = today.saturating_sub(i64::from(days.clamp(0, 36_500)).days()).to_string();
        self.0.rows(select, values![i64::from(rank(least)), &latest], |row| {
            let first = row.text(9)?;
            let since = first.parse::<Date>().map_or(0, |first| days_between(first, today));
            Ok(Overdue {
                days: since,
                severity: named(row.number(0)?),
                rule: row.text(1)?,
                entry: row.text(2)?,
                team: row.text(3)?,
                owner: row.text(4)?,
                scope: row.text(5)?,
                place: row.text(6)?,
                message: row.text(7)?,
                fix: row.text(8)?,
                first_seen: first,
                reopened: row.count(10)?,
            })
        })
    }
}

impl Store {
    /// How many scopes there are reports of.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn scopes(&self) -> Result<usize, StoreError> {
        let count = self.0.one("SELECT count(*) FROM scope", values![], |row| row.count(0))?;
        Ok(usize::try_from(count.unwrap_or_default()).unwrap_or(usize::MAX))
    }

    /// Every finding, or those that are open, by scope and place; of scopes that have one of these texts in their names, where there are any.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn findings(&self, open: bool, scopes: &[String]) -> Result<Vec<FindingLine>, StoreError> {
        let mut all = Vec::new();
        self.each_finding((open, scopes), None, |line| {
            all.push(line);
            Ok(())
        })?;
        Ok(all)
    }

    /// What is open at the entries that are meant, and so many at most of what is open at no entry but in a file; by scope and place.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn open_findings(&self, filter: &Filter, of_files: usize) -> Result<Vec<FindingLine>, StoreError> {
        let (condition, values) = filter.condition();
        let entries = format!(
            "SELECT e.id FROM entry e JOIN scope s ON s.id = e.scope WHERE {condition} ORDER BY {WORST_FIRST} {}",
            filter.part()
        );
        let others = format!(
            "SELECT f.id FROM finding f LEFT JOIN entry e ON e.id = f.entry WHERE f.closed IS NULL AND (e.id IS NULL OR e.kind <> 'entry')
             ORDER BY f.severity DESC, f.first_seen, f.id LIMIT {}",
            i64::try_from(of_files).unwrap_or(i64::MAX)
        );
        let meant = format!("f.closed IS NULL AND (f.entry IN ({entries}) OR f.id IN ({others}))");
        let mut all = Vec::new();
        self.findings_where(&meant, &values, |line| {
            all.push(line);
            Ok(())
        })?;
        Ok(all)
    }

    /// How many findings are open that are not waived, by severity and the day on which they were first seen.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn open_since(&self) -> Result<Vec<(&'static str, String, usize)>, StoreError> {
        let select = "SELECT severity, first_seen, count(*) FROM finding WHERE closed IS NULL AND waived = ''
             GROUP BY severity, first_seen ORDER BY severity, first_seen";
        self.0.rows(select, values![], |row| {
            Ok((named(row.number(0)?), row.text(1)?, usize::try_from(row.number(2)?).unwrap_or_default()))
        })
    }

    /// The days on which findings were first seen, in order.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn days(&self) -> Result<Vec<String>, StoreError> {
        self.0.rows("SELECT DISTINCT first_seen FROM finding ORDER BY first_seen", values![], |row| row.text(0))
    }

    /// The findings one after the other, for there may be more than memory holds; those that are open, of some scopes, as for
    /// [`Store::findings`]; with `day` those that were first seen then.
    ///
    /// # Errors
    /// Where the database cannot be read, and what `take` says.
    pub fn each_finding(
        &self,
        (open, scopes): (bool, &[String]),
        day: Option<&str>,
        take: impl FnMut(FindingLine) -> std::io::Result<()>,
    ) -> Result<(), StoreError> {
        let of_day = if day.is_some() { "f.first_seen = ?2" } else { "CAST(?2 AS TEXT) IS NULL" };
        let mut values = vec![Value::from(open), Value::from(day)];
        let within = within(scopes, &mut values);
        self.findings_where(&format!("(?1 = 0 OR f.closed IS NULL) AND {of_day}{within}"), &values, take)
    }

    fn findings_where(
        &self,
        condition: &str,
        values: &[Value<'_>],
        mut take: impl FnMut(FindingLine) -> std::io::Result<()>,
    ) -> Result<(), StoreError> {
        let select = format!("SELECT f.fingerprint, f.rule, f.severity, f.confidence, coalesce(e.key, ''), coalesce(e.name, ''), s.name, f.setup, f.line, f.team, f.owner,
             f.message, f.fix, f.first_seen, f.last_seen, f.closed, coalesce(f.closed_by, ''), f.reopened, f.waived
             FROM finding f JOIN scope s ON s.id = f.scope LEFT JOIN entry e ON e.id = f.entry WHERE {condition}
             ORDER BY s.name, f.setup, f.line, f.rule, f.fingerprint");
        self.0.each(&select, values, |row| {
            let line = FindingLine {
                fingerprint: row.text(0)?,
                rule: row.text(1)?,
                severity: named(row.number(2)?),
                confidence: row.text(3)?,
                entry: row.text(4)?,
                name: row.text(5)?,
                scope: row.text(6)?,
                setup: row.text(7)?,
                line: row.count(8)?,
                team: row.text(9)?,
                owner: row.text(10)?,
                message: row.text(11)?,
                fix: row.text(12)?,
                first_seen: row.text(13)?,
                last_seen: row.text(14)?,
                closed: row.maybe(15)?,
                closed_by: row.text(16)?,
                reopened: row.count(17)?,
                waived: row.text(18)?,
            };
            take(line).map_err(StoreError::Output)
        })
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
pub(crate) fn named(number: i64) -> &'static str {
    let all = Severity::ALL.iter().find(|severity| i64::from(rank(**severity)) == number);
    all.map_or("note", |severity| severity.name())
}

/// So many whole days lie between two dates.
pub fn days_between(from: Date, to: Date) -> i32 {
    i32::try_from(to.duration_since(from).as_hours() / 24).unwrap_or(i32::MAX)
}
