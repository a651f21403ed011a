//! Registers: the decisions as they are written, of many repositories side by side.

use crate::db::{CLEANER, Column, values};
use crate::decided::Elsewhere;
use crate::{DecisionLine, Store, StoreError};
use jiff::civil::Date;
use tsuba_core::register::{Decision, Kind, Register, Scope};

const COLUMNS: [Column; 13] = [
    Column::number("register"),
    Column::text("key"),
    Column::text("kind"),
    Column::text("shown"),
    Column::text("source"),
    Column::text("name"),
    Column::text("version"),
    Column::text("team"),
    Column::text("by"),
    Column::text("day"),
    Column::text("until"),
    Column::text("reason"),
    Column::text("conditions"),
];

/// What a decision is about: as people read it, and by what it is found.
struct About {
    shown: String,
    /// `launch`, `finding`, `host`, or where a package comes from.
    source: String,
    name: String,
    version: String,
}

impl About {
    fn of(decision: &Decision) -> Self {
        let text = |text: &str| text.to_owned();
        let (shown, source, name, version) = match &decision.scope {
            Scope::Entry { setup, entry } => (
                format!("{setup}  {entry}"),
                text("launch"),
                decision.launch.clone().unwrap_or_default(),
                String::new(),
            ),
            Scope::Package { source, package, version } => {
                let version = version.clone().unwrap_or_default();
                let at = if version.is_empty() { String::new() } else { format!("@{version}") };
                (format!("{source} {package}{at}"), source.clone(), package.clone(), version)
            }
            Scope::Host { host } => (format!("host {host}"), text("host"), host.clone(), String::new()),
            Scope::Finding { rule, finding } => {
                let place = decision.place.as_ref().map(|place| format!(" in {}", place.setup)).unwrap_or_default();
                (format!("{rule}{place}"), text("finding"), finding.clone(), String::new())
            }
        };
        Self { shown, source, name, version }
    }
}

/// A decision as a register has it.
pub(crate) struct Registered {
    pub(crate) register: String,
    pub(crate) line: DecisionLine,
    source: String,
    name: String,
    version: String,
    team: String,
}

impl Store {
    /// Takes in a register, in the place of what was known of it: that of a repository by its name, else of a host and folder. Answers how many
    /// decisions it has.
    ///
    /// # Errors
    /// Where the database cannot be written.
    pub fn add_register(&mut self, name: &str, register: &Register) -> Result<usize, StoreError> {
        // A person writes it, so that it may hold anything.
        let clean = |text: &str| CLEANER.clean(text).to_string();
        let name = clean(name);
        let decisions: Vec<&Decision> =
            register.decisions.iter().filter(|decision| decision.kind != Kind::Revoked).collect();
        self.0.whole(|db| {
            let sql = "INSERT INTO register (name) VALUES (?1) ON CONFLICT (name) DO UPDATE SET name = excluded.name RETURNING id";
            let id = db.one(sql, values![&name], |row| row.number(0))?.unwrap_or_default();
            db.run("DELETE FROM registered WHERE register = ?1", values![id])?;
            let rows = decisions.iter().map(|decision| {
                let about = About::of(decision);
                let conditions: Vec<String> = decision.conditions.iter().map(|one| clean(one)).collect();
                values![
                    id,
                    decision.id(),
                    decision.kind.name(),
                    clean(&about.shown),
                    clean(&about.source),
                    clean(&about.name),
                    clean(&about.version),
                    decision.team.as_deref().map(clean).unwrap_or_default(),
                    clean(&decision.by),
                    decision.on.to_string(),
                    decision.until.map(|until| until.to_string()),
                    clean(&decision.reason),
                    conditions.join("; "),
                ]
                .to_vec()
            });
            db.fill("registered", &COLUMNS, &rows.collect::<Vec<_>>())
        })?;
        Ok(decisions.len())
    }

    /// The decisions of all registers.
    pub(crate) fn registered(&self, until: Option<&str>, today: Date) -> Result<Vec<Registered>, StoreError> {
        let select = "SELECT r.name, d.key, d.kind, d.shown, d.source, d.name, d.version, d.team, d.by, d.day, d.until, d.reason, d.conditions
             FROM registered d JOIN register r ON r.id = d.register WHERE CAST(?1 AS TEXT) IS NULL OR d.until <= ?1
             ORDER BY d.key, d.by, d.day, r.name";
        let today = today.to_string();
        self.0.rows(select, values![until], |row| {
            let until = row.maybe(10)?;
            let is_over = until.as_ref().is_some_and(|until| *until < today);
            let line = DecisionLine {
                id: row.text(1)?,
                reported: false,
                scopes: vec![row.text(0)?],
                standing: if is_over { "expired".to_owned() } else { row.text(2)? },
                entries: vec![row.text(3)?],
                lapsed: usize::from(is_over),
                by: row.text(8)?,
                on: row.text(9)?,
                until,
                reason: row.text(11)?,
                conditions: row.text(12)?,
                elsewhere: Vec::new(),
            };
            let (source, name, version) = (row.raw(4)?, row.raw(5)?, row.raw(6)?);
            Ok(Registered { register: row.text(0)?, line, source, name, version, team: row.raw(7)? })
        })
    }

    /// The entries that it is about, or would be, and on which nobody has decided.
    pub(crate) fn undecided(&self, one: &Registered) -> Result<Vec<Elsewhere>, StoreError> {
        let mut found = match one.source.as_str() {
            // A refusal need not say what was started.
            _ if one.name.is_empty() => Vec::new(),
            "launch" => self.elsewhere(&one.name)?,
            "finding" => self.entries_where(
                "e.id IN (SELECT entry FROM finding WHERE fingerprint = ?1 AND closed IS NULL AND waived = '')",
                values![&one.name],
            )?,
            kind => self.entries_where(
                "e.decided = '' AND e.id IN (SELECT entry FROM used WHERE kind = ?1 AND lower(name) = ?2 AND (?3 = '' OR version = ?3))",
                values![kind, one.name.to_ascii_lowercase(), &one.version],
            )?,
        };
        // A decision for one team says nothing of what others answer for.
        found.retain(|entry| one.team.is_empty() || entry.owner == one.team);
        Ok(found)
    }
}
