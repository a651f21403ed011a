//! Everything that somebody holds: tokens that lie there and grants that are told of, with the login that each belongs to. Rules of scopes and of
//! logins look at the same.

use crate::evidence::Listing;
use crate::evidence::oauth::{Claims, Grant, GrantSource, When, covers};
use crate::judge::{All, EntryRef};
use crate::prelude::*;
use crate::severity::Confidence;
use crate::text::{Located, normal};
use crate::understand::{Analysis, Credential, Entry, Login, Part, normalized_name};
use alloc::rc::Rc;
use core::cell::RefCell;

/// Seconds of a day.
pub(in crate::rules) const DAY: i64 = 86_400;

/// Every credential with where it stands, and its number there.
fn credentials<'a>(all: &All<'a>) -> impl Iterator<Item = (EntryRef, usize, &'a Analysis, &'a Credential)> {
    all.analyses.iter().enumerate().flat_map(|(index, analysis)| {
        let of_entries = analysis.entries.iter().enumerate().map(|(e, entry)| (Some(e), &entry.credentials));
        of_entries.chain([(None, &analysis.credentials)]).flat_map(move |(entry, credentials)| {
            let entry_ref = EntryRef { analysis: index, entry };
            credentials.iter().enumerate().map(move |(at, credential)| (entry_ref, at, analysis, credential))
        })
    })
}

/// Every plaintext credential with where it stands.
pub(in crate::rules) fn plaintext<'a>(all: &All<'a>) -> impl Iterator<Item = (EntryRef, &'a Analysis, &'a Credential)> {
    credentials(all)
        .filter(|(.., credential)| credential.is_plaintext())
        .map(|(entry_ref, _, analysis, credential)| (entry_ref, analysis, credential))
}

/// What somebody holds: a token that lies there, or a grant that is told of.
pub(in crate::rules) struct HeldGrant<'a> {
    /// Where it stands.
    pub(in crate::rules) entry_ref: EntryRef,
    /// The token, or the place of the scopes.
    pub(in crate::rules) at: Located,
    /// What it is, as `a token`.
    pub(in crate::rules) what: String,
    /// What it lets do.
    pub(in crate::rules) scopes: Vec<String>,
    /// Whom it is meant for: is somebody named? `None` where nothing is said of it.
    pub(in crate::rules) has_audience: Option<bool>,
    /// Whom it is meant for.
    pub(in crate::rules) audience: Vec<String>,
    /// Where it is said whom it is meant for; the whole where nothing says so apart.
    pub(in crate::rules) audience_at: Located,
    /// Who issued it.
    pub(in crate::rules) issuer: Option<String>,
    /// How it is signed, where that shows.
    pub(in crate::rules) algorithm: Option<String>,
    /// Where it says that its key is to be fetched.
    pub(in crate::rules) key_addresses: Vec<String>,
    /// Does it bring its own key?
    pub(in crate::rules) brings_key: bool,
    /// Does it say to a client who somebody is, rather than open a server?
    pub(in crate::rules) identifies: bool,
    /// Is it handed to a server, or lies where nothing else but access tokens would?
    pub(in crate::rules) at_server: bool,
    /// The server that it is used at.
    pub(in crate::rules) server: Option<String>,
    /// What that server calls itself.
    pub(in crate::rules) resources: Vec<String>,
    /// The login that it belongs to.
    pub(in crate::rules) login: Option<&'a Login>,
    /// When it was granted, in seconds since 1970.
    pub(in crate::rules) issued: Option<i64>,
    /// When it ends, likewise.
    pub(in crate::rules) expires: Option<i64>,
    /// Where it is said, and how surely, that it has no end.
    pub(in crate::rules) endless: Option<(Located, Confidence)>,
    /// When it was last used, for grants of a list.
    pub(in crate::rules) used: When,
    /// What it is for.
    pub(in crate::rules) meant: Rc<GrantTarget<'a>>,
}

/// The servers that something is for.
#[derive(Default)]
pub(in crate::rules) struct GrantTarget<'a> {
    /// Is there an entry of them, and is every one switched off?
    pub(in crate::rules) off: bool,
    /// What they list; empty where that of one is not known.
    pub(in crate::rules) listings: Vec<&'a Listing>,
}

impl<'a> GrantTarget<'a> {
    fn of(all: &All<'a>, entries: &[(&'a Analysis, &'a Entry)]) -> Rc<Self> {
        let off = !entries.is_empty() && entries.iter().all(|(_, entry)| entry.disabled);
        Rc::new(Self { off, listings: listings_of(all, entries) })
    }
}

/// Everything that somebody holds.
pub(in crate::rules) fn held<'a>(all: &All<'a>) -> Vec<HeldGrant<'a>> {
    gathered(all, |_| true)
}

/// What is used at a server: tokens, and what is told of them. A list of grants, which may be long, says nothing of a login.
pub(in crate::rules) fn used<'a>(all: &All<'a>) -> Vec<HeldGrant<'a>> {
    gathered(all, |source| source != GrantSource::List)
}

fn gathered<'a>(all: &All<'a>, wanted: fn(GrantSource) -> bool) -> Vec<HeldGrant<'a>> {
    let mut out = tokens(all);
    let oauth_documents = || {
        all.analyses.iter().enumerate().filter(|(_, own)| own.oauth_documents.grants.iter().any(|g| wanted(g.source)))
    };
    if oauth_documents().next().is_some() {
        let servers = Servers::of(all);
        for (index, analysis) in oauth_documents() {
            // What was captured of a server is told of the server.
            let own = analysis
                .entries
                .iter()
                .position(|entry| analysis.listing_of(entry).is_some_and(|listing| listing.captured.is_some()));
            let grants = analysis.oauth_documents.grants.iter().enumerate().filter(|(_, grant)| wanted(grant.source));
            out.extend(grants.filter_map(|(at, grant)| {
                let login = all.logins.of_grant(Part { analysis: index, index: at });
                servers.held(all, (index, own), analysis, grant, login)
            }));
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
    let found: Vec<(EntryRef, usize, &Analysis, &Credential)> =
        credentials(all).filter(|(.., credential)| credential.is_web_token()).collect();
    // One token may be handed to several servers: each of them may need it.
    let mut users: BTreeMap<&str, Vec<(&'a Analysis, &'a Entry)>> = BTreeMap::new();
    for (entry_ref, _, analysis, credential) in &found {
        let entry = entry_ref.entry.and_then(|entry| analysis.entries.get(entry));
        users.entry(&credential.value.text).or_default().extend(entry.map(|entry| (*analysis, entry)));
    }
    let decoded = found.iter().filter_map(|(entry_ref, index, _, credential)| {
        Some((
            entry_ref,
            *index,
            credential,
            Claims::decode(&credential.value.text).filter(|claims| !is_statement(claims))?,
        ))
    });
    decoded
        .map(|(entry_ref, index, credential, claims)| {
            let at = &all.analyses.get(entry_ref.analysis);
            let login = match entry_ref.entry {
                Some(entry) => all.logins.of_entry(Part { analysis: entry_ref.analysis, index: entry }),
                None => all.logins.of_token(Part { analysis: entry_ref.analysis, index }),
            };
            let entry = entry_ref.entry.and_then(|entry| at.as_ref()?.entries.get(entry));
            let address = entry.and_then(|entry| Some(entry.remote.as_ref()?.url.text.clone()));
            HeldGrant {
                entry_ref: *entry_ref,
                at: credential.value.clone(),
                what: "a token".into(),
                has_audience: Some(claims.audience.iter().any(|aud| !is_anybody(aud))),
                issued: claims.issued,
                expires: claims.expires,
                endless: (claims.expires.is_none() || claims.in_milliseconds)
                    .then(|| (credential.value.clone(), Confidence::Certain)),
                used: When::Unsaid,
                meant: match users.get(credential.value.text.as_str()).filter(|users| !users.is_empty()) {
                    Some(users) => GrantTarget::of(all, users),
                    None => GrantTarget::of(all, &login.map(|login| entries_of(login, all)).unwrap_or_default()),
                },
                at_server: !is_identity(&credential.name)
                    && !at.is_some_and(|own| is_identity(file_name(own.document.file()))),
                server: address.or_else(|| login.and_then(|login| login.address(all.analyses)).map(str::to_owned)),
                resources: login.map(|login| own_names(login, all)).unwrap_or_default(),
                login,
                scopes: claims.scopes,
                audience: claims.audience,
                audience_at: credential.value.clone(),
                issuer: claims.issuer,
                algorithm: claims.algorithm,
                key_addresses: claims.key_addresses,
                brings_key: claims.brings_key,
                identifies: claims.identifies,
            }
        })
        .collect()
}

/// Does an audience leave open whom a token is for?
fn is_anybody(audience: &str) -> bool {
    matches!(audience.trim(), "" | "*")
}

/// Is it a token by which something else is shown than that its holder may act: a proof of possession, a request, an event (RFC 8725, 3.11)?
fn is_statement(claims: &Claims) -> bool {
    let kind = claims.kind.as_deref().map(|kind| kind.trim_start_matches("application/"));
    kind.is_some_and(|kind| kind.ends_with("+jwt") && kind != "at+jwt")
}

fn file_name(path: &str) -> &str {
    path.rsplit('/').next().unwrap_or(path)
}

/// Is a value called an identity token? Then it is one, and rightly.
fn is_identity(name: &str) -> bool {
    let plain = normal(name);
    plain.contains("idtoken") || plain.contains("identitytoken")
}

/// The entries that call the server of a login.
fn entries_of<'a>(login: &Login, all: &All<'a>) -> Vec<(&'a Analysis, &'a Entry)> {
    let entries = login.entries.iter().filter_map(|part| {
        let analysis = all.analyses.get(part.analysis)?;
        Some((analysis, analysis.entries.get(part.index)?))
    });
    entries.collect()
}

/// What a server calls itself in its metadata.
fn own_names(login: &Login, all: &All<'_>) -> Vec<String> {
    login
        .resources(all.analyses)
        .take(MAX_CANDIDATES)
        .filter_map(|(_, paper)| Some(paper.resource.as_ref()?.text.clone()))
        .collect()
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
        login: Option<&'a Login>,
    ) -> Option<HeldGrant<'a>> {
        // A token that says all of itself is told where it stands.
        if grant.source == GrantSource::Response && analysis.credentials.iter().any(Credential::is_web_token) {
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
            When::At(_, at) if grant.in_milliseconds => Some((at.clone(), sure)),
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
                // They say all of it: what is not there is not so.
                (GrantSource::Claims | GrantSource::Introspection, audience) => {
                    Some(audience.iter().flatten().any(|aud| !is_anybody(&aud.text)))
                }
                (GrantSource::Response | GrantSource::List, audience) => audience.as_ref().map(|_| true),
            },
            audience: grant.audience.iter().flatten().map(|aud| aud.text.clone()).collect(),
            audience_at: grant.audience.iter().flatten().next().unwrap_or(&grant.at).clone(),
            issuer: grant.issuer.as_ref().map(|issuer| issuer.text.clone()),
            algorithm: None,
            key_addresses: Vec::new(),
            brings_key: false,
            identifies: false,
            at_server: true,
            server: login
                .filter(|_| matches!(grant.source, GrantSource::Introspection | GrantSource::Claims))
                .and_then(|login| login.address(all.analyses))
                .map(str::to_owned),
            resources: login.map(|login| own_names(login, all)).unwrap_or_default(),
            login,
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
