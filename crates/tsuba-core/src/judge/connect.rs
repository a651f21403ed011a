//! Connecting: which listing belongs to which entry. A listing names its server; an entry has a name and a package.

use crate::prelude::*;
use crate::understand::{Entry, Listed, Study};

/// Notes at every entry the listing that belongs to it, and the powers that the listing shows.
pub(super) fn connect(studies: &mut [Study]) {
    let mut listings: BTreeMap<String, Vec<Listed>> = BTreeMap::new();
    let mut captured: BTreeMap<(String, String), Listed> = BTreeMap::new();
    for (study, s) in studies.iter().enumerate() {
        for (entry, e) in s.entries.iter().enumerate().filter(|(_, e)| e.listing.is_some()) {
            if let Some(of) = s.listing_of(e).and_then(|listing| listing.captured.as_ref()) {
                captured.insert((of.setup.clone(), of.entry.clone()), Listed { study, entry });
            }
            let named = listings.entry(plain(&e.name.text)).or_default();
            // One of each document is enough to choose from; a hostile one may write a name in a hundred thousand ways.
            if named.last().is_none_or(|last| last.study != study) {
                named.push(Listed { study, entry });
            }
        }
    }
    if listings.is_empty() {
        return;
    }
    let mut found = Vec::new();
    for (study, s) in studies.iter().enumerate() {
        for (entry, e) in s.entries.iter().enumerate().filter(|(_, e)| e.listing.is_none()) {
            // What was captured of this very entry belongs to it, whatever its server calls itself.
            let own = (s.document.path.clone(), e.name.text.clone());
            if let Some(listed) = captured.get(&own) {
                found.push((study, entry, *listed));
                continue;
            }
            let candidates = names(e).find_map(|name| listings.get(&name)).map_or(&[][..], Vec::as_slice);
            // Two teams may call different servers the same: the nearest listing counts.
            let path = |listed: &Listed| studies.get(listed.study).map_or("", |s| s.document.path.as_str());
            let near = |listed: &&Listed| shared(&s.document.path, path(listed));
            if let Some(listed) = candidates.iter().rev().max_by_key(near) {
                found.push((study, entry, *listed));
            }
        }
    }
    for (study, entry, listed) in found {
        let powers =
            studies.get(listed.study).and_then(|s| s.entries.get(listed.entry)).map(|e| e.reach.powers.clone());
        if let Some(entry) = studies.get_mut(study).and_then(|s| s.entries.get_mut(entry)) {
            entry.listed = Some(listed);
            entry.reach.powers.extend(powers.unwrap_or_default());
        }
    }
}

/// The names an entry's server may go by: the entry's own, its package without scope and version, its image or program.
fn names(entry: &Entry) -> impl Iterator<Item = String> {
    let server = entry.plan.as_ref().and_then(|plan| plan.server());
    let package = server.and_then(|step| step.target()).map(|target| target.text.as_str()).unwrap_or_default();
    let last = package.rsplit('/').next().unwrap_or_default();
    let bare = last.split(['@', ':', '=']).next().unwrap_or_default();
    [plain(&entry.name.text), plain(bare)].into_iter().filter(|name| !name.is_empty())
}

/// A name without case and separators, and without what says only that it is a server.
fn plain(name: &str) -> String {
    let letters: String = name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect();
    let bare = letters.strip_prefix("mcp").or_else(|| letters.strip_suffix("mcp")).unwrap_or(&letters);
    let bare = bare.strip_prefix("server").or_else(|| bare.strip_suffix("server")).unwrap_or(bare);
    let bare = bare.strip_suffix("mcp").unwrap_or(bare);
    if bare.is_empty() { letters } else { bare.to_owned() }
}

/// How many folders two paths have in common.
fn shared(a: &str, b: &str) -> usize {
    a.split('/').zip(b.split('/')).take_while(|(a, b)| a == b).count()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_compared_without_their_dress() {
        for (name, want) in [
            ("berth-board", "berthboard"),
            ("Berth_Board", "berthboard"),
            ("mcp-server-tide", "tide"),
            ("tide-mcp-server", "tide"),
            ("mcp", "mcp"),
        ] {
            assert_eq!(plain(name), want, "{name}");
        }
    }
}
