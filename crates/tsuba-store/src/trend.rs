//! How it goes, week by week: verdicts, what is open, what came and what went.

use crate::{Store, StoreError};
use jiff::ToSpan as _;
use jiff::civil::Date;
use rusqlite::params;
use serde::Serialize;

/// A week.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Week {
    /// Its last day.
    pub until: String,
    /// How many scopes had been reported on.
    pub scopes: u32,
    /// Entries by verdict, of the newest report of each scope: refuse, fix-first, unchecked, ready.
    pub verdicts: [i64; 4],
    /// Findings likewise: critical, high, medium.
    pub open: [i64; 3],
    /// Findings that came in this week, at `high` or above.
    pub opened: i64,
    /// That went.
    pub closed: i64,
}

/// Several weeks, the last one last.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Trend {
    /// The weeks.
    pub weeks: Vec<Week>,
    /// In how many days half of the findings at `high` or above that were closed in that time were fixed.
    pub days_to_fix: Option<i32>,
}

impl Store {
    /// The last weeks up to a day, of one team or of all.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn trend(&self, weeks: u32, today: Date, team: Option<&str>) -> Result<Trend, StoreError> {
        let back = |weeks: u32| today.saturating_sub(i64::from(weeks).weeks());
        let ends: Vec<Date> = (0..weeks).rev().map(back).collect();
        let texts: Vec<String> = ends.iter().map(ToString::to_string).collect();
        let mut out: Vec<Week> = texts.iter().map(|until| Week { until: until.clone(), ..Week::default() }).collect();
        self.standing(&texts, team, &mut out)?;
        let first = back(weeks).to_string();
        let (mut before, mut times) = (first.clone(), Vec::new());
        for week in &mut out {
            let span = params![before, week.until, team];
            week.opened = self.count("first_seen", span)?;
            week.closed = self.count("closed", params![before, week.until, team])?;
            before.clone_from(&week.until);
        }
        let mut select = self.0.prepare_cached(
            "SELECT first_seen, closed FROM finding WHERE closed > ?1 AND closed <= ?2 AND severity >= 3 AND (?3 IS NULL OR team = ?3)",
        )?;
        let mut rows = select.query(params![first, today.to_string(), team])?;
        while let Some(row) = rows.next()? {
            let (opened, closed): (String, String) = (row.get(0)?, row.get(1)?);
            if let (Ok(opened), Ok(closed)) = (opened.parse(), closed.parse()) {
                times.push(crate::list::days_between(opened, closed));
            }
        }
        times.sort_unstable();
        Ok(Trend { weeks: out, days_to_fix: times.get(times.len() / 2).copied() })
    }

    /// How many findings at `high` or above have this day in a span.
    fn count(&self, day: &str, span: &[&dyn rusqlite::ToSql]) -> Result<i64, StoreError> {
        let sql = format!(
            "SELECT count(*) FROM finding WHERE {day} > ?1 AND {day} <= ?2 AND severity >= 3 AND (?3 IS NULL OR team = ?3)"
        );
        Ok(self.0.prepare_cached(&sql)?.query_row(span, |row| row.get(0))?)
    }

    /// How each scope stood at the end of each week: as its newest report up to then says.
    fn standing(&self, ends: &[String], team: Option<&str>, out: &mut [Week]) -> Result<(), StoreError> {
        let mut select = self.0.prepare_cached(
            "SELECT r.scope, r.as_of, sum(t.refuse), sum(t.fix_first), sum(t.unchecked), sum(t.ready), sum(t.critical), sum(t.high), sum(t.medium)
             FROM report r LEFT JOIN tally t ON t.report = r.id AND (?1 IS NULL OR t.team = ?1)
             GROUP BY r.scope, r.as_of, r.id ORDER BY r.scope, r.as_of, r.id",
        )?;
        let mut rows = select.query([team])?;
        // The newest report of the scope so far, and what it says.
        let mut last: Option<(i64, String, [i64; 7])> = None;
        let mut put = |report: &(i64, String, [i64; 7]), until: Option<&str>| {
            // It counts from its own day until the next one.
            for (end, week) in ends.iter().zip(out.iter_mut()) {
                if *end >= report.1 && until.is_none_or(|until| end.as_str() < until) {
                    week.scopes += 1;
                    let (verdicts, open) = report.2.split_at(4);
                    week.verdicts.iter_mut().zip(verdicts).for_each(|(sum, count)| *sum += count);
                    week.open.iter_mut().zip(open).for_each(|(sum, count)| *sum += count);
                }
            }
        };
        while let Some(row) = rows.next()? {
            let mut cells = [0; 7];
            for (at, cell) in cells.iter_mut().enumerate() {
                *cell = row.get::<_, Option<i64>>(at + 2)?.unwrap_or_default();
            }
            let report: (i64, String, [i64; 7]) = (row.get(0)?, row.get(1)?, cells);
            if let Some(last) = last.replace(report.clone()) {
                put(&last, Some(report.1.as_str()).filter(|_| last.0 == report.0));
            }
        }
        if let Some(last) = last {
            put(&last, None);
        }
        Ok(())
    }
}
