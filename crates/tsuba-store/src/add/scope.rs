//! What a report is of: a repository, or what was looked at on a host.

use crate::StoreError;
use crate::db::{Db, values};
use tsuba_core::text::strong_fingerprint;
use tsuba_report::Report;
use tsuba_report::model::Text;

/// What a report is of.
pub(super) struct Scope {
    /// The same for every report of the same.
    key: String,
    pub(super) name: String,
    repository: String,
    host: String,
    account: String,
}

impl Scope {
    pub(super) fn of(report: &Report) -> Self {
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

    /// Its id; it is the store's from now on, and nobody else writes of it until all is done.
    pub(super) fn id(&self, db: &Db) -> Result<i64, StoreError> {
        let id = db.one(
            "INSERT INTO scope (key, name, repository, host, account) VALUES (?1, ?2, ?3, ?4, ?5)
             ON CONFLICT (key) DO UPDATE SET host = excluded.host RETURNING id",
            values![&self.key, &self.name, &self.repository, &self.host, &self.account],
            |row| row.number(0),
        )?;
        Ok(id.unwrap_or_default())
    }
}
