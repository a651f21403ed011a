//! A report in parts, one for each team, repository or owner; and what leads to them.

use crate::groups::{GroupKind, Groups};
use crate::model::{EntryRow, Named, Report};
use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;

/// By what a report is split.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SplitBy {
    /// Teams of the configuration; where it names none, the owners that a repository names.
    Team,
    /// Repositories, else folders.
    Repository,
    /// The accounts that own the files.
    Owner,
}

impl SplitBy {
    fn kind(self) -> GroupKind {
        match self {
            Self::Team => GroupKind::Team,
            Self::Repository => GroupKind::Repository,
            Self::Owner => GroupKind::Owner,
        }
    }

    /// What one of them is called.
    pub fn name(self) -> &'static str {
        self.kind().name()
    }
}

/// A part of a report.
#[derive(Clone, Debug)]
pub struct Part {
    /// Whose it is.
    pub name: String,
    /// A name for its file, without an ending: small letters, digits and hyphens, and no other part's.
    pub file: String,
    /// It.
    pub report: Report,
}

impl Part {
    /// How many entries have this verdict.
    pub fn count(&self, verdict: Verdict) -> usize {
        self.report.summary.verdicts.get(&Named(verdict)).copied().unwrap_or_default()
    }

    /// How many findings are this severe.
    pub fn found(&self, severity: Severity) -> usize {
        self.report.summary.findings.get(&Named(severity)).copied().unwrap_or_default()
    }
}

impl Report {
    /// The parts, those with most to do first. Nothing is in two of them but what a server lists that several use.
    pub fn split(&self, by: SplitBy) -> Vec<Part> {
        let groups = Groups::by(self, by.kind());
        let shared = self.shared_listings();
        // Whose a document is: what is only evidence of others has no part of its own.
        let whose = |path: &str| match shared.get(path) {
            Some(users) => users.iter().map(|user| groups.name(user)).collect(),
            None => BTreeSet::from([groups.name(path)]),
        };
        let mut parts: BTreeMap<&str, Self> = BTreeMap::new();
        let mut of_path: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
        for setup in &self.setups {
            let own = whose(setup.path.as_str());
            for name in &own {
                parts.entry(name).or_insert_with(|| self.emptied()).setups.push(setup.clone());
            }
            of_path.insert(setup.path.as_str(), own);
        }
        for entry in &self.entries {
            put(&mut parts, of_path.get(entry.setup.as_str()), |part| part.entries.push(entry.clone()));
        }
        for finding in &self.findings {
            put(&mut parts, of_path.get(finding.setup.as_str()), |part| part.findings.push(finding.clone()));
        }
        // Who answers for what could not be read is known by its path alone.
        for row in self.unread.iter().filter(|_| by == SplitBy::Repository) {
            if let Some(part) = parts.get_mut(groups.of_path(self, row.path.as_str())) {
                part.unread.push(row.clone());
            }
        }
        let named = parts.into_iter().map(|(name, part)| (name.to_owned(), part.counted(by.name(), name)));
        let mut parts: Vec<(String, Self)> = named.collect();
        parts.sort_by_cached_key(|(name, part)| {
            let count = |verdict| part.summary.verdicts.get(&Named(verdict)).copied().unwrap_or_default();
            (Reverse((count(Verdict::Refuse), count(Verdict::FixFirst), part.findings.len())), name.clone())
        });
        let (mut taken, mut numbers) = (BTreeSet::new(), BTreeMap::<String, usize>::new());
        let mut file = |name: &str| -> String {
            let plain = slug(name);
            // Many names may come to the same: each goes on where the last one stopped.
            let number = numbers.entry(plain.clone()).or_insert(1);
            let mut file = plain.clone();
            while !taken.insert(file.clone()) {
                *number += 1;
                file = format!("{plain}-{number}");
            }
            file
        };
        parts.into_iter().map(|(name, report)| Part { file: file(&name), name, report }).collect()
    }

    /// The documents that only hold what servers of entries elsewhere list, with the setups of those.
    pub(crate) fn shared_listings(&self) -> BTreeMap<String, BTreeSet<String>> {
        let entries = self.entries_by_id();
        let mut out: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for entry in self.entries.iter().filter(|entry| is_of_others(entry)) {
            let owners = entry.listing.iter().flat_map(|listing| &listing.of);
            let setups = owners.filter_map(|id| Some(entries.get(id.as_str())?.setup.to_string()));
            out.entry(entry.setup.to_string()).or_default().extend(setups);
        }
        out.retain(|path, owners| !owners.contains(path));
        out
    }
}

/// Puts something into the parts of these names.
fn put<'r>(parts: &mut BTreeMap<&'r str, Report>, names: Option<&BTreeSet<&'r str>>, put: impl Fn(&mut Report)) {
    for name in names.into_iter().flatten() {
        parts.get_mut(name).into_iter().for_each(&put);
    }
}

/// Is it only the listing of another entry's server?
fn is_of_others(entry: &EntryRow) -> bool {
    entry.listing.as_ref().is_some_and(|listing| !listing.of.is_empty())
}

/// A name for a file on any system.
fn slug(name: &str) -> String {
    /// A longer name is cut.
    const MAX_SLUG: usize = 60;
    let mut out = String::new();
    for c in name.chars() {
        if c.is_ascii_alphanumeric() {
            out.push(c.to_ascii_lowercase());
        } else if !out.is_empty() && !out.ends_with('-') {
            out.push('-');
        }
        if out.len() == MAX_SLUG {
            break;
        }
    }
    let out = out.trim_end_matches('-');
    // These would be the list of parts, or a device on some systems.
    let reserved = ["", "index", "con", "prn", "aux", "nul"].contains(&out);
    if reserved { format!("part-{out}").trim_end_matches('-').to_owned() } else { out.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::slug;

    #[test]
    fn names_of_files_are_plain() {
        for (name, want) in [
            ("Harbour & Quay", "harbour-quay"),
            ("repositories/crew-planner", "repositories-crew-planner"),
            ("../../etc/passwd", "etc-passwd"),
            ("@saltmarsh/all, ines@saltmarsh.example", "saltmarsh-all-ines-saltmarsh-example"),
            ("", "part"),
            ("index", "part-index"),
            ("北", "part"),
        ] {
            assert_eq!(slug(name), want, "{name}");
        }
        assert_eq!(slug(&"long".repeat(100)).len(), 60);
    }
}
