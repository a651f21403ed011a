//! How it goes, week by week: verdicts, what is open, what came and what went.

use crate::db::{Value, values};
use crate::{Store, StoreError};
use jiff::ToSpan as _;
use jiff::civil::Date;
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
            week.opened = self.count("first_seen", values![&before, &week.until, team])?;
            week.closed = self.count("closed", values![&before, &week.until, team])?;
            before.clone_from(&week.until);
        }
        let select = "SELECT first_seen, closed FROM finding
             WHERE closed > ?1 AND closed <= ?2 AND severity >= 3 AND (CAST(?3 AS TEXT) IS NULL OR team = ?3)";
        self.0.each(select, values![&first, today.to_string(), team], |row| {
            if let (Ok(opened), Ok(closed)) = (row.raw(0)?.parse(), row.raw(1)?.parse()) {
                times.push(crate::list::days_between(opened, closed));
            }
            Ok(())
        })?;
        times.sort_unstable();
        Ok(Trend { weeks: out, days_to_fix: times.get(times.len() / 2).copied() })
    }

    /// How many findings at `high` or above have this day in a span.
    fn count(&self, day: &str, span: &[Value<'_>]) -> Result<i64, StoreError> {
        let sql = format!(
            "SELECT count(*) FROM finding WHERE {day} > ?1 AND {day} <= ?2 AND severity >= 3 AND (CAST(?3 AS TEXT) IS NULL OR team = ?3)"
        );
        Ok(self.0.one(&sql, span, |row| row.number(0))?.unwrap_or_default())
    }

    /// How each scope stood at the end of each week: as its newest report up to then says.
    fn standing(&self, ends: &[String], team: Option<&str>, out: &mut [Week]) -> Result<(), StoreError> {
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
        let select = "SELECT r.scope, r.as_of, CAST(sum(t.refuse) AS BIGINT), CAST(sum(t.fix_first) AS BIGINT), CAST(sum(t.unchecked) AS BIGINT), CAST(sum(t.ready) AS BIGINT),
             CAST(sum(t.critical) AS BIGINT), CAST(sum(t.high) AS BIGINT), CAST(sum(t.medium) AS BIGINT)
             FROM report r LEFT JOIN tally t ON t.report = r.id AND (CAST(?1 AS TEXT) IS NULL OR t.team = ?1)
             GROUP BY r.scope, r.as_of, r.id ORDER BY r.scope, r.as_of, r.id";
        self.0.each(select, values![team], |row| {
            let mut cells = [0; 7];
            for (at, cell) in cells.iter_mut().enumerate() {
                *cell = row.number(at + 2)?;
            }
            let report: (i64, String, [i64; 7]) = (row.number(0)?, row.raw(1)?, cells);
            if let Some(last) = last.replace(report.clone()) {
                put(&last, Some(report.1.as_str()).filter(|_| last.0 == report.0));
            }
            Ok(())
        })?;
        if let Some(last) = last {
            put(&last, None);
        }
        Ok(())
    }
}
