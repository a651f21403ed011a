//! The login at an entry's server, as documents show it: whose tokens it takes, who signs them, what those that are known may do.

use crate::model::{Named, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use tsuba_core::evidence::oauth::{Claims, LinkedBy};
use tsuba_core::judge::{Audit, EntryRef};
use tsuba_core::understand::{Link, Login, Part};

/// A login.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct LoginRow {
    /// The documents that it is put together from.
    pub documents: Vec<LoginDocument>,
    /// The issuers that are named for it.
    pub issuers: Vec<Text>,
    /// How many keys of theirs are known.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub keys: usize,
    /// What the tokens and grants that are known may do.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub scopes: Vec<Text>,
}

/// A document of a login.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct LoginDocument {
    /// `resource-metadata`, `server-metadata`, `keys`, `client`, `grant` or `token`.
    pub holds: Text,
    /// Its path.
    pub path: Text,
    /// What ties it to the entry: `origin`, `resource`, `issuer`, `host` or `folder`.
    pub linked_by: Named<LinkedBy>,
    /// Could it also belong to another login?
    #[serde(skip_serializing_if = "core::ops::Not::not", default)]
    pub ambiguous: bool,
}

fn is_zero(number: &usize) -> bool {
    *number == 0
}

/// More of a list is not told.
const MAX_TOLD: usize = 100;

/// The login of an entry.
pub(crate) fn login_row(audit: &Audit, entry_ref: EntryRef, paths: &[Text]) -> Option<LoginRow> {
    let login = audit.logins.of_entry(Part { analysis: entry_ref.analysis, index: entry_ref.entry? })?;
    let clean = |text: &str| Text(audit.cleaner.clean(text));
    let mut seen = BTreeSet::new();
    let kinds: [(&'static str, &[Link]); 6] = [
        ("resource-metadata", &login.resources),
        ("server-metadata", &login.servers),
        ("keys", &login.key_sets),
        ("client", &login.clients),
        ("grant", &login.grants),
        ("token", &login.tokens),
    ];
    let mut documents = Vec::new();
    for (holds, links) in kinds {
        for link in links.iter().filter(|link| seen.insert((holds, link.part.analysis))).take(MAX_TOLD) {
            let path = paths.get(link.part.analysis).cloned().unwrap_or_default();
            let (linked_by, ambiguous) = (Named(link.by), !link.sure);
            documents.push(LoginDocument { holds: Text::constant(holds), path, linked_by, ambiguous });
        }
    }
    Some(LoginRow {
        documents,
        issuers: login.issuers.iter().take(MAX_TOLD).map(|issuer| clean(issuer)).collect(),
        keys: keys(audit, login),
        scopes: scopes(audit, login).iter().take(MAX_TOLD).map(|scope| clean(scope)).collect(),
    })
}

fn keys(audit: &Audit, login: &Login) -> usize {
    let sets = login
        .key_sets
        .iter()
        .filter_map(|link| audit.analyses.get(link.part.analysis)?.oauth_documents.key_sets.get(link.part.index));
    sets.map(|set| set.keys.len()).sum()
}

fn scopes(audit: &Audit, login: &Login) -> BTreeSet<String> {
    let analysis = |part: Part| audit.analyses.get(part.analysis);
    let grants = login.grants.iter().filter_map(|link| {
        analysis(link.part)?.oauth_documents.grants.get(link.part.index).map(|grant| grant.scopes.clone())
    });
    let loose =
        login.tokens.iter().filter_map(|link| Some(vec![analysis(link.part)?.credentials.get(link.part.index)?]));
    let own = login.entries.iter().filter_map(|part| {
        let entry = analysis(*part)?.entries.get(part.index)?;
        Some(entry.credentials.iter().filter(|credential| credential.is_web_token()).collect())
    });
    let tokens = loose.chain(own).flatten().filter_map(|token| Some(Claims::decode(&token.value.text)?.scopes));
    grants.chain(tokens).flatten().collect()
}

impl LoginRow {
    /// In one line: `resource metadata (a.json) > issuer https://id.example (b.json) > 2 keys (c.json) > token may tides.read`.
    pub(crate) fn line(&self) -> String {
        let paths: BTreeSet<&str> = self.documents.iter().map(|document| document.path.as_str()).collect();
        // What was captured is one file, and that is said once.
        let one = paths.first().filter(|_| paths.len() == 1);
        let holds = |holds: &str| self.documents.iter().any(|document| document.holds.as_str() == holds);
        let with = |what: String, kinds: &[&str]| {
            let papers = self.documents.iter().filter(|document| kinds.contains(&document.holds.as_str()));
            let told: Vec<String> =
                papers.map(|document| document.told(one.is_some())).filter(|t| !t.is_empty()).collect();
            if told.is_empty() { what } else { format!("{what} ({})", told.join("; ")) }
        };
        let list = |texts: &[Text]| texts.iter().map(Text::as_str).collect::<Vec<_>>().join(", ");
        let mut parts = Vec::new();
        if holds("resource-metadata") {
            parts.push(with("resource metadata".to_owned(), &["resource-metadata"]));
        }
        if !self.issuers.is_empty() || holds("server-metadata") {
            let issuers = list(&self.issuers);
            let issuer = if issuers.is_empty() { "no issuer".to_owned() } else { format!("issuer {issuers}") };
            parts.push(with(issuer, &["server-metadata"]));
        }
        if self.keys > 0 {
            parts.push(with(crate::count(self.keys, "key", "keys"), &["keys"]));
        }
        if !self.scopes.is_empty() {
            parts.push(with(format!("token may {}", list(&self.scopes)), &["token", "grant"]));
        } else if holds("token") || holds("grant") {
            parts.push(with("token".to_owned(), &["token", "grant"]));
        }
        let place = one.filter(|_| !parts.is_empty()).map(|path| format!(" in {path}")).unwrap_or_default();
        format!("{}{place}", parts.join(" > "))
    }
}

impl LoginDocument {
    /// Where it lies, and what ties it to the login where that is not what it says itself.
    fn told(&self, known: bool) -> String {
        let doubt = if self.ambiguous { ", not the only candidate" } else { "" };
        let path = if known { "" } else { self.path.as_str() };
        match *self.linked_by {
            LinkedBy::Origin | LinkedBy::Resource | LinkedBy::Issuer => path.to_owned(),
            by if known => format!("linked by {}{doubt}", by.name()),
            by => format!("{path}, linked by {}{doubt}", by.name()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_login_is_told_from_the_server_to_what_its_tokens_may_do() {
        let paper = |holds: &'static str, path: &'static str, by, ambiguous| LoginDocument {
            holds: Text::constant(holds),
            path: Text::constant(path),
            linked_by: Named(by),
            ambiguous,
        };
        let mut row = LoginRow {
            documents: vec![
                paper("resource-metadata", "a.json", LinkedBy::Resource, false),
                paper("server-metadata", "b.json", LinkedBy::Host, true),
                paper("keys", "c.json", LinkedBy::Folder, false),
                paper("token", "t.jwt", LinkedBy::Issuer, false),
            ],
            issuers: vec![Text::constant("https://id.example")],
            keys: 2,
            scopes: vec![Text::constant("tides.read")],
        };
        assert_eq!(
            row.line(),
            "resource metadata (a.json) > issuer https://id.example (b.json, linked by host, not the only candidate) > \
             2 keys (c.json, linked by folder) > token may tides.read (t.jwt)"
        );
        row.documents.iter_mut().for_each(|document| document.path = Text::constant("e.json"));
        row.documents.retain(|document| document.linked_by.name() != "folder" && document.linked_by.name() != "host");
        row.issuers.clear();
        assert_eq!(row.line(), "resource metadata > 2 keys > token may tides.read in e.json");
    }
}
