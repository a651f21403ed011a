//! understand: what each entry of a setup really runs, reaches, and is handed.

mod beside;
mod build;
mod called;
pub mod credential;
mod deploy;
mod entry;
mod fetched;
mod gateway;
mod handed;
mod known;
pub mod launch;
mod manifest;
mod print;
mod reach;
mod setup;
mod signs;
mod study;
mod unasked;
mod variables;

pub use beside::{Beside, Card};
pub(crate) use called::plain_name;
pub(crate) use deploy::{REFERENCE, packs_secrets};
pub use entry::{Asks, Entry, Folder, Handed, Listed, Reach, Transport};
pub(crate) use fetched::{Fetched, fetched};
pub use fetched::{registry_name, started};
pub use gateway::Gateway;
pub use known::{Known, LOCKFILES, Locked, installed, locked};
pub use manifest::{Manifest, Published};
pub use print::{Prints, launch_print};
pub use setup::{Found, SetupKind};
pub use unasked::Unasked;
pub use variables::Variable;

use crate::evidence::oauth::{Papers, looks_like_papers, papers};
use crate::evidence::{listings, looks_like_listing};
use crate::prelude::*;
use crate::read::{Document, Input, Notation, Unreadable, read, read_pasted};
use credential::Lexicon;
use gateway::Gate;
use signs::Signs;
pub(crate) use signs::missed;
pub use study::{Study, listing_of};

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
        found.servers.iter().map(|server| build::understand(&document, server, lexicon)).collect();
    entries.extend(made.iter().map(|made| build::of_made(&document, made, lexicon)));
    let remarks = listings.iter().map(crate::wording::read).collect();
    let handed = handed::loose(&document, &found, &entries, (&papers, &beside), lexicon);
    let Found { kind, duplicates, imports, .. } = found;
    entries.extend(listings.iter().enumerate().map(|(index, listing)| build::of_listing(index, listing)));
    Outcome::Setup(Box::new(Study {
        document,
        kind,
        entries,
        handed,
        duplicates,
        imports,
        listings,
        remarks,
        papers,
        manifest,
        beside,
        given_to: BTreeSet::new(),
    }))
}

#[cfg(test)]
mod snippet_tests;
