//! Connecting: which listing belongs to which entry. A listing names its server; an entry has a name and a package.

use crate::evidence::Captured;
use crate::evidence::oauth::{Answer, Ask};
use crate::prelude::*;
use crate::understand::{Analysis, Listed, REFERENCE, SetupKind, launch_fingerprint, normalized_name};

/// Notes at every entry the listing that belongs to it, and the powers that the listing shows.
pub(super) fn connect(analyses: &mut [Analysis]) {
    let mut listings: BTreeMap<String, Vec<Listed>> = BTreeMap::new();
    let mut captured: BTreeMap<(&str, &str), Captures<'_>> = BTreeMap::new();
    for (analysis, s) in analyses.iter().enumerate() {
        for (entry, e) in s.entries.iter().enumerate().filter(|(_, e)| e.listing.is_some()) {
            if let Some(of) = s.listing_of(e).and_then(|listing| listing.captured.as_ref()) {
                // Anybody can write a file that says it is evidence: what was handed over as such comes first, then what is newest.
                let weight = (s.document.facts.evidence, of.taken.as_str());
                let own = Captures { weight, listed: Listed { analysis, entry } };
                let best = captured.entry((&of.setup, &of.entry)).or_insert(own);
                if own.weight > best.weight {
                    *best = own;
                }
            }
            let named = listings.entry(normalized_name(&e.name.text)).or_default();
            // One of each document is enough to choose from; a hostile one may write a name in a hundred thousand ways.
            if named.last().is_none_or(|last| last.analysis != analysis) {
                named.push(Listed { analysis, entry });
            }
        }
    }
    if listings.is_empty() {
        return;
    }
    let mut found = Vec::new();
    for (analysis, s) in analyses.iter().enumerate() {
        for (entry, e) in s.entries.iter().enumerate().filter(|(_, e)| e.listing.is_none()) {
            // What was captured of this very entry belongs to it, whatever its server calls itself.
            if let Some(own) = captured.get(&(s.document.path.as_str(), e.name.text.as_str())) {
                found.push((analysis, entry, own.listed));
                continue;
            }
            let candidates = e.aliases().find_map(|name| listings.get(&name)).map_or(&[][..], Vec::as_slice);
            // What was handed over as evidence comes first, of that what was taken of the same launch. Two teams may call different servers
            // the same: then the nearest counts.
            let own = (candidates.len() > 1).then(|| launch_fingerprint(e));
            let near = |listed: &&Listed| {
                let of = analyses.get(listed.analysis)?;
                let captured = of.listing_of(of.entries.get(listed.entry)?)?.captured.as_ref();
                let same = own.is_some() && captured.is_some_and(|captured| captured.print == own);
                let taken = captured.map(|captured| captured.taken.as_str());
                Some((of.document.facts.evidence, same, shared(&s.document.path, &of.document.path), taken))
            };
            if let Some(listed) = candidates.iter().rev().max_by_key(near) {
                found.push((analysis, entry, *listed));
            }
        }
    }
    for (analysis, entry, listed) in found {
        let powers =
            analyses.get(listed.analysis).and_then(|s| s.entries.get(listed.entry)).map(|e| e.reach.powers.clone());
        // Anybody can write a file that says it is evidence; what is written into a setup comes from none of those.
        let fetched = analyses.get(listed.analysis).filter(|s| s.document.facts.evidence).and_then(|s| {
            let captured = s.listing_of(s.entries.get(listed.entry)?)?.captured.as_ref();
            let package = captured.filter(|of| is_of(of, analyses.get(analysis), entry))?.package.as_ref()?;
            Some((package.name.text.clone(), package.version.as_ref()?.text.clone()))
        });
        let https = analyses.get(listed.analysis).filter(|s| s.document.facts.evidence).and_then(|s| {
            let captured = s.listing_of(s.entries.get(listed.entry)?)?.captured.as_ref();
            captured.filter(|of| is_of(of, analyses.get(analysis), entry))?;
            answers_over_tls(s)
        });
        if let Some(entry) = analyses.get_mut(analysis).and_then(|s| s.entries.get_mut(entry)) {
            entry.known_https = https.map(Into::into);
            entry.listed = Some(listed);
            entry.known_version = fetched.map(Box::new);
            entry.reach.powers.extend(powers.unwrap_or_default());
        }
    }
}

/// Notes at every dotenv file who is handed what stands in it: the entries that name it, and those of setups in its own folder. Likewise at
/// the secrets that a cluster keeps: the entries of the same folder that name them.
pub(super) fn receivers(analyses: &mut [Analysis]) {
    let gives = |analysis: &Analysis| analysis.kind == SetupKind::Dotenv || !analysis.exposure.kept.is_empty();
    if !analyses.iter().any(gives) {
        return;
    }
    let folder = |path: &str| path.rsplit_once('/').map(|(folder, _)| folder.to_owned()).unwrap_or_default();
    let mut named: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    let mut beside: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    let mut kept: BTreeMap<(String, String), BTreeSet<String>> = BTreeMap::new();
    for analysis in analyses.iter().filter(|analysis| analysis.kind.sets_up()) {
        let own = folder(analysis.document.file());
        for entry in analysis.entries.iter().filter(|entry| entry.listing.is_none() && !entry.disabled) {
            beside.entry(own.clone()).or_default().insert(entry.name.text.clone());
            for file in &entry.env_files {
                let text = file.text.replace("${workspaceFolder}/", "");
                let text = text.trim_start_matches("./");
                let alone = text.starts_with('/') || own.is_empty();
                let whole = if alone { text.to_owned() } else { format!("{own}/{text}") };
                named.entry(whole).or_default().insert(entry.name.text.clone());
            }
            for variable in &entry.variables {
                if let Some(reference) = variable.value.text.strip_prefix(REFERENCE) {
                    let secret = reference.split_once('/').map_or(reference, |(secret, _)| secret);
                    let who = kept.entry((own.clone(), secret.to_owned())).or_default();
                    who.insert(entry.name.text.clone());
                }
            }
        }
    }
    for analysis in analyses.iter_mut().filter(|analysis| gives(analysis)) {
        let path = analysis.document.file();
        if analysis.kind != SetupKind::Dotenv {
            let own = folder(path);
            let who = analysis.exposure.kept.iter().filter_map(|secret| kept.get(&(own.clone(), secret.clone())));
            analysis.given_to = who.flatten().cloned().collect();
            continue;
        }
        // Where entries name it, those are meant; a plain `.env` is taken by whatever starts in its folder.
        let given = named.get(path).or_else(|| beside.get(&folder(path)));
        analysis.given_to = given.cloned().unwrap_or_default();
    }
}

/// The address with TLS that answered the very same as the one without.
fn answers_over_tls(analysis: &Analysis) -> Option<String> {
    let plain = analysis.oauth_documents.answers_to(Ask::NoToken).next()?;
    let same = |answer: &&Answer| answer.status() == plain.status() && answer.status() != 0;
    analysis.oauth_documents.answers_to(Ask::OverTls).find(same)?.url.as_ref().map(|url| url.text.clone())
}

/// Was this captured of the very entry?
fn is_of(captured: &Captured, analysis: Option<&Analysis>, entry: usize) -> bool {
    analysis.is_some_and(|s| {
        s.document.path == captured.setup && s.entries.get(entry).is_some_and(|e| e.name.text == captured.entry)
    })
}

/// Evidence of an entry.
#[derive(Clone, Copy)]
struct Captures<'s> {
    /// Was it handed over as evidence, and on which date was it taken?
    weight: (bool, &'s str),
    listed: Listed,
}

/// How many folders two paths have in common.
fn shared(a: &str, b: &str) -> usize {
    a.split('/').zip(b.split('/')).take_while(|(a, b)| a == b).count()
}
