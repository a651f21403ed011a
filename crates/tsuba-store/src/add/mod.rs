//! Taking in a report: what is new, what has changed, what is gone since the last one of its scope.
//!
//! What the store has of the scope is read, the report is laid beside it, and what is different is written: some statements for a report,
//! however many entries it has.

mod entries;
mod findings;
mod scope;

use crate::db::{Column, Db, Value, values};
use crate::{Store, StoreError};
use jiff::civil::Date;
use scope::Scope;
use std::collections::BTreeMap;
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;
use tsuba_core::text::strong_fingerprint;
use tsuba_report::Report;
use tsuba_report::model::{EntryRow, FindingRow, Setup, Text};

/// What came of a report.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Added {
    /// It was there already: nothing was done.
    pub known: bool,
    /// What it is of.
    pub scope: String,
    /// How many entries it has.
    pub entries: usize,
    /// Findings that its scope did not have before.
    pub opened: usize,
    /// Findings that its scope does not have any more.
    pub closed: usize,
    /// Findings that were closed and are there again.
    pub reopened: usize,
}

/// A report that is being taken in.
struct Adding<'t> {
    db: &'t Db,
    scope: i64,
    day: String,
    /// Is no later report of the scope known? Only then it says what is there now.
    newest: bool,
    /// The day of the next one, where there is one.
    next: Option<String>,
    revision: String,
    whose: Whose<'t>,
}

impl Store {
    /// Takes in a report: all of it, or nothing. The same report again changes nothing.
    ///
    /// # Errors
    /// Where it cannot say what is there (a filtered report, an inventory), and where the database cannot be written.
    pub fn add(&mut self, report: &Report) -> Result<Added, StoreError> {
        if report.summary.known > 0 || report.leaves_findings_out() {
            return Err(StoreError::Filtered);
        }
        if report.summary.verdicts.is_empty() {
            return Err(StoreError::Unjudged);
        }
        let day: Date = report.as_of.parse().map_err(|_| StoreError::Date(report.as_of.clone()))?;
        let day = day.to_string();
        let digest = digest(report)?;
        let own = Scope::of(report);
        let entries = report.entries.iter().filter(|entry| entry.counts()).count();
        let mut added = Added { scope: own.name.clone(), entries, ..Added::default() };
        let is_known = "SELECT 1 FROM report WHERE digest = ?1";
        if self.0.one(is_known, values![&digest], |_| Ok(()))?.is_some() {
            return Ok(Added { known: true, ..added });
        }
        self.0.whole(|db| {
            // Whoever else adds a report of this scope waits here.
            let scope = own.id(db)?;
            if db.one(is_known, values![&digest], |_| Ok(()))?.is_some() {
                return Ok(Added { known: true, ..added });
            }
            let next =
                db.one("SELECT min(as_of) FROM report WHERE scope = ?1 AND as_of > ?2", values![scope, &day], |row| {
                    row.raw_if_any(0)
                })?;
            let next = next.flatten();
            let revision = report.source.as_ref().and_then(|source| source.commit.as_ref());
            let adding = Adding {
                db,
                scope,
                day,
                newest: next.is_none(),
                next,
                revision: revision.map(ToString::to_string).unwrap_or_default(),
                whose: Whose::of(report),
            };
            adding.report(report, &digest)?;
            let ids = adding.entries(report)?;
            adding.findings(report, &ids, &mut added)?;
            Ok(added)
        })
    }
}

/// Stands for a whole report, however it was laid out.
fn digest(report: &Report) -> Result<String, StoreError> {
    let text = serde_json::to_string(report).map_err(|_| StoreError::Unwritable)?;
    Ok(strong_fingerprint([text.as_str()]))
}

/// Whose the findings of a report are.
struct Whose<'r> {
    setups: BTreeMap<&'r str, &'r Setup>,
    entries: BTreeMap<&'r str, &'r EntryRow>,
}

impl<'r> Whose<'r> {
    fn of(report: &'r Report) -> Self {
        Self {
            setups: report.setups.iter().map(|setup| (setup.path.as_str(), setup)).collect(),
            entries: report.entries.iter().map(|entry| (entry.id.as_str(), entry)).collect(),
        }
    }

    /// The setup of an entry, or of a file.
    fn setup(&self, path: &str) -> Option<&'r Setup> {
        self.setups.get(path).copied()
    }

    /// The setup that a finding concerns: what a server says concerns those who use it, wherever it was captured.
    fn concerned(&self, finding: &FindingRow) -> Option<&'r Setup> {
        let entry = finding.entry.as_ref().and_then(|id| self.entries.get(id.as_str()));
        let user =
            entry.and_then(|entry| entry.listing.as_ref()?.of.iter().find_map(|id| self.entries.get(id.as_str())));
        self.setup(user.map_or(&finding.setup, |user| &user.setup).as_str())
    }
}

/// What the store has of an entry or a finding.
trait Record: PartialEq {
    /// What is written again where it has changed, its id first.
    const COLUMNS: &'static [Column];

    /// A value for each of them.
    fn values(&self, id: i64) -> Vec<Value<'_>>;

    /// Is it as it was, but for the day on which it was last seen?
    fn is_only_seen(&self, was: &Self) -> bool {
        let (is, was) = (self.values(0), was.values(0));
        let mut same = Self::COLUMNS.iter().zip(is.iter().zip(&was));
        same.all(|(column, (is, was))| is == was || column.name == "last_seen")
    }
}

/// A text that may be missing.
fn said(text: Option<&Text>) -> String {
    text.map(ToString::to_string).unwrap_or_default()
}

/// The team that answers for a setup, and the account that owns it.
fn answers(setup: Option<&Setup>) -> (String, String) {
    (said(setup.and_then(Setup::answers)), said(setup.and_then(|setup| setup.owner.as_ref())))
}

const TALLY: [Column; 9] = [
    Column::number("report"),
    Column::text("team"),
    Column::number("refuse"),
    Column::number("fix_first"),
    Column::number("unchecked"),
    Column::number("ready"),
    Column::number("critical"),
    Column::number("high"),
    Column::number("medium"),
];

impl Adding<'_> {
    /// Writes what is not as it was: the id of each, what it was and what it is.
    fn rewrite<'r, R: Record + 'r>(
        &self,
        table: &str,
        rows: impl Iterator<Item = (i64, &'r R, &'r R)>,
    ) -> Result<(), StoreError> {
        let changed = rows.filter(|(_, was, is)| was != is);
        // Most of them are there on a later day, and nothing else.
        let (seen, changed): (Vec<_>, Vec<_>) = changed.partition(|(_, was, is)| is.is_only_seen(was));
        let seen: Vec<i64> = seen.into_iter().map(|(id, ..)| id).collect();
        self.db.set(table, "last_seen", &self.day, &seen)?;
        let rows: Vec<Vec<Value<'_>>> = changed.into_iter().map(|(id, _, is)| is.values(id)).collect();
        self.db.rewrite(table, R::COLUMNS, &rows)
    }

    /// Notes the report itself, and its counts by whose they are.
    fn report(&self, report: &Report, digest: &str) -> Result<(), StoreError> {
        let version = report.tool.version.as_str();
        let unread = i64::try_from(report.unread.len()).unwrap_or(i64::MAX);
        let id = self.db.one(
            "INSERT INTO report (scope, digest, as_of, revision, version, unread) VALUES (?1, ?2, ?3, ?4, ?5, ?6) RETURNING id",
            values![self.scope, digest, &self.day, &self.revision, version, unread],
            |row| row.number(0),
        )?;
        let id = id.unwrap_or_default();
        // By whose they are: refuse, fix-first, unchecked, ready, then critical, high, medium.
        let mut tallies: BTreeMap<String, [i64; 7]> = BTreeMap::new();
        let mut count = |setup: Option<&Setup>, at: usize| {
            let (team, _) = answers(setup);
            if let Some(cell) = tallies.entry(team).or_default().get_mut(at) {
                *cell += 1;
            }
        };
        for entry in report.entries.iter().filter(|entry| entry.counts()) {
            if let Some(verdict) = entry.verdict {
                let at = match verdict {
                    Verdict::Refuse => 0,
                    Verdict::FixFirst => 1,
                    Verdict::Unchecked => 2,
                    Verdict::Ready => 3,
                };
                count(self.whose.setup(entry.setup.as_str()), at);
            }
        }
        for finding in report.findings.iter().filter(|finding| finding.waived.is_none()) {
            let at = match finding.severity {
                Severity::Critical => 4,
                Severity::High => 5,
                Severity::Medium => 6,
                Severity::Low | Severity::Note => continue,
            };
            count(self.whose.concerned(finding), at);
        }
        let rows = tallies.iter().map(|(team, counts)| {
            let own = [Value::from(id), Value::from(team)].into_iter();
            own.chain(counts.iter().map(Value::from)).collect()
        });
        self.db.fill("tally", &TALLY, &rows.collect::<Vec<_>>())
    }
}

/// A severity as a number: the larger, the worse.
pub(crate) fn rank(severity: Severity) -> u8 {
    match severity {
        Severity::Note => 0,
        Severity::Low => 1,
        Severity::Medium => 2,
        Severity::High => 3,
        Severity::Critical => 4,
    }
}
