//! What an entry uses, by the names under which it is asked for: packages, images, programs, hosts, tools, credentials.

use crate::list::within;
use crate::{Store, StoreError};
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::understand::launch::{Pin, Source};
use tsuba_report::Report;
use tsuba_report::model::EntryRow;

/// Something that an entry uses.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Used {
    /// `npm`, `pypi`, … of a package, `image`, `program`, `host`, `tool` or `credential`.
    pub kind: String,
    /// What it is called.
    pub name: String,
    /// As it is asked for; empty where nothing is said.
    pub version: String,
    /// Is it this version and no other?
    pub pinned: bool,
}

impl Store {
    /// What each entry uses that is there today, by the name of its scope and its id.
    ///
    /// # Errors
    /// Where the database cannot be read.
    pub fn uses_by_entry(&self, scopes: &[String]) -> Result<BTreeMap<(String, String), Vec<Used>>, StoreError> {
        let mut out: BTreeMap<(String, String), Vec<Used>> = BTreeMap::new();
        let mut values = Vec::new();
        let within = within(scopes, &mut values);
        let select = format!("SELECT s.name, e.key, u.kind, u.name, u.version, u.pinned FROM used u JOIN entry e ON e.id = u.entry
             JOIN scope s ON s.id = e.scope WHERE e.gone IS NULL AND e.kind = 'entry'{within} ORDER BY s.name, e.key, u.kind, u.name, u.version");
        self.0.each(&select, &values, |row| {
            let used = Used { kind: row.text(2)?, name: row.text(3)?, version: row.text(4)?, pinned: row.flag(5)? };
            out.entry((row.text(0)?, row.text(1)?)).or_default().push(used);
            Ok(())
        })?;
        Ok(out)
    }
}

/// What a server lists is known of the entries whose server it is: the tools by the ids of those.
pub(crate) fn tools_by_entry(report: &Report) -> BTreeMap<&str, Vec<&EntryRow>> {
    let mut out: BTreeMap<&str, Vec<&EntryRow>> = BTreeMap::new();
    for entry in &report.entries {
        for owner in entry.listing.iter().flat_map(|listing| &listing.of) {
            out.entry(owner.as_str()).or_default().push(entry);
        }
    }
    out
}

/// All that an entry uses, each once.
pub(crate) fn of_entry(entry: &EntryRow, listings: &[&EntryRow]) -> BTreeSet<Used> {
    let mut out = BTreeSet::new();
    let mut put = |kind: &str, name: &str, version: &str, pinned: bool| {
        if !name.is_empty() {
            out.insert(Used { kind: kind.to_owned(), name: name.to_owned(), version: version.to_owned(), pinned });
        }
    };
    if let Some(launch) = &entry.launch {
        let pinned = launch.pin.as_ref().is_some_and(|pin| is_firm(**pin));
        if let (Some(name), Some(source)) = (&launch.package, &launch.source) {
            let version = launch.version.as_ref().map_or("", |version| version.as_str());
            put(kind_of(**source), name.as_str(), version, pinned);
        }
        if let Some(image) = &launch.image {
            let version = launch.digest.as_ref().or(launch.tag.as_ref()).map_or("", |version| version.as_str());
            put("image", image.as_str(), version, pinned);
        }
        if let Some(script) = &launch.script {
            put("program", script.as_str(), "", true);
        }
        for via in &launch.via {
            let version = via.version.as_ref().map_or("", |version| version.as_str());
            put(kind_of(*via.source), via.package.as_str(), version, is_firm(*via.pin));
        }
    }
    if let Some(remote) = &entry.remote {
        put("host", remote.host.as_str(), "", true);
    }
    entry.reach.hosts.iter().for_each(|host| put("host", host.as_str(), "", true));
    for credential in &entry.credentials {
        if let Some(print) = &credential.fingerprint {
            put("credential", print, "", true);
        }
    }
    for item in [entry].into_iter().chain(listings.iter().copied()).filter_map(|row| row.listing.as_ref()) {
        item.items.iter().for_each(|item| put("tool", item.name.as_str(), "", true));
    }
    out
}

fn is_firm(pin: Pin) -> bool {
    matches!(pin, Pin::Exact | Pin::Digest)
}

fn kind_of(source: Source) -> &'static str {
    match source {
        Source::Path => "program",
        other => other.name(),
    }
}
