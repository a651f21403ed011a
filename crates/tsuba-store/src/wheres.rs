//! Where something is used: a package (with a range of versions), an image, a host, a tool, a credential, a server, a rule.

use crate::{Store, StoreError, maybe, text};
use rusqlite::{Row, params};
use serde::Serialize;

/// What is looked for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Wanted {
    name: String,
    range: Option<String>,
}

/// An entry that uses it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Use {
    /// As what: `npm`, `image`, `host`, `tool`, `credential`, `server`, `rule`, …
    pub kind: String,
    /// What it is called there.
    pub what: String,
    /// The version that is asked for; empty where nothing is said.
    pub version: String,
    /// Is it this version and no other?
    pub pinned: bool,
    /// The entry's id, as reports have it.
    pub id: String,
    /// Its name.
    pub entry: String,
    /// Is it only shown in a text?
    pub shown: bool,
    /// The repository, or host and folder.
    pub scope: String,
    /// File and line.
    pub place: String,
    /// Who answers for it.
    pub team: String,
    /// Whose account owns the file.
    pub owner: String,
    /// The verdict of the newest report.
    pub verdict: String,
    /// The first report that has it.
    pub first_seen: String,
    /// The last one.
    pub last_seen: String,
    /// Since when it is not there any more.
    pub gone: Option<String>,
}

/// So many are told.
const MAX_USES: usize = 100_000;
/// A version may stand in this range, for all that is known.
const OPEN: bool = true;

const FIELDS: &str =
    "e.key, e.name, e.kind, s.name, e.place, e.team, e.owner, e.verdict, e.first_seen, e.last_seen, e.gone";

impl Wanted {
    /// Reads `NAME` or `NAME@RANGE`: `tide-table`, `@saltmarsh/tide-table@<2.4.2`, `saltmarsh/quay@1.4`.
    pub fn of(text: &str) -> Self {
        let text = text.trim();
        // A scope begins with the same sign.
        let cut = text.rfind('@').filter(|at| *at > 0);
        let parts = cut.map(|at| (text.split_at(at).0, text.get(at + 1..).unwrap_or_default()));
        match parts.filter(|(_, range)| range.starts_with(|c: char| c.is_ascii_digit() || "<>=^~*v".contains(c))) {
            Some((name, range)) => Self { name: name.to_owned(), range: Some(range.trim().to_owned()) },
            None => Self { name: text.to_owned(), range: None },
        }
    }

    /// May a version be meant? One that is not fixed may become any.
    fn takes(&self, version: &str, pinned: bool) -> bool {
        let Some(range) = &self.range else { return OPEN };
        if version == range || !pinned {
            return true;
        }
        let version = version.trim_start_matches('v');
        let by_semver = || {
            let version = semver::Version::parse(version).ok()?;
            Some(semver::VersionReq::parse(&commas(range)).ok()?.matches(&version))
        };
        let by_pep440 = || {
            let version: pep440_rs::Version = version.parse().ok()?;
            let bare = range.starts_with(|c: char| c.is_ascii_digit());
            let range = if bare { format!("=={range}") } else { commas(range) };
            let range: pep440_rs::VersionSpecifiers = range.parse().ok()?;
            Some(range.contains(&version))
        };
        by_semver().or_else(by_pep440).unwrap_or(OPEN)
    }
}

/// `>=1 <2` as `>=1, <2`.
fn commas(range: &str) -> String {
    range.split([' ', ',']).filter(|part| !part.is_empty()).collect::<Vec<_>>().join(", ")
}

impl Store {
    /// Who uses something, by its name: exactly so, else all names that begin so, else (slowly) all in which it stands. `gone` includes what is
    /// not there any more.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn who_uses(&self, wanted: &Wanted, gone: bool) -> Result<Vec<Use>, StoreError> {
        let name = wanted.name.as_str();
        if name.is_empty() {
            return Ok(Vec::new());
        }
        let mut found = self.uses("u.name = ?1", &[name])?;
        found.extend(self.named("e.name = ?1 COLLATE NOCASE", name)?);
        found.extend(self.named("e.key = ?1", name)?);
        found.extend(self.broken(name)?);
        if found.is_empty() {
            // Up to the last text that begins so; names are compared without case there, too.
            let last = format!("{name}\u{10ffff}");
            found = self.uses("u.name >= ?1 AND u.name < ?2", &[name, &last])?;
        }
        if found.is_empty() {
            found = self.uses("instr(lower(u.name), lower(?1)) > 0", &[name])?;
            found.extend(self.named("instr(lower(e.name), lower(?1)) > 0", name)?);
        }
        found.retain(|one| (gone || one.gone.is_none()) && wanted.takes(&one.version, one.pinned));
        found.sort_by(|a, b| (&a.what, &a.scope, &a.place, &a.kind).cmp(&(&b.what, &b.scope, &b.place, &b.kind)));
        found.dedup();
        Ok(found)
    }

    fn uses(&self, condition: &str, values: &[&str]) -> Result<Vec<Use>, StoreError> {
        let sql = format!(
            "SELECT u.kind, u.name, u.version, u.pinned, {FIELDS} FROM used u JOIN entry e ON e.id = u.entry
             JOIN scope s ON s.id = e.scope WHERE {condition} LIMIT {MAX_USES}"
        );
        self.rows(&sql, values)
    }

    /// Servers by the names of their entries.
    fn named(&self, condition: &str, name: &str) -> Result<Vec<Use>, StoreError> {
        let sql = format!(
            "SELECT 'server', e.name, '', 1, {FIELDS} FROM entry e JOIN scope s ON s.id = e.scope WHERE {condition} LIMIT {MAX_USES}"
        );
        self.rows(&sql, &[name])
    }

    /// Entries that break a rule.
    fn broken(&self, rule: &str) -> Result<Vec<Use>, StoreError> {
        let Some(rule) = tsuba_core::rules::find(rule) else { return Ok(Vec::new()) };
        let sql = format!(
            "SELECT DISTINCT 'rule', f.rule, '', 1, {FIELDS} FROM finding f JOIN entry e ON e.id = f.entry JOIN scope s ON s.id = e.scope
             WHERE f.rule = ?1 AND f.closed IS NULL LIMIT {MAX_USES}"
        );
        self.rows(&sql, &[rule.id])
    }

    fn rows(&self, sql: &str, values: &[&str]) -> Result<Vec<Use>, StoreError> {
        let mut select = self.0.prepare_cached(sql)?;
        let rows = select.query_map(rusqlite::params_from_iter(values), of_row)?;
        rows.collect::<Result<_, _>>().map_err(StoreError::from)
    }

    /// Is there anything in it?
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn is_empty(&self) -> Result<bool, StoreError> {
        Ok(self.0.query_row("SELECT NOT EXISTS (SELECT 1 FROM report)", params![], |row| row.get(0))?)
    }
}

fn of_row(row: &Row<'_>) -> rusqlite::Result<Use> {
    let kind: String = row.get(6)?;
    Ok(Use {
        kind: text(row, 0)?,
        what: text(row, 1)?,
        version: text(row, 2)?,
        pinned: row.get(3)?,
        id: text(row, 4)?,
        entry: text(row, 5)?,
        shown: kind == "shown",
        scope: text(row, 7)?,
        place: text(row, 8)?,
        team: text(row, 9)?,
        owner: text(row, 10)?,
        verdict: text(row, 11)?,
        first_seen: text(row, 12)?,
        last_seen: text(row, 13)?,
        gone: maybe(row, 14)?,
    })
}

#[cfg(test)]
mod tests {
    use super::Wanted;

    #[test]
    fn versions_stand_in_ranges() {
        for (text, version, pinned, want) in [
            ("tide", "1.0.0", true, true),
            ("@saltmarsh/tide", "1.0.0", true, true),
            ("@saltmarsh/tide@<2.4.2", "2.4.1", true, true),
            ("@saltmarsh/tide@<2.4.2", "2.4.2", true, false),
            ("@saltmarsh/tide@>=1 <2", "1.9.0", true, true),
            ("@saltmarsh/tide@>=1 <2", "2.0.0", true, false),
            ("tide@1.2", "1.2.7", true, true),
            ("crew@<1.4", "1.3", true, true),
            ("crew@<1.4", "1.4.post1", true, false),
            // What is not fixed may become any version.
            ("tide@<2.4.2", "latest", false, true),
            ("tide@<2.4.2", "", false, true),
            // A tag is what it is.
            ("quay@1.4-slim", "1.4-slim", true, true),
        ] {
            assert_eq!(Wanted::of(text).takes(version, pinned), want, "{text} {version}");
        }
        assert_eq!(Wanted::of("ines@saltmarsh.example").name, "ines@saltmarsh.example");
    }
}
