//! The tables, and how an older store becomes one of today.

use crate::StoreError;
use rusqlite::{Connection, TransactionBehavior};

/// Each step brings a store from one version to the next; none is ever changed. They are written as SQLite has them.
const STEPS: [&str; 5] = [FIRST, SECOND, THIRD, FOURTH, FIFTH];
/// Says in the file's head whose it is (`PRAGMA application_id`): "Tsub".
const APPLICATION: u32 = 0x5473_7562;

/// `state` of an entry and `closed` of a finding are of the newest report of their scope.
const FIRST: &str = "
CREATE TABLE scope (
    id INTEGER PRIMARY KEY,
    key TEXT NOT NULL UNIQUE,
    name TEXT NOT NULL,
    repository TEXT NOT NULL,
    host TEXT NOT NULL,
    account TEXT NOT NULL
);
CREATE TABLE report (
    id INTEGER PRIMARY KEY,
    scope INTEGER NOT NULL REFERENCES scope ON DELETE CASCADE,
    digest TEXT NOT NULL UNIQUE,
    as_of TEXT NOT NULL,
    revision TEXT NOT NULL,
    version TEXT NOT NULL,
    unread INTEGER NOT NULL
);
CREATE INDEX report_of_scope ON report (scope, as_of, id);
CREATE TABLE tally (
    report INTEGER NOT NULL REFERENCES report ON DELETE CASCADE,
    team TEXT NOT NULL,
    refuse INTEGER NOT NULL, fix_first INTEGER NOT NULL, unchecked INTEGER NOT NULL, ready INTEGER NOT NULL,
    critical INTEGER NOT NULL, high INTEGER NOT NULL, medium INTEGER NOT NULL,
    PRIMARY KEY (report, team)
) WITHOUT ROWID;
CREATE TABLE entry (
    id INTEGER PRIMARY KEY,
    scope INTEGER NOT NULL REFERENCES scope ON DELETE CASCADE,
    key TEXT NOT NULL,
    kind TEXT NOT NULL,
    name TEXT NOT NULL,
    place TEXT NOT NULL,
    team TEXT NOT NULL,
    owner TEXT NOT NULL,
    runs TEXT NOT NULL,
    fingerprint TEXT NOT NULL,
    verdict TEXT NOT NULL,
    decision TEXT NOT NULL,
    first_seen TEXT NOT NULL,
    last_seen TEXT NOT NULL,
    gone TEXT,
    UNIQUE (scope, key)
);
CREATE INDEX entry_by_key ON entry (key);
CREATE INDEX entry_by_name ON entry (name COLLATE NOCASE);
CREATE TABLE used (
    entry INTEGER NOT NULL REFERENCES entry ON DELETE CASCADE,
    kind TEXT NOT NULL,
    name TEXT NOT NULL COLLATE NOCASE,
    version TEXT NOT NULL,
    pinned INTEGER NOT NULL,
    PRIMARY KEY (entry, kind, name, version)
) WITHOUT ROWID;
CREATE INDEX used_by_name ON used (name);
CREATE TABLE event (
    id INTEGER PRIMARY KEY,
    entry INTEGER NOT NULL REFERENCES entry ON DELETE CASCADE,
    day TEXT NOT NULL,
    what TEXT NOT NULL,
    detail TEXT NOT NULL
);
CREATE INDEX event_of_entry ON event (entry, day, id);
CREATE TABLE finding (
    id INTEGER PRIMARY KEY,
    scope INTEGER NOT NULL REFERENCES scope ON DELETE CASCADE,
    entry INTEGER REFERENCES entry ON DELETE CASCADE,
    fingerprint TEXT NOT NULL,
    rule TEXT NOT NULL,
    severity INTEGER NOT NULL,
    confidence TEXT NOT NULL,
    setup TEXT NOT NULL,
    line INTEGER NOT NULL,
    message TEXT NOT NULL,
    fix TEXT NOT NULL,
    team TEXT NOT NULL,
    owner TEXT NOT NULL,
    first_seen TEXT NOT NULL,
    last_seen TEXT NOT NULL,
    closed TEXT,
    closed_by TEXT,
    reopened INTEGER NOT NULL DEFAULT 0,
    waived TEXT NOT NULL,
    UNIQUE (scope, fingerprint, setup)
);
CREATE INDEX finding_of_entry ON finding (entry);
CREATE INDEX finding_by_rule ON finding (rule, closed);
CREATE INDEX finding_open ON finding (severity, first_seen) WHERE closed IS NULL AND waived = '';
CREATE INDEX finding_begun ON finding (first_seen, severity, team);
CREATE INDEX finding_closed ON finding (closed, severity, team);
";

/// Decisions, and by which one each entry stands.
const SECOND: &str = "
ALTER TABLE entry ADD COLUMN decided TEXT NOT NULL DEFAULT '';
CREATE TABLE decision (
    scope INTEGER NOT NULL REFERENCES scope ON DELETE CASCADE,
    key TEXT NOT NULL,
    by TEXT NOT NULL,
    day TEXT NOT NULL,
    until TEXT,
    reason TEXT NOT NULL,
    conditions TEXT NOT NULL,
    PRIMARY KEY (scope, key)
) WITHOUT ROWID;
CREATE INDEX entry_by_decision ON entry (scope, decided) WHERE decided <> '';
CREATE INDEX entry_by_fingerprint ON entry (fingerprint) WHERE kind = 'entry' AND gone IS NULL;
";

/// Names are compared without case in a way that every database knows.
const THIRD: &str = "
DROP INDEX entry_by_name;
DROP INDEX used_by_name;
CREATE INDEX entry_by_plain_name ON entry (lower(name));
CREATE INDEX used_by_plain_name ON used (lower(name));
";

/// Registers as they are written, beside what reports say of the entries that decisions hold for.
const FOURTH: &str = "
CREATE TABLE register (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE
);
CREATE TABLE registered (
    register INTEGER NOT NULL REFERENCES register ON DELETE CASCADE,
    key TEXT NOT NULL,
    kind TEXT NOT NULL,
    shown TEXT NOT NULL,
    source TEXT NOT NULL,
    name TEXT NOT NULL,
    version TEXT NOT NULL,
    team TEXT NOT NULL,
    by TEXT NOT NULL,
    day TEXT NOT NULL,
    until TEXT,
    reason TEXT NOT NULL,
    conditions TEXT NOT NULL,
    PRIMARY KEY (register, key)
) WITHOUT ROWID;
CREATE INDEX finding_by_fingerprint ON finding (fingerprint) WHERE closed IS NULL;
";

/// Most findings are not closed: none of those has to be written into this index.
const FIFTH: &str = "
DROP INDEX finding_closed;
CREATE INDEX finding_closed ON finding (closed, severity, team) WHERE closed IS NOT NULL;
";

/// A server asks for every row that is written whether what it refers to is there: a quarter of the time. Whoever writes has made that in the
/// same transaction, and `forget` takes out itself what belongs to what it takes out.
#[cfg(feature = "postgres")]
const WITHOUT_CHECKS: &str = "
DO $$ DECLARE one RECORD; BEGIN
    FOR one IN SELECT conname, conrelid::regclass AS place FROM pg_constraint
        WHERE contype = 'f' AND connamespace = CAST(current_schema() AS regnamespace)
    LOOP EXECUTE format('ALTER TABLE %s DROP CONSTRAINT %I', one.place, one.conname); END LOOP;
END $$;";

/// Makes the tables in a file, or brings those of an earlier version up to today's.
pub(crate) fn bring_up(db: &mut Connection) -> Result<(), StoreError> {
    let known = u32::try_from(STEPS.len()).unwrap_or(u32::MAX);
    if state(db)? != (known, APPLICATION) {
        // Of two programs that come at once one does it, and the other sees that it is done.
        db.pragma_update(None, "journal_mode", "WAL")?;
        let step = db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let (version, application) = state(&step)?;
        let tables: u32 = step.query_row("SELECT count(*) FROM sqlite_schema", [], |row| row.get(0))?;
        if application != APPLICATION && (tables > 0 || version > 0) {
            return Err(StoreError::Foreign);
        }
        if version > known {
            return Err(StoreError::Newer(version, known));
        }
        for sql in STEPS.iter().skip(usize::try_from(version).unwrap_or(usize::MAX)) {
            step.execute_batch(sql)?;
        }
        step.pragma_update(None, "user_version", known)?;
        step.pragma_update(None, "application_id", APPLICATION)?;
        step.commit()?;
    }
    // A file that somebody else has prepared could do anything at each of our questions: by a trigger, or as a view that never ends.
    let fresh = Connection::open_in_memory()?;
    STEPS.iter().try_for_each(|sql| fresh.execute_batch(sql))?;
    if made_of(db)? != made_of(&fresh)? {
        return Err(StoreError::Foreign);
    }
    // Every report is whole or not there, also after a sudden end; the last ones may be lost with the machine's power.
    db.pragma_update(None, "synchronous", "NORMAL")?;
    db.pragma_update(None, "foreign_keys", "ON")?;
    // In KiB: what is written goes into many indexes at once.
    db.pragma_update(None, "cache_size", -65_536)?;
    Ok(())
}

/// Likewise on a server, in the schema that its connection comes to.
#[cfg(feature = "postgres")]
pub(crate) fn bring_up_server(db: &crate::db::Db) -> Result<(), StoreError> {
    use crate::db::values;
    let known = i64::try_from(STEPS.len()).unwrap_or(i64::MAX);
    let version = |db: &crate::db::Db| {
        let there = "SELECT 1 FROM pg_tables WHERE schemaname = current_schema() AND tablename = 'tsuba_schema'";
        match db.one(there, values![], |_| Ok(()))? {
            None => Ok(None),
            Some(()) => db.one("SELECT max(version) FROM tsuba_schema", values![], |row| row.number(0)),
        }
    };
    if version(db)? == Some(known) {
        return Ok(());
    }
    db.whole(|db| {
        // Of two programs that come at once one does it, and the other sees that it is done.
        db.each("SELECT CAST(pg_advisory_xact_lock(?1) AS TEXT)", values![i64::from(APPLICATION)], |_| Ok(()))?;
        let found = version(db)?;
        let tables = "SELECT count(*) FROM pg_tables WHERE schemaname = current_schema()";
        if found.is_none() && db.one(tables, values![], |row| row.number(0))? != Some(0) {
            return Err(StoreError::Foreign);
        }
        let found = found.unwrap_or_default();
        if found > known {
            let narrow = |version: i64| u32::try_from(version).unwrap_or(u32::MAX);
            return Err(StoreError::Newer(narrow(found), narrow(known)));
        }
        for sql in STEPS.iter().skip(usize::try_from(found).unwrap_or(usize::MAX)) {
            db.batch(&for_server(sql))?;
        }
        db.batch(WITHOUT_CHECKS)?;
        // Most rows are written again each week, with another day in them: where there is room beside them, no index has to know.
        db.batch("ALTER TABLE entry SET (fillfactor = 70); ALTER TABLE finding SET (fillfactor = 70);")?;
        db.batch("CREATE TABLE IF NOT EXISTS tsuba_schema (version BIGINT NOT NULL); DELETE FROM tsuba_schema;")?;
        db.run("INSERT INTO tsuba_schema (version) VALUES (?1)", values![known])?;
        Ok(())
    })
}

/// A step as PostgreSQL has it. Texts are compared by their bytes, as SQLite does, whatever the server's language is.
#[cfg(feature = "postgres")]
fn for_server(step: &str) -> String {
    step.replace("INTEGER PRIMARY KEY", "BIGINT GENERATED BY DEFAULT AS IDENTITY PRIMARY KEY")
        .replace(" INTEGER", " BIGINT")
        .replace(" COLLATE NOCASE", "")
        .replace(" TEXT", " TEXT COLLATE \"C\"")
        .replace(" WITHOUT ROWID", "")
}

/// What a store is made of: its tables and indexes, as they were written.
fn made_of(db: &Connection) -> Result<Vec<String>, StoreError> {
    let mut all = db.prepare("SELECT type || ' ' || name || ' ' || coalesce(sql, '') FROM sqlite_schema ORDER BY 1")?;
    let rows = all.query_map([], |row| row.get(0))?;
    rows.collect::<Result<_, _>>().map_err(StoreError::from)
}

/// The version of the tables, and whose they are.
fn state(db: &Connection) -> Result<(u32, u32), StoreError> {
    let version = db.query_row("PRAGMA user_version", [], |row| row.get(0))?;
    let application = db.query_row("PRAGMA application_id", [], |row| row.get(0))?;
    Ok((version, application))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_store_of_an_earlier_version_becomes_one_of_today_and_keeps_what_it_has() {
        for known in 1..STEPS.len() {
            let mut old = Connection::open_in_memory().unwrap();
            STEPS.iter().take(known).for_each(|sql| old.execute_batch(sql).unwrap());
            old.pragma_update(None, "user_version", u32::try_from(known).unwrap()).unwrap();
            old.pragma_update(None, "application_id", APPLICATION).unwrap();
            old.execute(
                "INSERT INTO scope (key, name, repository, host, account) VALUES ('k', 'desk', '', '', '')",
                [],
            )
            .unwrap();
            bring_up(&mut old).unwrap();
            assert_eq!(state(&old).unwrap(), (u32::try_from(STEPS.len()).unwrap(), APPLICATION), "from {known}");
            let name: String = old.query_row("SELECT name FROM scope", [], |row| row.get(0)).unwrap();
            assert_eq!(name, "desk");
        }
    }
}
