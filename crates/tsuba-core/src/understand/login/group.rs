//! What may belong together at all: the documents of one folder, or what was captured of one server, and the entries that are set up there.

use super::{Link, Part, holds_token};
use crate::evidence::oauth::{GrantSource, LinkedBy};
use crate::prelude::*;
use crate::understand::{Analysis, Entry};

/// Documents and entries of one place.
#[derive(Debug, Default)]
pub(super) struct Group {
    /// The servers that are called there, each with every entry that calls it.
    pub(super) targets: Vec<Target>,
    /// Was all of it captured of one server?
    pub(super) captured: bool,
    /// Does it lie where nothing is set up, and was not handed over as evidence? Then it may be of servers that are set up nowhere, and only what
    /// names a server is of that.
    pub(super) apart: bool,
    /// Protected-resource metadata.
    pub(super) resources: Vec<Part>,
    /// Authorization-server metadata.
    pub(super) servers: Vec<Part>,
    /// Key sets.
    pub(super) key_sets: Vec<Part>,
    /// Clients.
    pub(super) clients: Vec<Part>,
    /// Introspection answers and claims.
    pub(super) grants: Vec<Part>,
    /// Tokens that are handed to no entry.
    pub(super) tokens: Vec<Part>,
}

/// A server that entries call.
#[derive(Debug)]
pub(super) struct Target {
    /// Its address.
    pub(super) address: String,
    /// The entries.
    pub(super) entries: Vec<Part>,
}

/// More things of one kind in one place are not brought together: it is a store of such documents, and no login.
pub(super) const MAX_TOGETHER: usize = 4096;

/// Every place with documents of logins.
pub(super) fn groups(analyses: &[Analysis]) -> Vec<Group> {
    let homes = homes(analyses);
    let mut found: BTreeMap<Key, Group> = BTreeMap::new();
    let mut listed = listed(analyses);
    for (index, analysis) in analyses.iter().enumerate() {
        let papers = &analysis.oauth_documents;
        if papers.is_empty() && !holds_token(analysis) {
            continue;
        }
        let captured = !papers.answers.is_empty();
        let key = if captured { Key::Captured(index) } else { Key::Folder(home(analysis, &homes)) };
        let group = found.entry(key).or_default();
        group.captured = captured;
        let add = |list: &mut Vec<Part>, count: usize| {
            let room = MAX_TOGETHER.saturating_sub(list.len());
            list.extend((0..count).take(room).map(|part| Part { analysis: index, index: part }));
        };
        add(&mut group.resources, papers.resources.len());
        add(&mut group.servers, papers.servers.len());
        add(&mut group.key_sets, papers.key_sets.len());
        add(&mut group.clients, papers.clients.len());
        let grants = papers.grants.iter().enumerate().filter(|(_, grant)| grant.source != GrantSource::List);
        let room = MAX_TOGETHER.saturating_sub(group.grants.len());
        group.grants.extend(grants.map(|(grant, _)| Part { analysis: index, index: grant }).take(room));
        if holds_token(analysis) {
            let tokens = analysis.credentials.iter().enumerate().filter(|(_, credential)| credential.is_web_token());
            let room = MAX_TOGETHER.saturating_sub(group.tokens.len());
            group.tokens.extend(tokens.map(|(token, _)| Part { analysis: index, index: token }).take(room));
        }
    }
    for (key, group) in &mut found {
        let entries = match key {
            Key::Captured(index) => listed.remove(index).unwrap_or_default(),
            Key::Folder(folder) => homes.get(folder.as_str()).cloned().unwrap_or_default(),
        };
        group.targets = targets(analyses, &entries);
    }
    // Evidence that lies elsewhere says itself which server it is of.
    let known = by_host(analyses, &homes);
    for group in found.values_mut().filter(|group| group.targets.is_empty()) {
        let hosts = group.resources.iter().filter_map(|part| {
            let paper = analyses.get(part.analysis)?.oauth_documents.resources.get(part.index)?;
            let address = paper.resource.as_ref().map(|at| at.text.as_str());
            super::host_of(address.or(paper.asked.as_ref().map(|asked| asked.address.as_str()))?)
        });
        let hosts: BTreeSet<String> = hosts.collect();
        let entries: Vec<Part> = hosts.iter().filter_map(|host| known.get(host)).flatten().copied().collect();
        group.targets = targets(analyses, &entries);
        let evidence = |part: &Part| analyses.get(part.analysis).is_some_and(|own| own.document.facts.evidence);
        group.apart = !group.resources.iter().any(evidence);
    }
    found.into_values().collect()
}

/// What a group is of.
#[derive(Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Key {
    /// One document that a capture wrote.
    Captured(usize),
    /// A folder.
    Folder(String),
}

/// The entries that what was captured in each document is of.
fn listed(analyses: &[Analysis]) -> BTreeMap<usize, Vec<Part>> {
    let mut out: BTreeMap<usize, Vec<Part>> = BTreeMap::new();
    for (index, analysis) in analyses.iter().enumerate() {
        for (entry, e) in analysis.entries.iter().enumerate() {
            if let Some(listed) = e.listed {
                out.entry(listed.analysis).or_default().push(Part { analysis: index, index: entry });
            }
        }
    }
    out
}

/// The folders in which servers are set up, with the entries that call one. What lies in a hidden folder is meant for the one that it lies in.
fn homes(analyses: &[Analysis]) -> BTreeMap<String, Vec<Part>> {
    let mut out: BTreeMap<String, Vec<Part>> = BTreeMap::new();
    for (index, analysis) in analyses.iter().enumerate().filter(|(_, analysis)| analysis.kind.sets_up()) {
        let calls = |entry: &Entry| entry.listing.is_none() && entry.remote.is_some();
        let entries = analysis.entries.iter().enumerate().filter(|(_, entry)| calls(entry));
        let entries: Vec<Part> = entries.map(|(entry, _)| Part { analysis: index, index: entry }).collect();
        if entries.is_empty() {
            continue;
        }
        let own = folder(analysis.document.file());
        let above = own.rsplit('/').next().filter(|name| name.starts_with('.')).map(|_| folder(own));
        for folder in [Some(own), above].into_iter().flatten() {
            out.entry(folder.to_owned()).or_default().extend(&entries);
        }
    }
    out
}

fn folder(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// Folders of a copied site, from a host's to that of a well-known address, are at most so many.
const MAX_ABOVE: usize = 6;

/// The folder that a document belongs to: where servers are set up, that is the one it lies in or the one above; else its own.
fn home(analysis: &Analysis, homes: &BTreeMap<String, Vec<Part>>) -> String {
    let path = analysis.document.file();
    // What is published at a well-known address lies in a folder of that name, below those of the site's path (RFC 8615, 3).
    let (own, published) = match path.split_once("/.well-known/") {
        Some((above, _)) => (above, true),
        None if path.starts_with(".well-known/") => ("", true),
        None => (folder(path), false),
    };
    let mut at = own;
    for _ in 0..if published { MAX_ABOVE } else { 2 } {
        if homes.contains_key(at) {
            return at.to_owned();
        }
        if at.is_empty() {
            break;
        }
        at = folder(at);
    }
    own.to_owned()
}

/// The entries, together where they call the same address.
fn targets(analyses: &[Analysis], entries: &[Part]) -> Vec<Target> {
    let mut found: BTreeMap<&str, Vec<Part>> = BTreeMap::new();
    for part in entries {
        let entry = analyses.get(part.analysis).and_then(|analysis| analysis.entries.get(part.index));
        if let Some(remote) = entry.and_then(|entry| entry.remote.as_ref()) {
            found.entry(&remote.url.text).or_default().push(*part);
        }
    }
    let targets = found.into_iter().take(MAX_TOGETHER);
    targets.map(|(address, entries)| Target { address: address.to_owned(), entries }).collect()
}

/// Every entry that calls a server, by its host.
fn by_host(analyses: &[Analysis], homes: &BTreeMap<String, Vec<Part>>) -> BTreeMap<String, BTreeSet<Part>> {
    let mut out: BTreeMap<String, BTreeSet<Part>> = BTreeMap::new();
    for part in homes.values().flatten() {
        let entry = analyses.get(part.analysis).and_then(|analysis| analysis.entries.get(part.index));
        let host = entry.and_then(|entry| super::host_of(&entry.remote.as_ref()?.url.text));
        if let Some(host) = host {
            out.entry(host).or_default().insert(*part);
        }
    }
    out
}

/// Links to these parts, each alike.
pub(super) fn links(parts: &[Part], by: LinkedBy, sure: bool) -> Vec<Link> {
    parts.iter().map(|part| Link { part: *part, by, sure }).collect()
}
