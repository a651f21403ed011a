//! Where something is used: a package (with a range of versions), an image, a host, a tool, a credential, a server, a rule.

use crate::db::{Row, Value, values};
use crate::{Store, StoreError};
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

/// So many are told of a name; where a part of names is looked for, no further name is looked up after that.
pub const MAX_USES: usize = 100_000;
/// So many names are looked up in which a text stands.
const MAX_NAMES: usize = 1000;
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
        // As the database does it: letters of other scripts are compared as they are.
        let plain = name.to_ascii_lowercase();
        let mut found = self.uses("lower(u.name) = ?1", values![&plain])?;
        found.extend(self.named("lower(e.name) = ?1", &plain)?);
        found.extend(self.named("e.key = ?1", name)?);
        found.extend(self.broken(name)?);
        if found.is_empty() {
            // Up to the last text that begins so.
            let last = format!("{plain}\u{10ffff}");
            found = self.uses("lower(u.name) >= ?1 AND lower(u.name) < ?2", values![&plain, &last])?;
        }
        if found.is_empty() {
            let within = anywhere(&plain);
            for name in self.names_like("used", &within)? {
                if found.len() < MAX_USES {
                    found.extend(self.uses("lower(u.name) = ?1", values![&name])?);
                }
            }
            for name in self.names_like("entry", &within)? {
                if found.len() < MAX_USES {
                    found.extend(self.named("lower(e.name) = ?1", &name)?);
                }
            }
        }
        found.retain(|one| (gone || one.gone.is_none()) && wanted.takes(&one.version, one.pinned));
        found.sort_by(|a, b| (&a.what, &a.scope, &a.place, &a.kind).cmp(&(&b.what, &b.scope, &b.place, &b.kind)));
        found.dedup();
        Ok(found)
    }

    /// The names in a table that are like a pattern. A company has a million uses of some thousand names: its index is gone through from one
    /// name to the next, and what lies between them is not read.
    fn names_like(&self, table: &str, pattern: &str) -> Result<Vec<String>, StoreError> {
        let next = |than: &str| {
            format!("(SELECT lower(name) FROM {table} WHERE lower(name) > {than} ORDER BY lower(name) LIMIT 1)")
        };
        let sql = format!(
            "WITH RECURSIVE each (name) AS (SELECT {} UNION ALL SELECT {} FROM each WHERE each.name IS NOT NULL)
             SELECT name FROM each WHERE name LIKE ?1 ESCAPE '!' LIMIT {MAX_NAMES}",
            next("''"),
            next("each.name"),
        );
        self.0.rows(&sql, values![pattern], |row| row.raw(0))
    }

    fn uses(&self, condition: &str, values: &[Value<'_>]) -> Result<Vec<Use>, StoreError> {
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
        self.rows(&sql, values![name])
    }

    /// Entries that break a rule.
    fn broken(&self, rule: &str) -> Result<Vec<Use>, StoreError> {
        let Some(rule) = tsuba_core::rules::find(rule) else { return Ok(Vec::new()) };
        let sql = format!(
            "SELECT DISTINCT 'rule', f.rule, '', 1, {FIELDS} FROM finding f JOIN entry e ON e.id = f.entry JOIN scope s ON s.id = e.scope
             WHERE f.rule = ?1 AND f.closed IS NULL LIMIT {MAX_USES}"
        );
        self.rows(&sql, values![rule.id])
    }

    fn rows(&self, sql: &str, values: &[Value<'_>]) -> Result<Vec<Use>, StoreError> {
        self.0.rows(sql, values, of_row)
    }

    /// Is there anything in it?
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn is_empty(&self) -> Result<bool, StoreError> {
        Ok(self.0.one("SELECT 1 FROM report LIMIT 1", values![], |_| Ok(()))?.is_none())
    }
}

/// A pattern for what stands anywhere in a text.
fn anywhere(text: &str) -> String {
    let mut out = "%".to_owned();
    for c in text.chars() {
        if matches!(c, '%' | '_' | '!') {
            out.push('!');
        }
        out.push(c);
    }
    out + "%"
}

fn of_row(row: &Row<'_>) -> Result<Use, StoreError> {
    let kind = row.raw(6)?;
    Ok(Use {
        kind: row.text(0)?,
        what: row.text(1)?,
        version: row.text(2)?,
        pinned: row.flag(3)?,
        id: row.text(4)?,
        entry: row.text(5)?,
        shown: kind == "shown",
        scope: row.text(7)?,
        place: row.text(8)?,
        team: row.text(9)?,
        owner: row.text(10)?,
        verdict: row.text(11)?,
        first_seen: row.text(12)?,
        last_seen: row.text(13)?,
        gone: row.maybe(14)?,
    })
}

#[cfg(test)]
mod tests {
    use super::{Wanted, anywhere};

    #[test]
    fn signs_of_a_pattern_are_signs_of_a_name() {
        for (text, want) in [("tide", "%tide%"), ("100%", "%100!%%"), ("a_b!", "%a!_b!!%"), ("", "%%")] {
            assert_eq!(anywhere(text), want);
        }
    }

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
