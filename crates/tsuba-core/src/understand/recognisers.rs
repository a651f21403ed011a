//! The kinds of documents, as a table: what marks each, what it yields, and how one is known that cannot be read. A new kind is a file and a line.

use super::deploy::Made;
use super::manifest::Manifest;
use super::setup::{Found, SetupKind};
use super::signs::Signs;
use super::{beside, deploy, gateway, manifest, setup};
use crate::evidence::oauth::{Papers, looks_like_papers, papers};
use crate::evidence::{Listing, listings, looks_like_listing};
use crate::prelude::*;
use crate::read::{Document, Notation};
use crate::understand::Beside;

/// What is recognised in a document. A document may be of several kinds.
#[derive(Default)]
pub(super) struct Taken<'d> {
    /// The servers that a client has in it.
    pub(super) found: Option<Found<'d>>,
    /// What servers list in it.
    pub(super) listings: Vec<Listing>,
    /// What it holds about how to log in.
    pub(super) papers: Papers,
    /// Servers that are put together from what it deploys or publishes, and what kind that makes it.
    pub(super) made: Option<(SetupKind, Vec<Made>)>,
    /// What it publishes.
    pub(super) manifest: Option<Manifest>,
    /// What kind it is by what it says of the way to servers.
    pub(super) way: Option<SetupKind>,
    /// What it says of that way.
    pub(super) beside: Beside,
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
    &[setup::KIND, LISTING, PAPERS, manifest::KIND, deploy::KIND, beside::KIND, gateway::KIND];

/// What a text shows as an example is no answer of anybody.
fn answers(notation: Notation) -> bool {
    notation != Notation::Prose
}

/// A listing of what a server offers.
const LISTING: Recogniser = Recogniser {
    marks: |signs, notation| signs.listing && answers(notation),
    take: |document, taken| taken.listings = listings(document),
    looks: looks_like_listing,
};

/// Metadata, tokens, grants.
const PAPERS: Recogniser = Recogniser {
    marks: |signs, notation| signs.papers && answers(notation),
    take: |document, taken| taken.papers = papers(document),
    looks: looks_like_papers,
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
    /// Is the document none that says anything about tool servers?
    pub(super) fn is_nothing(&self) -> bool {
        self.found.is_none()
            && self.listings.is_empty()
            && self.papers.is_empty()
            && self.made.is_none()
            && self.way.is_none()
    }
}
