//! The kinds of documents, as a table: what marks each, what it yields, and how one is known that cannot be read. A new kind is a file and an entry here.

use super::deploy::Made;
use super::gateway::Gate;
use super::guide::{self, Guide};
use super::manifest::Manifest;
use super::permissions::{Permissions, permissions};
use super::setup::{Found, SetupKind};
use super::signs::Signs;
use super::{NetworkExposure, deploy, exposure, gateway, manifest, setup};
use crate::evidence::oauth::{OAuthDocuments, holds_tokens, looks_like_papers, oauth_documents};
use crate::evidence::{Listing, Reading, listings, looks_like_listing, reading};
use crate::prelude::*;
use crate::read::{Document, Notation};

/// What is recognised in a document. A document may be of several kinds.
#[derive(Default)]
pub(super) struct Taken<'d> {
    /// The servers that a client has in it.
    pub(super) found: Option<Found<'d>>,
    /// What servers list in it.
    pub(super) listings: Vec<Listing>,
    /// What it holds about how to log in.
    pub(super) oauth_documents: OAuthDocuments,
    /// Servers that are put together from what it deploys or publishes, and what kind that makes it.
    pub(super) made: Option<(SetupKind, Vec<Made>)>,
    /// What it publishes.
    pub(super) manifest: Option<Manifest>,
    /// What kind it is by what it says of the way to servers.
    pub(super) way: Option<SetupKind>,
    /// What it says of that way.
    pub(super) exposure: NetworkExposure,
    /// What a model thinks of texts.
    pub(super) reading: Option<Reading>,
    /// What it lets run without asking.
    pub(super) permissions: Permissions,
    /// What it tells a model that it should not.
    pub(super) guide: Option<Guide>,
    /// The servers that it routes to, where it is a gateway.
    pub(super) routed: Option<Vec<Made>>,
}

/// A kind of document.
pub(super) struct Recogniser {
    /// May a document be of this kind, by the words in it and its notation? Without that it is not walked through.
    pub(super) marks: fn(&Signs, Notation) -> bool,
    /// Adds what the document yields to what those before have taken.
    pub(super) take: for<'d> fn(&'d Document, &mut Taken<'d>),
    /// Does a text that cannot be read look like one? Then it is told as unread; no text does of a kind of which there is no telling word.
    pub(super) looks: fn(&[u8]) -> bool,
}

/// In the order in which they look: the later ones leave to the earlier ones what those have taken.
pub(super) const RECOGNISERS: &[Recogniser] =
    &[SETUP, LISTING, PAPERS, TOKENS, MANIFEST, DEPLOYED, BESIDE, READING, PERMISSIONS, GUIDE, GATEWAY];

/// What a text shows as an example, or a program holds, is no answer of anybody.
fn answers(notation: Notation) -> bool {
    !matches!(notation, Notation::Prose | Notation::Script)
}

/// A listing of what a server offers.
const LISTING: Recogniser = Recogniser {
    marks: |signs, notation| signs.listing && answers(notation),
    take: |document, taken| taken.listings = listings(document),
    looks: looks_like_listing,
};

/// Metadata, tokens, grants.
const PAPERS: Recogniser = Recogniser {
    marks: |signs, notation| signs.oauth_documents && answers(notation),
    take: |document, taken| taken.oauth_documents = oauth_documents(document),
    looks: looks_like_papers,
};

/// A token that lies in a file of its own, or in a line of a log.
const TOKENS: Recogniser = Recogniser {
    marks: |_, notation| matches!(notation, Notation::Token | Notation::Prose | Notation::Json),
    take: |document, taken| {
        if holds_tokens(document) {
            taken.way = taken.way.or(Some(SetupKind::Login));
        }
    },
    looks: |_| false,
};

/// A setup.
const SETUP: Recogniser = Recogniser {
    marks: |signs, _| signs.setup,
    take: |document, taken| taken.found = setup::recognise(document),
    looks: setup::looks_like_setup,
};

/// A manifest that publishes servers.
const MANIFEST: Recogniser = Recogniser {
    marks: |_, notation| matches!(notation, Notation::Json | Notation::Toml | Notation::Fields),
    take: |document, taken| {
        if let Some((kind, servers, manifest)) = if taken.is_free() { manifest::made(document) } else { None } {
            (taken.made, taken.manifest) = (Some((kind, servers)), Some(manifest));
        }
    },
    // A file that deploys looks alike.
    looks: |_| false,
};

/// What runs servers in containers, or as a service of the system.
const DEPLOYED: Recogniser = Recogniser {
    marks: |_, _| true,
    take: |document, taken| {
        if taken.is_free() && taken.made.is_none() {
            taken.made = deploy::made(document);
        }
    },
    looks: deploy::looks_like_deployment,
};

/// What stands beside servers.
const BESIDE: Recogniser = Recogniser {
    marks: |_, _| true,
    take: |document, taken| {
        if let Some((kind, found)) = exposure::exposure(document, taken.made.as_ref().map(|(_, made)| made.as_slice()))
        {
            (taken.way, taken.exposure) = (Some(kind), found);
        }
    },
    looks: |_| false,
};

/// What a model thinks of texts.
const READING: Recogniser = Recogniser {
    marks: |_, notation| notation == Notation::Json,
    take: |document, taken| {
        if let Some(reading) = reading(document) {
            (taken.way, taken.reading) = (Some(SetupKind::Reading), Some(reading));
        }
    },
    looks: |_| false,
};

/// What runs without asking.
const PERMISSIONS: Recogniser = Recogniser {
    marks: |signs, _| signs.permissions,
    take: |document, taken| {
        // Nobody reads what is no longer there.
        if document.facts.superseded {
            return;
        }
        let own: Vec<&str> =
            taken.found.iter().flat_map(|found| &found.servers).map(|server| server.name.text.as_str()).collect();
        taken.permissions = permissions(document, &own);
        if !taken.permissions.is_empty() {
            taken.way = taken.way.or(Some(SetupKind::Permissions));
        }
    },
    looks: |_| false,
};

/// What a program hands to its model.
const GUIDE: Recogniser = Recogniser {
    marks: |_, notation| notation == Notation::Prose,
    take: |document, taken| {
        if let Some(guide) = guide::guide(document) {
            taken.way = taken.way.or(Some(SetupKind::Instructions));
            taken.guide = Some(guide);
        }
    },
    looks: |_| false,
};

/// A gateway.
const GATEWAY: Recogniser = Recogniser {
    marks: |_, notation| matches!(notation, Notation::Json | Notation::Yaml | Notation::Toml),
    take: |document, taken| {
        let Some(Gate { gateway, acceptances, made, blocks }) = gateway::gateway(document, taken.found.as_ref()) else {
            return;
        };
        // What a gateway is told about its provider is not what that provider says of itself.
        taken.oauth_documents.servers.retain(|server| !blocks.contains(&server.start.pointer));
        taken.oauth_documents.acceptances = acceptances;
        taken.exposure.gateway = Some(gateway);
        taken.routed = Some(made);
        taken.way = taken.way.or(Some(SetupKind::Gateway));
    },
    looks: gateway::looks_like_gateway,
};

/// Everything that a document is.
pub(super) fn taken(document: &Document) -> Taken<'_> {
    let signs = Signs::of(document);
    let mut taken = Taken::default();
    for kind in RECOGNISERS.iter().filter(|kind| (kind.marks)(&signs, document.notation)) {
        (kind.take)(document, &mut taken);
    }
    taken
}

impl Taken<'_> {
    /// Does the document set up nothing itself yet? What its strings say leaves open what it is.
    fn is_free(&self) -> bool {
        self.found.as_ref().is_none_or(|found| found.embedded)
    }

    /// Is the document none that says anything about tool servers?
    pub(super) fn is_nothing(&self) -> bool {
        self.found.is_none()
            && self.listings.is_empty()
            && self.oauth_documents.is_empty()
            && self.made.is_none()
            && self.way.is_none()
    }
}
