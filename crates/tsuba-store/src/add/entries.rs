//! The entries of a report beside those that the store has of its scope.

use super::{Adding, Record, answers, said};
use crate::StoreError;
use crate::db::{Column, Row, Value, names, values};
use crate::uses::{Used, of_entry, tools_by_entry};
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::judge::Verdict;
use tsuba_report::model::{EntryRow, Text};
use tsuba_report::{Report, launch_line};

/// An entry as the store has it.
#[derive(Clone, Debug, PartialEq, Eq)]
struct EntryRecord {
    kind: String,
    name: String,
    place: String,
    team: String,
    owner: String,
    runs: String,
    fingerprint: String,
    verdict: String,
    decision: String,
    decided: String,
    first_seen: String,
    last_seen: String,
    gone: Option<String>,
}

/// What a new one has besides.
const NEW: [Column; 2] = [Column::number("scope"), Column::text("key")];

const USED: [Column; 5] = [
    Column::number("entry"),
    Column::text("kind"),
    Column::text("name"),
    Column::text("version"),
    Column::number("pinned"),
];

const EVENT: [Column; 4] = [Column::number("entry"), Column::text("day"), Column::text("what"), Column::text("detail")];

const DECISION: [Column; 7] = [
    Column::number("scope"),
    Column::text("key"),
    Column::text("by"),
    Column::text("day"),
    Column::text("until"),
    Column::text("reason"),
    Column::text("conditions"),
];

impl EntryRecord {
    /// From a row whose fields begin at `first`.
    fn of(row: &Row<'_>, first: usize) -> Result<Self, StoreError> {
        let at = |field: usize| row.raw(first + field);
        Ok(Self {
            kind: at(0)?,
            name: at(1)?,
            place: at(2)?,
            team: at(3)?,
            owner: at(4)?,
            runs: at(5)?,
            fingerprint: at(6)?,
            verdict: at(7)?,
            decision: at(8)?,
            decided: at(9)?,
            first_seen: at(10)?,
            last_seen: at(11)?,
            gone: row.raw_if_any(first + 12)?,
        })
    }
}

impl Record for EntryRecord {
    const COLUMNS: &'static [Column] = &[
        Column::number("id"),
        Column::text("kind"),
        Column::text("name"),
        Column::text("place"),
        Column::text("team"),
        Column::text("owner"),
        Column::text("runs"),
        Column::text("fingerprint"),
        Column::text("verdict"),
        Column::text("decision"),
        Column::text("decided"),
        Column::text("first_seen"),
        Column::text("last_seen"),
        Column::text("gone"),
    ];

    fn values(&self, id: i64) -> Vec<Value<'_>> {
        let Self { kind, name, place, team, owner, runs, fingerprint, verdict, decision, .. } = self;
        let texts = [kind, name, place, team, owner, runs, fingerprint, verdict, decision, &self.decided];
        let days = [&self.first_seen, &self.last_seen];
        let all = [Value::from(id)].into_iter().chain(texts.into_iter().chain(days).map(Value::from));
        all.chain([Value::from(self.gone.as_ref())]).collect()
    }
}

/// An entry of the scope: as it was, as it is, and what it uses.
struct Kept {
    id: i64,
    was: Option<EntryRecord>,
    is: EntryRecord,
    used_before: BTreeSet<Used>,
    used: BTreeSet<Used>,
    seen: bool,
}

/// What happened to the entries of a scope, and which decisions there are.
#[derive(Default)]
struct Noted {
    events: Vec<(i64, String, &'static str, String)>,
    decisions: BTreeMap<String, Vec<Value<'static>>>,
}

impl Noted {
    fn event(&mut self, entry: i64, day: &str, what: &'static str, detail: &str) {
        self.events.push((entry, day.to_owned(), what, detail.to_owned()));
    }
}

impl Adding<'_> {
    /// Takes in the entries, and answers what the store calls each of the report's: listings by the first entry whose server it is.
    pub(super) fn entries(&self, report: &Report) -> Result<BTreeMap<String, i64>, StoreError> {
        let mut kept = self.kept()?;
        let listings = tools_by_entry(report);
        let wanted = || report.entries.iter().filter(|entry| entry.counts() || entry.document);
        let new: BTreeSet<&str> =
            wanted().map(|entry| entry.id.as_str()).filter(|key| !kept.contains_key(*key)).collect();
        let mut fresh = self.db.reserve("entry", new.len())?.into_iter();
        let mut ids = BTreeMap::new();
        let mut noted = Noted::default();
        for entry in wanted() {
            let own = listings.get(entry.id.as_str()).map(Vec::as_slice).unwrap_or_default();
            let used = of_entry(entry, own);
            match kept.get_mut(&entry.id) {
                Some(known) => self.again(known, entry, used, &mut noted),
                None => {
                    let id = fresh.next().unwrap_or_default();
                    kept.insert(entry.id.clone(), self.first(id, entry, used, &mut noted));
                }
            }
            ids.extend(kept.get(&entry.id).map(|kept| (entry.id.clone(), kept.id)));
        }
        for entry in &report.entries {
            let owner =
                entry.listing.iter().flat_map(|listing| &listing.of).find_map(|id| ids.get(id.as_str()).copied());
            if let Some(owner) = owner {
                ids.entry(entry.id.clone()).or_insert(owner);
            }
        }
        for entry in kept.values_mut().filter(|entry| !entry.seen) {
            self.missing(entry, &mut noted)?;
        }
        self.write(&kept, &noted)?;
        Ok(ids)
    }

    /// The entries that the store has of the scope, by their keys.
    fn kept(&self) -> Result<BTreeMap<String, Kept>, StoreError> {
        let mut used: BTreeMap<i64, BTreeSet<Used>> = BTreeMap::new();
        self.db.each(
            "SELECT u.entry, u.kind, u.name, u.version, u.pinned FROM used u JOIN entry e ON e.id = u.entry WHERE e.scope = ?1",
            values![self.scope],
            |row| {
                let one = Used { kind: row.raw(1)?, name: row.raw(2)?, version: row.raw(3)?, pinned: row.flag(4)? };
                used.entry(row.number(0)?).or_default().insert(one);
                Ok(())
            },
        )?;
        let sql = format!("SELECT key, {} FROM entry WHERE scope = ?1", names(EntryRecord::COLUMNS));
        let rows = self
            .db
            .rows(&sql, values![self.scope], |row| Ok((row.raw(0)?, row.number(1)?, EntryRecord::of(row, 2)?)))?;
        let of = |(key, id, record): (String, i64, EntryRecord)| {
            let used = used.remove(&id).unwrap_or_default();
            let was = Some(record.clone());
            (key, Kept { id, was, is: record, used_before: used.clone(), used, seen: false })
        };
        Ok(rows.into_iter().map(of).collect())
    }

    /// An entry as this report has it.
    fn record(&self, entry: &EntryRow) -> EntryRecord {
        let (team, owner) = answers(self.whose.setup(entry.setup.as_str()));
        let decision = entry.decision.as_ref();
        EntryRecord {
            kind: if entry.document { "shown" } else { "entry" }.to_owned(),
            name: entry.name.to_string(),
            place: format!("{}:{}", entry.setup, entry.place.line),
            team,
            owner,
            runs: launch_line(entry),
            fingerprint: entry.fingerprint.clone(),
            verdict: entry.verdict.map_or("", Verdict::name).to_owned(),
            decision: decision.map(|decision| decision.standing.to_string()).unwrap_or_default(),
            decided: String::new(),
            first_seen: self.day.clone(),
            last_seen: self.day.clone(),
            gone: None,
        }
    }

    /// An entry that the store does not have.
    fn first(&self, id: i64, entry: &EntryRow, used: BTreeSet<Used>, noted: &mut Noted) -> Kept {
        let mut is = EntryRecord { gone: self.next.clone(), ..self.record(entry) };
        noted.event(id, &self.day, "first seen", &is.runs);
        if let Some(gone) = &self.next {
            noted.event(id, gone, "gone", "");
        }
        if self.newest {
            is.decided = self.decided(entry, noted);
        }
        Kept { id, was: None, is, used_before: BTreeSet::new(), used, seen: true }
    }

    /// An entry that the store has.
    fn again(&self, kept: &mut Kept, entry: &EntryRow, used: BTreeSet<Used>, noted: &mut Noted) {
        kept.seen = true;
        let (first_seen, last_seen) =
            (kept.is.first_seen.clone().min(self.day.clone()), kept.is.last_seen.clone().max(self.day.clone()));
        if !self.newest {
            (kept.is.first_seen, kept.is.last_seen) = (first_seen, last_seen);
            return;
        }
        let (id, was) = (kept.id, &kept.is);
        let mut is = EntryRecord { first_seen, last_seen, ..self.record(entry) };
        if was.gone.is_some() {
            noted.event(id, &self.day, "back", &is.runs);
        }
        if was.fingerprint != is.fingerprint {
            let same = was.runs == is.runs;
            let detail = if same { is.runs.clone() } else { format!("{} → {}", was.runs, is.runs) };
            noted.event(id, &self.day, "changed", &detail);
        }
        for (what, was, is) in [("verdict", &was.verdict, &is.verdict), ("decision", &was.decision, &is.decision)] {
            if was != is {
                let told = |text: &str| if text.is_empty() { "none".to_owned() } else { text.to_owned() };
                noted.event(id, &self.day, what, &format!("{} → {}", told(was), told(is)));
            }
        }
        is.decided = self.decided(entry, noted);
        (kept.is, kept.used) = (is, used);
    }

    /// An entry that this report does not have.
    fn missing(&self, kept: &mut Kept, noted: &mut Noted) -> Result<(), StoreError> {
        if self.newest {
            if kept.is.gone.is_none() {
                noted.event(kept.id, &self.day, "gone", "");
                kept.is.gone = Some(self.day.clone());
            }
            return Ok(());
        }
        // Of a report between others: what was last seen before it, and is not in it, was gone by then and not only by the next one.
        let Some(gone) = kept.is.gone.clone().filter(|gone| kept.is.last_seen < self.day && *gone > self.day) else {
            return Ok(());
        };
        kept.is.gone = Some(self.day.clone());
        self.db.run(
            "UPDATE event SET day = ?3 WHERE entry = ?1 AND what = 'gone' AND day = ?2",
            values![kept.id, &gone, &self.day],
        )?;
        Ok(())
    }

    /// Notes by which decision an entry stands, and answers its name.
    fn decided(&self, entry: &EntryRow, noted: &mut Noted) -> String {
        let decision = entry.decision.as_ref().and_then(|decision| Some((decision, decision.id.as_ref()?)));
        let Some((decision, key)) = decision else { return String::new() };
        let conditions: Vec<&str> = decision.conditions.iter().map(Text::as_str).collect();
        let row = vec![
            Value::from(self.scope),
            Value::from(key.clone()),
            Value::from(said(decision.by.as_ref())),
            Value::from(decision.on.clone().unwrap_or_default()),
            Value::from(decision.until.clone()),
            Value::from(said(decision.reason.as_ref())),
            Value::from(conditions.join("; ")),
        ];
        noted.decisions.insert(key.clone(), row);
        key.clone()
    }

    /// Writes what is new or different.
    fn write(&self, kept: &BTreeMap<String, Kept>, noted: &Noted) -> Result<(), StoreError> {
        let new = kept.iter().filter(|(_, entry)| entry.was.is_none()).map(|(key, entry)| {
            let own = entry.is.values(entry.id).into_iter();
            own.chain([Value::from(self.scope), Value::from(key)]).collect()
        });
        let columns: Vec<Column> = EntryRecord::COLUMNS.iter().copied().chain(NEW).collect();
        self.db.fill("entry", &columns, &new.collect::<Vec<_>>())?;
        let known = kept.values().filter_map(|entry| Some((entry.id, entry.was.as_ref()?, &entry.is)));
        self.rewrite("entry", known)?;
        let others = || kept.values().filter(|entry| entry.used != entry.used_before);
        let old: Vec<i64> = others().filter(|entry| !entry.used_before.is_empty()).map(|entry| entry.id).collect();
        self.db.take_out("used", "entry", &old)?;
        let uses = others().flat_map(|entry| {
            // Names are compared without case.
            let mut seen = BTreeSet::new();
            let each = entry
                .used
                .iter()
                .filter(move |one| seen.insert((&one.kind, one.name.to_ascii_lowercase(), &one.version)));
            each.map(|one| values![entry.id, &one.kind, &one.name, &one.version, one.pinned].to_vec())
        });
        self.db.fill("used", &USED, &uses.collect::<Vec<_>>())?;
        let events = noted.events.iter().map(|(entry, day, what, detail)| values![entry, day, *what, detail].to_vec());
        self.db.fill("event", &EVENT, &events.collect::<Vec<_>>())?;
        for key in noted.decisions.keys() {
            self.db.run("DELETE FROM decision WHERE scope = ?1 AND key = ?2", values![self.scope, key])?;
        }
        self.db.fill("decision", &DECISION, &noted.decisions.values().cloned().collect::<Vec<_>>())
    }
}
