//! A report (`tsuba-report/2`, or `/1`), as far as drift is told from it. Whoever wrote it may have written anything into it.

use crate::prelude::*;
use crate::severity::Severity;
use serde::Deserialize;

/// A report, as far as drift is told from it.
#[derive(Clone, Debug, Default, Deserialize)]
pub struct Snapshot {
    /// `tsuba-report/2` or `/1`.
    pub schema: String,
    /// The date of the audit.
    #[serde(default)]
    pub as_of: String,
    /// Its entries.
    #[serde(default)]
    pub(super) entries: Vec<Entry>,
    /// Its findings.
    #[serde(default)]
    pub(super) findings: Vec<Finding>,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Entry {
    pub(super) id: String,
    pub(super) setup: String,
    pub(super) name: String,
    pub(super) launch: Option<Launch>,
    pub(super) remote: Option<Remote>,
    pub(super) credentials: Vec<Credential>,
    pub(super) reach: Reach,
    pub(super) asks: String,
    pub(super) disabled: bool,
    pub(super) fingerprint: String,
    pub(super) listing: Option<Listing>,
    pub(super) decision: Option<Decided>,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Decided {
    pub(super) id: String,
}

#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(default)]
pub(super) struct Launch {
    pub(super) source: String,
    pub(super) package: String,
    pub(super) version: String,
    pub(super) image: String,
    pub(super) tag: String,
    pub(super) digest: String,
    pub(super) script: String,
    pub(super) args: Vec<String>,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Remote {
    pub(super) url: String,
    pub(super) host: String,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Credential {
    pub(super) name: String,
    pub(super) kind: String,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Reach {
    pub(super) folders: BTreeSet<String>,
    pub(super) hosts: BTreeSet<String>,
    pub(super) powers: BTreeSet<String>,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Listing {
    pub(super) items: Vec<Item>,
    pub(super) texts: Vec<Text>,
    pub(super) of: Vec<String>,
    pub(super) orders: Vec<Order>,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Order {
    pub(super) speaks: Vec<String>,
    pub(super) text: String,
    pub(super) told: bool,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Item {
    pub(super) kind: String,
    pub(super) name: String,
    pub(super) fingerprint: String,
    pub(super) read_only: Option<bool>,
    pub(super) texts: Vec<Text>,
}

#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Deserialize)]
#[serde(default)]
pub(super) struct Text {
    pub(super) place: String,
    pub(super) text: String,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
pub(super) struct Finding {
    pub(super) rule: String,
    pub(super) severity: String,
    pub(super) entry: Option<String>,
    pub(super) message: String,
    pub(super) fingerprint: String,
}

impl Snapshot {
    /// Is it a report that this program understands?
    pub fn is_known(&self) -> bool {
        ["tsuba-report/2", "tsuba-report/1"].contains(&self.schema.as_str())
    }

    /// This and another together.
    pub fn join(&mut self, other: Self) {
        self.entries.extend(other.entries);
        self.findings.extend(other.findings);
    }

    /// With those entries alone that `old` has too, or that a decision of these names is on, and what servers list.
    #[must_use]
    pub fn within(mut self, old: &Self, decisions: &BTreeSet<String>) -> Self {
        let known: BTreeSet<(&str, &str)> =
            old.entries.iter().map(|entry| (entry.setup.as_str(), entry.name.as_str())).collect();
        self.entries.retain(|entry| {
            let decided = entry.decision.as_ref().is_some_and(|decision| decisions.contains(&decision.id));
            entry.is_listing() || decided || known.contains(&(entry.setup.as_str(), entry.name.as_str()))
        });
        self
    }

    /// What its entries are called.
    pub fn ids(&self) -> BTreeSet<String> {
        self.entries.iter().map(|entry| entry.id.clone()).collect()
    }

    /// Its findings by their fingerprints, with how bad they were.
    pub fn findings(&self) -> BTreeMap<String, Severity> {
        let weighed = |finding: &Finding| Severity::from_name(&finding.severity).unwrap_or(Severity::Note);
        self.findings.iter().map(|finding| (finding.fingerprint.clone(), weighed(finding))).collect()
    }
}

impl Entry {
    /// Does it only stand for a listing?
    pub(super) fn is_listing(&self) -> bool {
        self.launch.is_none() && self.remote.is_none() && self.listing.is_some()
    }
}
