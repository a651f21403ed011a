//! Taking in a report: what is new, what has changed, what is gone since the last one of its scope.

use crate::uses::{Used, of_entry, tools_by_entry};
use crate::{Store, StoreError};
use jiff::civil::Date;
use rusqlite::{OptionalExtension as _, Transaction, TransactionBehavior, params};
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;
use tsuba_core::text::strong_fingerprint;
use tsuba_report::model::{EntryRow, FindingRow, Setup, Text};
use tsuba_report::{Report, launch_line};

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
    db: &'t Transaction<'t>,
    scope: i64,
    day: String,
    /// Is no later report of the scope known? Only then it says what is there now.
    newest: bool,
    /// The day of the next one, where there is one.
    next: Option<String>,
    revision: String,
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
        let transaction = self.0.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let digest = digest(report)?;
        let scope = Scope::of(report);
        let known: Option<i64> =
            transaction.query_row("SELECT id FROM report WHERE digest = ?1", [&digest], |row| row.get(0)).optional()?;
        let entries = report.entries.iter().filter(|entry| entry.counts()).count();
        let mut added = Added { known: known.is_some(), scope: scope.name.clone(), entries, ..Added::default() };
        if added.known {
            return Ok(added);
        }
        let scope = scope.id(&transaction)?;
        let next: Option<String> = transaction.query_row(
            "SELECT min(as_of) FROM report WHERE scope = ?1 AND as_of > ?2",
            params![scope, day],
            |row| row.get(0),
        )?;
        let revision = report.source.as_ref().and_then(|source| source.commit.as_ref());
        let adding = Adding {
            db: &transaction,
            scope,
            day,
            newest: next.is_none(),
            next,
            revision: revision.map(ToString::to_string).unwrap_or_default(),
        };
        adding.report(report, &digest)?;
        let ids = adding.entries(report)?;
        adding.findings(report, &ids, &mut added)?;
        transaction.commit()?;
        Ok(added)
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

/// What a report is of.
struct Scope {
    /// The same for every report of the same.
    key: String,
    name: String,
    repository: String,
    host: String,
    account: String,
}

impl Scope {
    fn of(report: &Report) -> Self {
        let source = report.source.as_ref();
        let text = |text: Option<&Text>| text.map(ToString::to_string).unwrap_or_default();
        let repository = text(source.and_then(|source| source.repository.as_ref()));
        let host = text(source.and_then(|source| source.host.as_ref()));
        let account = text(source.and_then(|source| source.account.as_ref()));
        let root = text(source.and_then(|source| source.root.as_ref()));
        // What was looked at, however it was typed; an older report tells only that.
        let within = source.map(|source| source.within.as_slice()).unwrap_or_default();
        let typed = report.is_older() || (root.is_empty() && repository.is_empty() && within.is_empty());
        let parts = if typed { report.inputs.as_slice() } else { within };
        let mut inputs: Vec<String> = parts.iter().chain(&report.filters).map(ToString::to_string).collect();
        inputs.sort();
        // A repository is the same on every host that has it.
        let (key, name) = if repository.is_empty() {
            let whole = [host.as_str(), &account, &root].into_iter().chain(inputs.iter().map(String::as_str));
            let key = strong_fingerprint(whole);
            let place = if root.is_empty() { inputs.join(", ") } else { root };
            (key, if host.is_empty() { place } else { format!("{host}:{place}") })
        } else {
            let whole = [repository.as_str()].into_iter().chain(inputs.iter().map(String::as_str));
            (strong_fingerprint(whole), repository.clone())
        };
        Self { key, name, repository, host, account }
    }

    fn id(&self, db: &Transaction<'_>) -> Result<i64, StoreError> {
        db.prepare_cached(
            "INSERT INTO scope (key, name, repository, host, account) VALUES (?1, ?2, ?3, ?4, ?5)
             ON CONFLICT (key) DO UPDATE SET host = excluded.host RETURNING id",
        )?
        .query_row(params![self.key, self.name, self.repository, self.host, self.account], |row| row.get(0))
        .map_err(StoreError::from)
    }
}

/// An entry as the store has it.
struct Kept {
    id: i64,
    runs: String,
    fingerprint: String,
    verdict: String,
    decision: String,
    gone: Option<String>,
}

impl Adding<'_> {
    fn report(&self, report: &Report, digest: &str) -> Result<(), StoreError> {
        let id: i64 = self.db.query_row(
            "INSERT INTO report (scope, digest, as_of, revision, version, unread) VALUES (?1, ?2, ?3, ?4, ?5, ?6) RETURNING id",
            params![self.scope, digest, self.day, self.revision, report.tool.version.as_str(), number(report.unread.len())],
            |row| row.get(0),
        )?;
        // By whose they are: refuse, fix-first, unchecked, ready, then critical, high, medium.
        let mut tallies: BTreeMap<String, [i64; 7]> = BTreeMap::new();
        let whose = Whose::of(report);
        let mut count = |setup: Option<&Setup>, at: usize| {
            let team = setup.and_then(Setup::answers).map(ToString::to_string);
            if let Some(cell) = tallies.entry(team.unwrap_or_default()).or_default().get_mut(at) {
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
                count(whose.setup(entry.setup.as_str()), at);
            }
        }
        for finding in report.findings.iter().filter(|finding| finding.waived.is_none()) {
            let at = match finding.severity {
                Severity::Critical => 4,
                Severity::High => 5,
                Severity::Medium => 6,
                Severity::Low | Severity::Note => continue,
            };
            count(whose.concerned(finding), at);
        }
        let mut insert = self.db.prepare_cached("INSERT INTO tally VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)")?;
        for (team, [refuse, fix, unchecked, ready, critical, high, medium]) in &tallies {
            insert.execute(params![id, team, refuse, fix, unchecked, ready, critical, high, medium])?;
        }
        Ok(())
    }

    /// Takes in the entries, and answers what the store calls each of the report's: listings by the first entry whose server it is.
    fn entries(&self, report: &Report) -> Result<BTreeMap<String, i64>, StoreError> {
        let whose = Whose::of(report);
        let listings = tools_by_entry(report);
        let mut ids = BTreeMap::new();
        let mut seen = BTreeSet::new();
        for entry in report.entries.iter().filter(|entry| entry.counts() || entry.document) {
            let setup = whose.setup(entry.setup.as_str());
            let own = listings.get(entry.id.as_str()).map(Vec::as_slice).unwrap_or_default();
            let id = self.entry(entry, setup, &of_entry(entry, own))?;
            ids.insert(entry.id.clone(), id);
            seen.insert(id);
        }
        for entry in &report.entries {
            let owner =
                entry.listing.iter().flat_map(|listing| &listing.of).find_map(|id| ids.get(id.as_str()).copied());
            if let Some(owner) = owner {
                ids.entry(entry.id.clone()).or_insert(owner);
            }
        }
        if self.newest {
            self.gone(&seen)?
        } else {
            self.gone_before(&seen)?
        }
        Ok(ids)
    }

    fn entry(&self, entry: &EntryRow, setup: Option<&Setup>, used: &BTreeSet<Used>) -> Result<i64, StoreError> {
        let kept: Option<Kept> = self
            .db
            .prepare_cached(
                "SELECT id, runs, fingerprint, verdict, decision, gone FROM entry WHERE scope = ?1 AND key = ?2",
            )?
            .query_row(params![self.scope, entry.id], |row| {
                Ok(Kept {
                    id: row.get(0)?,
                    runs: row.get(1)?,
                    fingerprint: row.get(2)?,
                    verdict: row.get(3)?,
                    decision: row.get(4)?,
                    gone: row.get(5)?,
                })
            })
            .optional()?;
        let runs = launch_line(entry);
        let verdict = entry.verdict.map_or("", Verdict::name);
        let decision = entry.decision.as_ref().map(|decision| decision.standing.to_string()).unwrap_or_default();
        let text = |text: Option<&Text>| text.map(ToString::to_string).unwrap_or_default();
        let team = text(setup.and_then(Setup::answers));
        let owner = text(setup.and_then(|setup| setup.owner.as_ref()));
        let place = format!("{}:{}", entry.setup, entry.place.line);
        let kind = if entry.document { "shown" } else { "entry" };
        let Some(kept) = kept else {
            let gone = self.next.as_ref();
            let id: i64 = self.db.prepare_cached(
                "INSERT INTO entry (scope, key, kind, name, place, team, owner, runs, fingerprint, verdict, decision, first_seen, last_seen, gone)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?12, ?13) RETURNING id",
            )?.query_row(
                params![self.scope, entry.id, kind, entry.name.as_str(), place, team, owner, runs, entry.fingerprint, verdict, decision, self.day, gone],
                |row| row.get(0),
            )?;
            self.event(id, &self.day, "first seen", &runs)?;
            if let Some(gone) = gone {
                self.event(id, gone, "gone", "")?;
            }
            self.used(id, used)?;
            if self.newest {
                self.decided(id, entry)?;
            }
            return Ok(id);
        };
        self.db
            .prepare_cached(
                "UPDATE entry SET first_seen = min(first_seen, ?2), last_seen = max(last_seen, ?2) WHERE id = ?1",
            )?
            .execute(params![kept.id, self.day])?;
        if !self.newest {
            return Ok(kept.id);
        }
        if kept.gone.is_some() {
            self.event(kept.id, &self.day, "back", &runs)?;
        }
        if kept.fingerprint != entry.fingerprint {
            let detail = if kept.runs == runs { runs.clone() } else { format!("{} → {runs}", kept.runs) };
            self.event(kept.id, &self.day, "changed", &detail)?;
        }
        for (what, was, is) in [("verdict", &kept.verdict, verdict), ("decision", &kept.decision, decision.as_str())] {
            if was != is {
                let told = |text: &str| if text.is_empty() { "none".to_owned() } else { text.to_owned() };
                self.event(kept.id, &self.day, what, &format!("{} → {}", told(was), told(is)))?;
            }
        }
        self.db
            .prepare_cached(
                "UPDATE entry SET kind = ?2, name = ?3, place = ?4, team = ?5, owner = ?6, runs = ?7, fingerprint = ?8, verdict = ?9,
                 decision = ?10, gone = NULL WHERE id = ?1",
            )?
            .execute(params![kept.id, kind, entry.name.as_str(), place, team, owner, runs, entry.fingerprint, verdict, decision])?;
        self.db.prepare_cached("DELETE FROM used WHERE entry = ?1")?.execute([kept.id])?;
        self.used(kept.id, used)?;
        self.decided(kept.id, entry)?;
        Ok(kept.id)
    }

    /// Notes by which decision an entry stands, as its newest report says.
    fn decided(&self, id: i64, entry: &EntryRow) -> Result<(), StoreError> {
        let decision = entry.decision.as_ref().and_then(|decision| Some((decision, decision.id.as_ref()?)));
        let key = decision.map(|(_, key)| key.as_str()).unwrap_or_default();
        self.db
            .prepare_cached("UPDATE entry SET decided = ?2 WHERE id = ?1 AND decided <> ?2")?
            .execute(params![id, key])?;
        let Some((decision, key)) = decision else { return Ok(()) };
        let text = |text: Option<&Text>| text.map(ToString::to_string).unwrap_or_default();
        let conditions: Vec<&str> = decision.conditions.iter().map(Text::as_str).collect();
        self.db.prepare_cached("INSERT OR REPLACE INTO decision VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)")?.execute(
            params![
                self.scope,
                key,
                text(decision.by.as_ref()),
                decision.on.as_deref().unwrap_or_default(),
                decision.until,
                text(decision.reason.as_ref()),
                conditions.join("; ")
            ],
        )?;
        Ok(())
    }

    fn used(&self, entry: i64, used: &BTreeSet<Used>) -> Result<(), StoreError> {
        let mut insert = self.db.prepare_cached("INSERT OR IGNORE INTO used VALUES (?1, ?2, ?3, ?4, ?5)")?;
        for one in used {
            insert.execute(params![entry, one.kind, one.name, one.version, one.pinned])?;
        }
        Ok(())
    }

    fn event(&self, entry: i64, day: &str, what: &str, detail: &str) -> Result<(), StoreError> {
        self.db
            .prepare_cached("INSERT INTO event (entry, day, what, detail) VALUES (?1, ?2, ?3, ?4)")?
            .execute(params![entry, day, what, detail])?;
        Ok(())
    }

    /// Notes which entries of the scope are not there any more.
    fn gone(&self, seen: &BTreeSet<i64>) -> Result<(), StoreError> {
        let mut all = self.db.prepare_cached("SELECT id FROM entry WHERE scope = ?1 AND gone IS NULL")?;
        let ids: Vec<i64> = all.query_map([self.scope], |row| row.get(0))?.collect::<Result<_, _>>()?;
        for id in ids.iter().filter(|id| !seen.contains(id)) {
            self.db.prepare_cached("UPDATE entry SET gone = ?2 WHERE id = ?1")?.execute(params![id, self.day])?;
            self.event(*id, &self.day, "gone", "")?;
        }
        Ok(())
    }

    /// Of a report between others: what was last seen before it, and is not in it, was gone by then and not only by the next one.
    fn gone_before(&self, seen: &BTreeSet<i64>) -> Result<(), StoreError> {
        let mut all =
            self.db.prepare_cached("SELECT id, gone FROM entry WHERE scope = ?1 AND last_seen < ?2 AND gone > ?2")?;
        let rows = all.query_map(params![self.scope, self.day], |row| Ok((row.get(0)?, row.get(1)?)))?;
        let later: Vec<(i64, String)> = rows.collect::<Result<_, _>>()?;
        for (id, gone) in later.iter().filter(|(id, _)| !seen.contains(id)) {
            self.db.prepare_cached("UPDATE entry SET gone = ?2 WHERE id = ?1")?.execute(params![id, self.day])?;
            self.db
                .prepare_cached("UPDATE event SET day = ?3 WHERE entry = ?1 AND what = 'gone' AND day = ?2")?
                .execute(params![id, gone, self.day])?;
        }
        Ok(())
    }

    fn findings(&self, report: &Report, ids: &BTreeMap<String, i64>, added: &mut Added) -> Result<(), StoreError> {
        let whose = Whose::of(report);
        let mut seen = BTreeSet::new();
        for finding in &report.findings {
            let entry = finding.entry.as_ref().and_then(|id| ids.get(id)).copied();
            let setup = whose.concerned(finding);
            seen.insert(self.finding(finding, entry, setup, added)?);
        }
        // Of a report between others: likewise as for entries.
        let wanted = if self.newest { "closed IS NULL" } else { "last_seen < ?2 AND closed > ?2" };
        let sql = format!("SELECT id FROM finding WHERE scope = ?1 AND ?2 <> '' AND {wanted}");
        let mut all = self.db.prepare_cached(&sql)?;
        let rows = all.query_map(params![self.scope, self.day], |row| row.get(0))?;
        let open: Vec<i64> = rows.collect::<Result<_, _>>()?;
        let mut close = self.db.prepare_cached("UPDATE finding SET closed = ?2, closed_by = ?3 WHERE id = ?1")?;
        for id in open.iter().filter(|id| !seen.contains(id)) {
            close.execute(params![id, self.day, self.revision])?;
            added.closed += usize::from(self.newest);
        }
        Ok(())
    }

    fn finding(
        &self,
        finding: &FindingRow,
        entry: Option<i64>,
        setup: Option<&Setup>,
        added: &mut Added,
    ) -> Result<i64, StoreError> {
        let kept: Option<(i64, Option<String>)> = self
            .db
            .prepare_cached("SELECT id, closed FROM finding WHERE scope = ?1 AND fingerprint = ?2 AND setup = ?3")?
            .query_row(params![self.scope, finding.fingerprint, finding.setup.as_str()], |row| {
                Ok((row.get(0)?, row.get(1)?))
            })
            .optional()?;
        let text = |text: Option<&Text>| text.map(ToString::to_string).unwrap_or_default();
        let team = text(setup.and_then(Setup::answers));
        let owner = text(setup.and_then(|setup| setup.owner.as_ref()));
        let waived = finding.waived.as_ref().map(|waiver| format!("{} until {}", waiver.by, waiver.until));
        let waived = waived.unwrap_or_default();
        let severity = rank(finding.severity);
        let Some((id, closed)) = kept else {
            added.opened += usize::from(self.newest);
            return self.db.prepare_cached(
                "INSERT INTO finding (scope, entry, fingerprint, rule, severity, confidence, setup, line, message, fix, team, owner, first_seen, last_seen, closed, waived)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?13, ?14, ?15) RETURNING id",
            )?.query_row(
                params![self.scope, entry, finding.fingerprint, finding.rule.as_str(), severity, finding.confidence.name(), finding.setup.as_str(),
                    finding.place.line, finding.message.as_str(), finding.fix.as_str(), team, owner, self.day, self.next, waived],
                |row| row.get(0),
            ).map_err(StoreError::from);
        };
        self.db
            .prepare_cached(
                "UPDATE finding SET first_seen = min(first_seen, ?2), last_seen = max(last_seen, ?2) WHERE id = ?1",
            )?
            .execute(params![id, self.day])?;
        if self.newest {
            // Two findings of one report may have the same fingerprint, at two places of a text: closed on this day, it is not.
            let reopened = closed.is_some();
            added.reopened += usize::from(reopened);
            self.db
                .prepare_cached(
                    "UPDATE finding SET entry = ?2, severity = ?3, confidence = ?4, line = ?5, message = ?6, fix = ?7, team = ?8, owner = ?9, waived = ?10,
                     closed = NULL, closed_by = NULL, reopened = reopened + ?11 WHERE id = ?1",
                )?
                .execute(params![id, entry, severity, finding.confidence.name(), finding.place.line, finding.message.as_str(), finding.fix.as_str(),
                    team, owner, waived, reopened])?;
        }
        Ok(id)
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

fn number(count: usize) -> i64 {
    i64::try_from(count).unwrap_or(i64::MAX)
}
