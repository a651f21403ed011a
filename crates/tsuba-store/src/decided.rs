//! The decisions of a company's registers, as its reports have them: what each holds for, and where it would hold if it were taken there, too.

use crate::db::{Value, values};
use crate::{Store, StoreError};
use jiff::civil::Date;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// A decision.
#[derive(Clone, Debug, Serialize)]
pub struct DecisionLine {
    /// Its name in the register.
    pub id: String,
    /// Do reports say that entries stand by it? Else only a register has it.
    pub reported: bool,
    /// The repositories, or hosts and folders, whose register has it.
    pub scopes: Vec<String>,
    /// Where the entries stand that it is about: `approved`, `changed`, `expired` or `refused`; the worst. Of what only a register has,
    /// `approved`, `refused`, `waived` or `expired`.
    pub standing: String,
    /// The entries that it is about, by name; of what only a register has, what it says itself.
    pub entries: Vec<String>,
    /// Those of them that it does not hold for any more.
    pub lapsed: usize,
    /// Who decided.
    pub by: String,
    /// When.
    pub on: String,
    /// The last day on which it holds.
    pub until: Option<String>,
    /// The reason that was given.
    pub reason: String,
    /// The conditions.
    pub conditions: String,
    /// Entries that start just the same, mostly elsewhere, and on which nobody has decided.
    pub elsewhere: Vec<Elsewhere>,
}

/// An entry that starts the same somewhere else.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct Elsewhere {
    /// The repository, or host and folder.
    pub scope: String,
    /// File and line.
    pub place: String,
    /// Its name there.
    pub name: String,
    /// Who answers for it: a team, else an account.
    pub owner: String,
    /// Its verdict.
    pub verdict: String,
    /// Its id, as reports have it.
    pub id: String,
}

/// More entries are not listed for one decision.
const MAX_ELSEWHERE: i64 = 1000;

/// How bad it is where an entry stands so.
fn rank(standing: &str) -> u8 {
    match standing {
        "approved" => 0,
        "expired" => 1,
        "changed" => 2,
        _ => 3,
    }
}

impl Store {
    /// The decisions that entries stand by today, and those of registers: what no longer holds for all that it is about first, then by what ends
    /// first. With `until`, those alone that end by that day.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn decisions(&self, until: Option<&str>, today: Date) -> Result<Vec<DecisionLine>, StoreError> {
        let select =
            "SELECT d.key, s.name, d.by, d.day, d.until, d.reason, d.conditions, e.name, e.decision, e.fingerprint
             FROM decision d JOIN scope s ON s.id = d.scope JOIN entry e ON e.scope = d.scope AND e.decided = d.key AND e.decided <> ''
             WHERE e.gone IS NULL AND (CAST(?1 AS TEXT) IS NULL OR d.until <= ?1) ORDER BY d.key, d.by, d.day, s.name, e.place, e.name";
        let mut out: Vec<(BTreeSet<String>, DecisionLine)> = Vec::new();
        self.0.each(select, values![until], |row| {
            let (id, by, on) = (row.text(0)?, row.text(2)?, row.text(3)?);
            // A register may be that of many repositories.
            let same = |line: &DecisionLine| (&line.id, &line.by, &line.on) == (&id, &by, &on);
            if out.last().is_none_or(|(_, line)| !same(line)) {
                let line = DecisionLine {
                    id,
                    reported: true,
                    scopes: Vec::new(),
                    standing: row.text(8)?,
                    entries: Vec::new(),
                    lapsed: 0,
                    by,
                    on,
                    until: row.maybe(4)?,
                    reason: row.text(5)?,
                    conditions: row.text(6)?,
                    elsewhere: Vec::new(),
                };
                out.push((BTreeSet::new(), line));
            }
            let Some((prints, line)) = out.last_mut() else { return Ok(()) };
            let (scope, standing) = (row.text(1)?, row.text(8)?);
            if line.scopes.last() != Some(&scope) {
                line.scopes.push(scope);
            }
            line.entries.push(row.text(7)?);
            line.lapsed += usize::from(matches!(standing.as_str(), "changed" | "expired"));
            // What it was taken on, and not what that has become.
            if matches!(standing.as_str(), "approved" | "refused") {
                prints.insert(row.raw(9)?);
            }
            if rank(&standing) > rank(&line.standing) {
                line.standing = standing;
            }
            Ok(())
        })?;
        for (prints, line) in &mut out {
            for print in prints.iter() {
                line.elsewhere.extend(self.elsewhere(print)?);
            }
            line.elsewhere.sort();
        }
        let mut out: Vec<DecisionLine> = out.into_iter().map(|(_, line)| line).collect();
        let name = |line: &DecisionLine| (line.id.clone(), line.by.clone(), line.on.clone());
        let mut known: BTreeMap<_, usize> = out.iter().enumerate().map(|(at, line)| (name(line), at)).collect();
        for one in self.registered(until, today)? {
            let undecided = self.undecided(&one)?;
            let at = *known.entry(name(&one.line)).or_insert_with(|| {
                out.push(one.line.clone());
                out.len() - 1
            });
            let Some(line) = out.get_mut(at) else { continue };
            if !line.scopes.contains(&one.register) {
                line.scopes.push(one.register.clone());
            }
            line.elsewhere.extend(undecided);
            line.elsewhere.sort();
            line.elsewhere.dedup();
        }
        out.sort_by(|a, b| {
            let ends = |line: &DecisionLine| line.until.clone().unwrap_or_else(|| "9999".to_owned());
            (a.lapsed == 0, ends(a)).cmp(&(b.lapsed == 0, ends(b)))
        });
        Ok(out)
    }

    pub(crate) fn elsewhere(&self, print: &str) -> Result<Vec<Elsewhere>, StoreError> {
        self.entries_where("e.fingerprint = ?1 AND e.decided = ''", values![print])
    }

    /// The entries that are there and fit.
    pub(crate) fn entries_where(&self, condition: &str, values: &[Value<'_>]) -> Result<Vec<Elsewhere>, StoreError> {
        let select = format!(
            "SELECT s.name, e.place, e.name, CASE e.team WHEN '' THEN e.owner ELSE e.team END, e.verdict, e.key
             FROM entry e JOIN scope s ON s.id = e.scope
             WHERE e.kind = 'entry' AND e.gone IS NULL AND {condition} LIMIT {MAX_ELSEWHERE}"
        );
        self.0.rows(&select, values, |row| {
            Ok(Elsewhere {
                scope: row.text(0)?,
                place: row.text(1)?,
                name: row.text(2)?,
                owner: row.text(3)?,
                verdict: row.text(4)?,
                id: row.text(5)?,
            })
        })
    }
}
