//! What the rules of this family share: everything that is granted, wherever it is told.

use crate::evidence::Listing;
use crate::evidence::oauth::{Grant, GrantSource, When, covers};
use crate::judge::{All, EntryRef};
use crate::prelude::*;
use crate::severity::Confidence;
use crate::text::Located;
use crate::understand::credential::{Claims, Why};
use crate::understand::{Analysis, Credential, Entry, normalized_name};
use alloc::rc::Rc;
use core::cell::RefCell;

/// Seconds of a day.
pub(super) const DAY: i64 = 86_400;

/// Every plaintext credential with where it stands.
pub(super) fn plaintext<'a>(all: &All<'a>) -> impl Iterator<Item = (EntryRef, &'a Analysis, &'a Credential)> {
    all.analyses.iter().enumerate().flat_map(|(index, analysis)| {
        let own = analysis.entries.iter().enumerate().flat_map(move |(e, entry)| {
            entry
                .credentials
                .iter()
                .map(move |credential| (EntryRef { analysis: index, entry: Some(e) }, analysis, credential))
        });
        own.chain(
            analysis
                .credentials
                .iter()
                .map(move |credential| (EntryRef { analysis: index, entry: None }, analysis, credential)),
        )
        .filter(|(_, _, credential)| credential.is_plaintext())
    })
}

/// What somebody holds: a token that lies there, or a grant that is told of.
pub(super) struct HeldGrant<'a> {
    /// Where it stands.
    pub(super) entry_ref: EntryRef,
    /// The token, or the place of the scopes.
    pub(super) at: Located,
    /// What it is, as `a token`.
    pub(super) what: String,
    /// What it lets do.
    pub(super) scopes: Vec<String>,
    /// Whom it is meant for: is somebody named? `None` where nothing is said of it.
    pub(super) has_audience: Option<bool>,
    /// When it was granted, in seconds since 1970.
    pub(super) issued: Option<i64>,
    /// When it ends, likewise.
    pub(super) expires: Option<i64>,
    /// Where it is said, and how surely, that it has no end.
    pub(super) endless: Option<(Located, Confidence)>,
    /// When it was last used, for grants of a list.
    pub(super) used: When,
    /// What it is for.
    pub(super) meant: Rc<GrantTarget<'a>>,
}

/// The servers that something is for.
#[derive(Default)]
pub(super) struct GrantTarget<'a> {
    /// Is there an entry of them, and is every one switched off?
    pub(super) off: bool,
    /// What they list; empty where that of one is not known.
    pub(super) listings: Vec<&'a Listing>,
}

impl<'a> GrantTarget<'a> {
    fn of(all: &All<'a>, entries: &[(&'a Analysis, &'a Entry)]) -> Rc<Self> {
        let off = !entries.is_empty() && entries.iter().all(|(_, entry)| entry.disabled);
        Rc::new(Self { off, listings: listings_of(all, entries) })
    }
}

/// Everything that somebody holds.
pub(super) fn held<'a>(all: &All<'a>) -> Vec<HeldGrant<'a>> {
    let mut out = tokens(all);
    let oauth_documents =
        || all.analyses.iter().enumerate().filter(|(_, analysis)| !analysis.oauth_documents.grants.is_empty());
    if oauth_documents().next().is_some() {
        let servers = Servers::of(all);
        for (index, analysis) in oauth_documents() {
            // What was captured of a server is told of the server.
            let own = analysis
                .entries
                .iter()
                .position(|entry| analysis.listing_of(entry).is_some_and(|listing| listing.captured.is_some()));
            out.extend(
                analysis
                    .oauth_documents
                    .grants
                    .iter()
                    .filter_map(|grant| servers.held(all, (index, own), analysis, grant)),
            );
        }
    }
    out
}

/// What all of these servers list, each once; nothing where one has not been asked.
fn listings_of<'a>(all: &All<'a>, entries: &[(&'a Analysis, &'a Entry)]) -> Vec<&'a Listing> {
    let found = entries.iter().map(|(analysis, entry)| analysis.listing_of(entry).or_else(|| all.listing_of(entry)));
    let mut out: Vec<&'a Listing> = found.collect::<Option<_>>().unwrap_or_default();
    out.sort_by_key(|listing| core::ptr::from_ref(*listing));
    out.dedup_by(|a, b| core::ptr::eq(*a, *b));
    out
}

/// Every JSON Web Token that lies there.
fn tokens<'a>(all: &All<'a>) -> Vec<HeldGrant<'a>> {
    let found: Vec<(EntryRef, &Analysis, &Credential)> =
        plaintext(all).filter(|(_, _, credential)| is_web_token(credential)).collect();
    // One token may be handed to several servers: each of them may need it.
    let mut users: BTreeMap<&str, Vec<(&'a Analysis, &'a Entry)>> = BTreeMap::new();
    for (entry_ref, analysis, credential) in &found {
        let entry = entry_ref.entry.and_then(|entry| analysis.entries.get(entry));
        users.entry(&credential.value.text).or_default().extend(entry.map(|entry| (*analysis, entry)));
    }
    let decoded = found.iter().filter_map(|(entry_ref, _, credential)| {
        Some((entry_ref, credential, Claims::decode(&credential.value.text)?))
    });
    decoded
        .map(|(entry_ref, credential, claims)| HeldGrant {
            entry_ref: *entry_ref,
            at: credential.value.clone(),
            what: "a token".into(),
            scopes: claims.scopes,
            has_audience: Some(!claims.audience.is_empty()),
            issued: claims.issued,
            expires: claims.expires,
            endless: claims.expires.is_none().then(|| (credential.value.clone(), Confidence::Certain)),
            used: When::Unsaid,
            meant: users
                .get(credential.value.text.as_str())
                .map(|users| GrantTarget::of(all, users))
                .unwrap_or_default(),
        })
        .collect()
}

fn is_web_token(credential: &Credential) -> bool {
    matches!(credential.why, Why::Format(format, _) if format.id.starts_with("json-web-token"))
}

/// The entries of all setups by what a grant may call them.
struct Servers<'a> {
    names: BTreeMap<String, Vec<(&'a Analysis, &'a Entry)>>,
    hosts: BTreeMap<&'a str, Vec<(&'a Analysis, &'a Entry)>>,
    /// What is known already: thousands of people are granted the same.
    known: RefCell<BTreeMap<String, Rc<GrantTarget<'a>>>>,
}

/// More entries of one name or host are not looked at for each grant.
const MAX_CANDIDATES: usize = 64;

impl<'a> Servers<'a> {
    fn of(all: &All<'a>) -> Self {
        let mut names: BTreeMap<String, Vec<(&'a Analysis, &'a Entry)>> = BTreeMap::new();
        let mut hosts: BTreeMap<&'a str, Vec<(&'a Analysis, &'a Entry)>> = BTreeMap::new();
        for (_, analysis, entry) in all.entries() {
            for name in entry.aliases() {
                names.entry(name).or_default().push((analysis, entry));
            }
            if let Some(remote) = &entry.remote {
                hosts.entry(&remote.host).or_default().push((analysis, entry));
            }
        }
        Self { names, hosts, known: RefCell::default() }
    }

    /// What a grant of these names is for.
    fn meant_by(&self, all: &All<'a>, names: &[Located]) -> Rc<GrantTarget<'a>> {
        let key = names.iter().map(|name| name.text.as_str()).collect::<Vec<_>>().join("\n");
        let known = self.known.borrow().get(&key).cloned();
        known.unwrap_or_else(|| {
            let meant = GrantTarget::of(all, &self.meant(names));
            self.known.borrow_mut().insert(key, meant.clone());
            meant
        })
    }

    /// The entries that one of these names or addresses means; what stands for a listing comes last.
    fn meant(&self, names: &[Located]) -> Vec<(&'a Analysis, &'a Entry)> {
        let mut found = Vec::new();
        for Located { text, .. } in names {
            if text.contains("://") {
                let host = url::Url::parse(text).ok().and_then(|url| url.host_str().map(str::to_ascii_lowercase));
                let at = |(_, entry): &&(&Analysis, &Entry)| {
                    entry.remote.as_ref().is_some_and(|r| covers(text, &r.url.text) == Some(true))
                };
                let there = host.and_then(|host| self.hosts.get(host.trim_matches(['[', ']'])));
                found.extend(there.into_iter().flatten().take(MAX_CANDIDATES).filter(at).copied());
            } else {
                found
                    .extend(self.names.get(&normalized_name(text)).into_iter().flatten().take(MAX_CANDIDATES).copied());
            }
        }
        found.sort_by_key(|(_, entry)| entry.listing.is_some());
        found
    }

    fn held(
        &self,
        all: &All<'a>,
        (index, own): (usize, Option<usize>),
        analysis: &'a Analysis,
        grant: &Grant,
    ) -> Option<HeldGrant<'a>> {
        // A token that says all of itself is told where it stands.
        if grant.source == GrantSource::Response && analysis.credentials.iter().any(is_web_token) {
            return None;
        }
        let captured = own.filter(|_| grant.source != GrantSource::List);
        let meant = match captured.and_then(|entry| analysis.entries.get(entry)) {
            Some(own) => GrantTarget::of(all, &[(analysis, own)]),
            None => self.meant_by(all, &grant.names),
        };
        let sure = if grant.source == GrantSource::Introspection { Confidence::Possible } else { Confidence::Certain };
        let endless = match &grant.expires {
            When::Never(at) => Some((at.clone(), sure)),
            // An answer about a token need not say when it ends (RFC 7662, 2.2).
            When::Unsaid if grant.source == GrantSource::Introspection => Some((grant.start.clone(), sure)),
            When::Unsaid | When::Unclear | When::At(..) => None,
        };
        Some(HeldGrant {
            entry_ref: EntryRef { analysis: index, entry: captured },
            at: grant.at.clone(),
            what: what(grant),
            scopes: grant.scopes.clone(),
            has_audience: match (grant.source, &grant.audience) {
                (GrantSource::Claims, audience) => Some(audience.as_ref().is_some_and(|list| !list.is_empty())),
                (GrantSource::Introspection, None) => Some(false),
                (_, audience) => audience.as_ref().map(|_| true),
            },
            issued: grant.issued.seconds(),
            expires: grant.expires.seconds(),
            endless,
            used: grant.used.clone(),
            meant,
        })
    }
}

/// What a grant is, in words.
fn what(grant: &Grant) -> String {
    match (grant.source, grant.names.first()) {
        (GrantSource::Introspection | GrantSource::Claims, _) => "the token in use".into(),
        (GrantSource::Response, _) => "a token".into(),
        (GrantSource::List, Some(name)) => format!("the grant of {}", name.text),
        (GrantSource::List, None) => "a grant".into(),
    }
}
