//! understand: what each entry of a setup really runs, reaches, and is handed.

mod beside;
mod called;
pub mod credential;
mod deploy;
mod entry;
mod gateway;
mod handed;
pub mod launch;
mod manifest;
mod reach;
mod remote;
mod setup;
mod signs;
mod unasked;
mod variables;

pub use beside::{Beside, Card};
pub(crate) use called::plain_name;
pub(crate) use deploy::{REFERENCE, packs_secrets};
pub use entry::{Asks, Entry, Listed, Transport};
pub use gateway::Gateway;
pub use handed::Handed;
pub use manifest::{Manifest, Published};
pub use reach::{Folder, Power, Reach};
pub use remote::{Remote, Scheme};
pub use setup::{Found, SetupKind};
pub use unasked::Unasked;
pub use variables::Variable;

use crate::evidence::oauth::{Papers, looks_like_papers, papers};
use crate::evidence::{Listing, listings, looks_like_listing};
use crate::prelude::*;
use crate::read::{Document, Input, Notation, Unreadable, read, read_pasted};
use crate::text::{Located, Pointer, Span};
use credential::Lexicon;
use gateway::Gate;
use signs::Signs;
pub(crate) use signs::missed;

/// A document that configures tool servers, or lies beside one, as far as it is understood.
#[derive(Clone, Debug)]
pub struct Study {
    /// The document.
    pub document: Document,
    /// What kind of setup it is.
    pub kind: SetupKind,
    /// Its entries, in the order written.
    pub entries: Vec<Entry>,
    /// Values handed over by the document that belong to no entry (a dotenv file's lines, an input's default).
    pub handed: Vec<Handed>,
    /// Keys that occur twice in one mapping of a setup: the earlier place, which does not count.
    pub duplicates: Vec<Located>,
    /// Switches that import or enable servers of other programs or of the project without asking.
    pub imports: Vec<Located>,
    /// What servers list in it.
    pub listings: Vec<Listing>,
    /// What it holds about how to log in.
    pub papers: Papers,
    /// What it publishes.
    pub manifest: Option<Manifest>,
    /// What it says of the way to servers.
    pub beside: Beside,
    /// The entries elsewhere that are handed what stands in it, by their names; known once everything is read.
    pub given_to: BTreeSet<String>,
}

/// The outcome of studying a file.
#[derive(Debug)]
pub enum Outcome {
    /// It is a setup, a dotenv file, a listing, or OAuth evidence.
    Setup(Box<Study>),
    /// It is something else.
    Other,
    /// It looks like a setup and cannot be read: why, and on which line.
    Unread(Unreadable, Option<u32>),
}

/// Reads and understands one file.
pub fn study(input: Input, lexicon: &Lexicon) -> Outcome {
    let document = match read(input) {
        Ok(document) => document,
        Err(failed) => {
            let (unreadable, input) = *failed;
            let looks = [
                setup::looks_like_setup,
                looks_like_listing,
                looks_like_papers,
                deploy::looks_like_deployment,
                gateway::looks_like_gateway,
            ];
            if !looks.iter().any(|looks| looks(&input.bytes)) {
                return Outcome::Other;
            }
            let line = unreadable.at.map(|at| crate::read::line_of(&input.bytes, at));
            return Outcome::Unread(unreadable, line);
        }
    };
    understood(document, lexicon)
}

/// Reads and understands what a person pastes; [`Outcome::Other`] where it is no candidate.
pub fn study_pasted(text: &str, lexicon: &Lexicon) -> Outcome {
    read_pasted(text).map_or(Outcome::Other, |document| understood(document, lexicon))
}

fn understood(document: Document, lexicon: &Lexicon) -> Outcome {
    let signs = Signs::of(&document);
    let found = if signs.setup { setup::recognise(&document) } else { None };
    // What a text shows as an example is no answer of anybody.
    let shown = document.notation == Notation::Prose;
    let listings = if shown || !signs.listing { Vec::new() } else { listings(&document) };
    let mut papers = if shown || !signs.papers { Papers::default() } else { papers(&document) };
    let published =
        if found.is_none() && document.notation == Notation::Json { manifest::made(&document) } else { None };
    let (published, manifest) = published.map(|(kind, made, manifest)| ((kind, made), manifest)).unzip();
    let deployed = published.or_else(|| if found.is_none() { deploy::made(&document) } else { None });
    let (way, beside) = beside::beside(&document).unzip();
    let mut beside = beside.unwrap_or_default();
    let gate = gateway::gateway(&document, found.as_ref());
    let mut routed = None;
    let way = way.or(gate.as_ref().map(|_| SetupKind::Gateway));
    if let Some(Gate { gateway, acceptances, made, blocks }) = gate {
        // What a gateway is told about its provider is not what that provider says of itself.
        papers.servers.retain(|server| !blocks.contains(&server.start.pointer));
        papers.acceptances = acceptances;
        beside.gateway = Some(gateway);
        routed = Some((SetupKind::Gateway, made));
    }
    if found.is_none() && listings.is_empty() && papers.is_empty() && deployed.is_none() && way.is_none() {
        return Outcome::Other;
    }
    let other = match way {
        Some(kind) if listings.is_empty() || kind == SetupKind::Card => kind,
        _ if listings.is_empty() => SetupKind::Login,
        _ => SetupKind::Listing,
    };
    let publishes = routed.is_some();
    let (other, made) = deployed.or(routed).unwrap_or((other, Vec::new()));
    let mut found = found.unwrap_or_else(|| Found::nothing(other));
    if publishes && found.kind == SetupKind::Client {
        found.kind = SetupKind::Gateway;
    }
    let mut entries: Vec<Entry> =
        found.servers.iter().map(|server| entry::understand(&document, server, lexicon)).collect();
    entries.extend(made.iter().map(|made| entry::of_made(&document, made, lexicon)));
    let handed = handed::loose(&document, &found, &entries, (&papers, &beside), lexicon);
    let Found { kind, duplicates, imports, .. } = found;
    entries.extend(listings.iter().enumerate().map(|(index, listing)| entry::of_listing(index, listing)));
    Outcome::Setup(Box::new(Study {
        document,
        kind,
        entries,
        handed,
        duplicates,
        imports,
        listings,
        papers,
        manifest,
        beside,
        given_to: BTreeSet::new(),
    }))
}

#[cfg(test)]
mod snippet_tests;

impl Study {
    /// The listing that an entry stands for.
    pub fn listing_of(&self, entry: &Entry) -> Option<&Listing> {
        self.listings.get(entry.listing?)
    }

    /// The whole document as a place: its first line.
    pub fn start(&self) -> Located {
        let end = self.document.text.find('\n').unwrap_or(self.document.text.len());
        Located { text: String::new(), span: Span::new(0, end), pointer: Pointer::root() }
    }

    /// Every value handed over: by the entries and by the document itself.
    pub fn all_handed(&self) -> impl Iterator<Item = (Option<&Entry>, &Handed)> {
        let of_entries =
            self.entries.iter().flat_map(|entry| entry.handed.iter().map(move |handed| (Some(entry), handed)));
        of_entries.chain(self.handed.iter().map(|handed| (None, handed)))
    }
}
