//! The findings of a report beside those that the store has of its scope.

use super::{Added, Adding, Record, answers, rank};
use crate::StoreError;
use crate::db::{Column, Row, Value, names, values};
use std::collections::BTreeMap;
use tsuba_report::Report;
use tsuba_report::model::FindingRow;

/// A finding as the store has it.
#[derive(Clone, Debug, PartialEq, Eq)]
struct FindingRecord {
    entry: Option<i64>,
    severity: i64,
    confidence: String,
    line: i64,
    message: String,
    fix: String,
    team: String,
    owner: String,
    first_seen: String,
    last_seen: String,
    closed: Option<String>,
    closed_by: Option<String>,
    reopened: i64,
    waived: String,
}

/// What a new one has besides.
const NEW: [Column; 4] =
    [Column::number("scope"), Column::text("rule"), Column::text("fingerprint"), Column::text("setup")];

impl FindingRecord {
    /// From a row whose fields begin at `first`.
    fn of(row: &Row<'_>, first: usize) -> Result<Self, StoreError> {
        let at = |field: usize| row.raw(first + field);
        Ok(Self {
            entry: row.number_if_any(first)?,
            severity: row.number(first + 1)?,
            confidence: at(2)?,
            line: row.number(first + 3)?,
            message: at(4)?,
            fix: at(5)?,
            team: at(6)?,
            owner: at(7)?,
            first_seen: at(8)?,
            last_seen: at(9)?,
            closed: row.raw_if_any(first + 10)?,
            closed_by: row.raw_if_any(first + 11)?,
            reopened: row.number(first + 12)?,
            waived: at(13)?,
        })
    }
}

impl Record for FindingRecord {
    const COLUMNS: &'static [Column] = &[
        Column::number("id"),
        Column::number("entry"),
        Column::number("severity"),
        Column::text("confidence"),
        Column::number("line"),
        Column::text("message"),
        Column::text("fix"),
        Column::text("team"),
        Column::text("owner"),
        Column::text("first_seen"),
        Column::text("last_seen"),
        Column::text("closed"),
        Column::text("closed_by"),
        Column::number("reopened"),
        Column::text("waived"),
    ];

    fn values(&self, id: i64) -> Vec<Value<'_>> {
        let Self { entry, severity, confidence, line, message, fix, team, owner, .. } = self;
        let own = values![id, entry.as_ref(), severity, confidence, line, message, fix, team, owner];
        let life = values![
            &self.first_seen,
            &self.last_seen,
            self.closed.as_ref(),
            self.closed_by.as_ref(),
            self.reopened,
            &self.waived
        ];
        own.iter().chain(life).cloned().collect()
    }
}

/// A finding of the scope: as it was, and as it is.
struct Kept {
    id: i64,
    rule: String,
    was: Option<FindingRecord>,
    is: FindingRecord,
    seen: bool,
}

/// By fingerprint and file.
type Key = (String, String);

impl Adding<'_> {
    pub(super) fn findings(
        &self,
        report: &Report,
        ids: &BTreeMap<String, i64>,
        added: &mut Added,
    ) -> Result<(), StoreError> {
        let mut kept = self.known()?;
        let key = |finding: &FindingRow| (finding.fingerprint.clone(), finding.setup.to_string());
        let mut new: Vec<Key> = report.findings.iter().map(key).filter(|key| !kept.contains_key(key)).collect();
        new.sort();
        new.dedup();
        let mut fresh = self.db.reserve("finding", new.len())?.into_iter();
        for finding in &report.findings {
            let entry = finding.entry.as_ref().and_then(|id| ids.get(id)).copied();
            let is = self.found(finding, entry);
            match kept.get_mut(&key(finding)) {
                Some(known) => self.found_again(known, is, added),
                None => {
                    added.opened += usize::from(self.newest);
                    let (id, rule) = (fresh.next().unwrap_or_default(), finding.rule.to_string());
                    let is = FindingRecord { closed: self.next.clone(), ..is };
                    kept.insert(key(finding), Kept { id, rule, was: None, is, seen: true });
                }
            }
        }
        for one in kept.values_mut().filter(|one| !one.seen) {
            // Of a report between others: what was last found before it was closed by then, and not only by the next one.
            let between = one.is.last_seen < self.day && one.is.closed.as_ref().is_some_and(|day| *day > self.day);
            if if self.newest { one.is.closed.is_none() } else { between } {
                (one.is.closed, one.is.closed_by) = (Some(self.day.clone()), Some(self.revision.clone()));
                added.closed += usize::from(self.newest);
            }
        }
        let known = kept.values().filter_map(|one| Some((one.id, one.was.as_ref()?, &one.is)));
        self.rewrite("finding", known)?;
        let new = kept.iter().filter(|(_, one)| one.was.is_none()).map(|((print, setup), one)| {
            let own = one.is.values(one.id).into_iter();
            own.chain(values![self.scope, &one.rule, print, setup].iter().cloned()).collect()
        });
        let columns: Vec<Column> = FindingRecord::COLUMNS.iter().copied().chain(NEW).collect();
        self.db.fill("finding", &columns, &new.collect::<Vec<_>>())
    }

    /// The findings that the store has of the scope.
    fn known(&self) -> Result<BTreeMap<Key, Kept>, StoreError> {
        let sql =
            format!("SELECT fingerprint, setup, rule, {} FROM finding WHERE scope = ?1", names(FindingRecord::COLUMNS));
        let rows = self.db.rows(&sql, values![self.scope], |row| {
            let is = FindingRecord::of(row, 4)?;
            let kept = Kept { id: row.number(3)?, rule: row.raw(2)?, was: Some(is.clone()), is, seen: false };
            Ok(((row.raw(0)?, row.raw(1)?), kept))
        })?;
        Ok(rows.into_iter().collect())
    }

    /// A finding as this report has it.
    fn found(&self, finding: &FindingRow, entry: Option<i64>) -> FindingRecord {
        let (team, owner) = answers(self.whose.concerned(finding));
        let waived = finding.waived.as_ref().map(|waiver| format!("{} until {}", waiver.by, waiver.until));
        FindingRecord {
            entry,
            severity: i64::from(rank(finding.severity)),
            confidence: finding.confidence.name().to_owned(),
            line: i64::from(finding.place.line),
            message: finding.message.to_string(),
            fix: finding.fix.to_string(),
            team,
            owner,
            first_seen: self.day.clone(),
            last_seen: self.day.clone(),
            closed: None,
            closed_by: None,
            reopened: 0,
            waived: waived.unwrap_or_default(),
        }
    }

    /// A finding that the store has, or that this report has twice, at two places of a text.
    fn found_again(&self, known: &mut Kept, is: FindingRecord, added: &mut Added) {
        known.seen = true;
        let first_seen = known.is.first_seen.clone().min(is.first_seen.clone());
        let last_seen = known.is.last_seen.clone().max(is.last_seen.clone());
        if !self.newest {
            (known.is.first_seen, known.is.last_seen) = (first_seen, last_seen);
            return;
        }
        let reopened = known.is.closed.is_some();
        added.reopened += usize::from(reopened);
        known.is = FindingRecord { first_seen, last_seen, reopened: known.is.reopened + i64::from(reopened), ..is };
    }
}
