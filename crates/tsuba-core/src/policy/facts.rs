//! What an expression of a policy can see of an entry: the fields of the report's entry by their names there, and what is known of its
//! server. Every field is always there: what does not apply is empty, so that nobody has to ask first.

use crate::evidence::{Item, Listing, Passage};
use crate::prelude::*;
use crate::register::ReviewStatus;
use crate::understand::launch::{LaunchSummary, Pin, Source, StepSummary};
use crate::understand::{Analysis, Entry, listing_of};
use serde::Serialize;

/// An entry, as an expression sees it.
#[derive(Clone, Debug, Default, Serialize)]
pub(super) struct EntryFacts {
    /// The path of the setup.
    setup: String,
    team: String,
    owner: String,
    tracked: bool,
    name: String,
    transport: &'static str,
    launch: LaunchSummary,
    remote: RemoteFacts,
    credentials: Vec<CredentialFacts>,
    reach: ReachFacts,
    asks: &'static str,
    disabled: bool,
    listing: ListingFacts,
    login: LoginFacts,
    /// `unknown`, `approved`, …; empty without a register.
    standing: &'static str,
}

#[derive(Clone, Debug, Default, Serialize)]
struct RemoteFacts {
    url: String,
    host: String,
    loopback: bool,
}

#[derive(Clone, Debug, Default, Serialize)]
struct CredentialFacts {
    place: &'static str,
    name: String,
    kind: &'static str,
}

#[derive(Clone, Debug, Default, Serialize)]
struct ReachFacts {
    folders: Vec<String>,
    hosts: Vec<String>,
    powers: Vec<&'static str>,
}

#[derive(Clone, Debug, Default, Serialize)]
struct ListingFacts {
    /// Is anything known of what the server lists?
    known: bool,
    items: Vec<ItemFacts>,
    texts: Vec<TextFacts>,
}

#[derive(Clone, Debug, Default, Serialize)]
struct ItemFacts {
    kind: &'static str,
    name: String,
    /// What it says of itself (protocol 2025-03-26, tool annotations); false where it says nothing.
    read_only: bool,
    /// Likewise; true where it says nothing, as the protocol has it.
    destructive: bool,
    texts: Vec<TextFacts>,
}

#[derive(Clone, Debug, Default, Serialize)]
struct TextFacts {
    place: &'static str,
    text: String,
}

#[derive(Clone, Debug, Default, Serialize)]
struct LoginFacts {
    /// The authorization servers that the server names (RFC 9728, 2).
    issuers: Vec<String>,
    /// The scopes that it knows.
    scopes: Vec<String>,
}

impl EntryFacts {
    /// An entry of which everything is known, and all of it nothing: an expression that cannot be applied to it has a mistake.
    pub(super) fn blank() -> Self {
        let text = || vec![TextFacts::default()];
        let (runner, package, version) = (String::new(), String::new(), String::new());
        let step = StepSummary { runner, source: Source::Path, package, version, pin: Pin::Local, aside: false };
        Self {
            credentials: vec![CredentialFacts::default()],
            listing: ListingFacts {
                known: true,
                items: vec![ItemFacts { texts: text(), ..ItemFacts::default() }],
                texts: text(),
            },
            launch: LaunchSummary { via: vec![step], ..LaunchSummary::default() },
            ..Self::default()
        }
    }

    pub(super) fn of(
        analyses: &[Analysis],
        analysis: &Analysis,
        entry: &Entry,
        standing: Option<&ReviewStatus>,
    ) -> Self {
        let facts = &analysis.document.facts;
        let listed = entry.listed.and_then(|listed| analyses.get(listed.analysis));
        let listing = analysis.listing_of(entry).or_else(|| listing_of(analyses, entry));
        Self {
            setup: analysis.document.path.clone(),
            team: facts.team.clone().unwrap_or_default(),
            owner: facts.owner.clone().unwrap_or_default(),
            tracked: facts.tracked == Some(true),
            name: entry.name.text.clone(),
            transport: entry.transport.name(),
            launch: entry.plan.as_ref().map(|plan| plan.describe()).unwrap_or_default(),
            remote: entry.remote.as_ref().map_or_else(RemoteFacts::default, |remote| RemoteFacts {
                url: remote.url.text.clone(),
                host: remote.host.clone(),
                loopback: remote.loopback,
            }),
            credentials: entry
                .credentials
                .iter()
                .map(|h| CredentialFacts { place: h.place.name(), name: h.name.clone(), kind: h.kind.name() })
                .collect(),
            reach: ReachFacts {
                folders: entry.reach.folders.iter().map(|folder| folder.path.text.clone()).collect(),
                hosts: entry.reach.hosts.clone(),
                powers: entry.reach.powers.iter().map(|power| power.name()).collect(),
            },
            asks: entry.asks().name(),
            disabled: entry.disabled,
            listing: listing.map(ListingFacts::of).unwrap_or_default(),
            login: listed.map(LoginFacts::of).unwrap_or_default(),
            standing: standing.map(ReviewStatus::name).unwrap_or_default(),
        }
    }
}

impl ListingFacts {
    fn of(listing: &Listing) -> Self {
        let of = |item: &Item| ItemFacts {
            kind: item.kind.name(),
            name: item.name.text.clone(),
            read_only: item.hints.read_only.as_ref().is_some_and(|hint| hint.0),
            destructive: item.hints.destructive.as_ref().is_none_or(|hint| hint.0),
            texts: texts(listing.passages.get(item.passages.clone()).unwrap_or_default().iter()),
        };
        Self {
            known: true,
            items: listing.items.iter().map(of).collect(),
            texts: texts(listing.passages.iter().filter(|passage| passage.item.is_none())),
        }
    }
}

fn texts<'p>(passages: impl Iterator<Item = &'p Passage>) -> Vec<TextFacts> {
    passages.map(|p| TextFacts { place: p.place.name(), text: p.at.text.clone() }).collect()
}

impl LoginFacts {
    fn of(analysis: &Analysis) -> Self {
        let oauth_documents = &analysis.oauth_documents;
        let issuers = oauth_documents.resources.iter().flat_map(|paper| &paper.servers);
        let scopes = oauth_documents.resources.iter().flat_map(|paper| &paper.scopes);
        Self {
            issuers: issuers.map(|at| at.text.clone()).collect(),
            scopes: scopes.map(|at| at.text.clone()).collect(),
        }
    }
}
