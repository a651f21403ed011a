//! understand: what each entry of a setup really runs, reaches, and is handed.

mod aliases;
mod analysis;
mod build;
mod concealed;
pub mod credential;
mod deploy;
mod entry;
mod entry_credentials;
mod exposure;
mod fetched;
mod fingerprints;
mod gateway;
mod guide;
mod index;
mod known;
pub mod launch;
mod login;
mod manifest;
mod own_package;
mod permissions;
mod reach;
mod recognisers;
mod setup;
mod signs;
mod surroundings;
mod unasked;
mod variables;

pub(crate) use aliases::normalized_name;
pub use deploy::{Binding, Cluster, Grant, Route, Service};
pub(crate) use deploy::{REFERENCE, USER, Workload, as_written, packs_secrets};
pub use entry::{Asks, Credential, Entry, Folder, Listed, Reach, Transport};
pub use exposure::{Card, NetworkExposure};
pub(crate) use fetched::{Fetched, fetched};
pub use fetched::{registry_name, started};
pub use fingerprints::{Fingerprints, launch_fingerprint};
pub use gateway::Gateway;
pub use guide::Guide;
pub use index::indexes;
pub use known::{Known, LOCKFILES, Locked, installed, locked};
pub use login::{Link, Login, Logins, Part};
pub(crate) use login::{host_of, is_internal, is_metadata_service, logins, same_issuer};
pub use manifest::{Manifest, Published};
pub use permissions::{AllowedTool, Hook, Permissions};
pub use setup::{Found, SetupKind};
pub use unasked::Unasked;
pub use variables::Variable;

use crate::prelude::*;
use crate::read::{Document, Input, Unreadable, read, read_pasted};
pub use analysis::{Analysis, listing_of};
use credential::Lexicon;
use recognisers::{RECOGNISERS, Taken, taken};
pub(crate) use signs::missed;

/// The outcome of studying a file.
#[derive(Debug)]
pub enum Outcome {
    /// It is a setup, a dotenv file, a listing, or OAuth evidence.
    Setup(Box<Analysis>),
    /// It is something else.
    Other,
    /// It looks like a setup and cannot be read: why, and on which line.
    Unread(Unreadable, Option<u32>),
}

/// Reads and understands one file.
pub fn analyze(input: Input, lexicon: &Lexicon) -> Outcome {
    let document = match read(input) {
        Ok(document) => document,
        Err(failed) => {
            let (unreadable, input) = *failed;
            if !RECOGNISERS.iter().any(|kind| (kind.looks)(&input.bytes)) {
                return Outcome::Other;
            }
            let line = unreadable.at.map(|at| crate::read::line_of(&input.bytes, at));
            return Outcome::Unread(unreadable, line);
        }
    };
    understood(document, lexicon)
}

/// Reads and understands what a person pastes; [`Outcome::Other`] where it is no candidate.
pub fn analyze_pasted(text: &str, lexicon: &Lexicon) -> Outcome {
    read_pasted(text, &launch::is_command).map_or(Outcome::Other, |document| understood(document, lexicon))
}

fn understood(mut document: Document, lexicon: &Lexicon) -> Outcome {
    let taken = taken(&document);
    if taken.is_nothing() {
        return Outcome::Other;
    }
    let Taken {
        found,
        listings,
        oauth_documents,
        made,
        manifest,
        way: sidecar_kind,
        exposure,
        reading,
        permissions,
        guide,
        routed,
    } = taken;
    let fallback_kind = match sidecar_kind {
        Some(kind) if listings.is_empty() || kind == SetupKind::Card => kind,
        _ if listings.is_empty() => SetupKind::Login,
        _ => SetupKind::Listing,
    };
    let publishes = routed.is_some();
    let behind_gateway = routed.map(|built| (SetupKind::Gateway, built));
    let deployed = made.as_ref().map(|(kind, _)| *kind);
    let (fallback_kind, built) = made.or(behind_gateway).unwrap_or((fallback_kind, Vec::new()));
    let mut found = found.unwrap_or_else(|| Found::nothing(fallback_kind));
    if let Some(kind) = deployed.filter(|_| found.embedded) {
        found.kind = kind;
    }
    if publishes && found.kind == SetupKind::Client {
        found.kind = SetupKind::Gateway;
    }
    let mut entries: Vec<Entry> =
        found.servers.iter().map(|server| build::understand(&document, server, lexicon)).collect();
    entries.extend(built.iter().map(|server| build::of_made(&document, server, lexicon)));
    let heard = listings.iter().map(|listing| crate::wording::read(&listing.said())).collect();
    let beside = (&oauth_documents, &exposure, &permissions, manifest.as_ref());
    let mut credentials = entry_credentials::loose(&document, &found, &entries, beside, lexicon);
    let besides = surroundings::credentials(&document, (&found, &built), (&entries, &credentials), lexicon);
    credentials.extend(besides);
    let unmarked = entry_credentials::unmarked(&found, lexicon);
    let Found { kind, duplicates, imports, .. } = found;
    entries.extend(listings.iter().enumerate().map(|(index, listing)| build::of_listing(index, listing)));
    // What is no longer in the image is started by nobody; who has the image still has what it holds.
    let superseded = document.facts.superseded;
    entries.iter_mut().for_each(|entry| entry.disabled |= superseded);
    document.drop_tree();
    entries.shrink_to_fit();
    Outcome::Setup(Box::new(Analysis {
        document,
        kind,
        entries,
        credentials,
        duplicates,
        imports,
        unmarked,
        listings,
        heard,
        oauth_documents,
        manifest,
        exposure,
        reading: reading.map(Box::new),
        guide: guide.map(Box::new),
        permissions,
        given_to: BTreeSet::new(),
    }))
}

#[cfg(test)]
mod snippet_tests;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::Facts;

    #[test]
    fn what_a_later_layer_removes_is_started_by_nobody() {
        let text = br#"{ "mcpServers": { "t": { "command": "t", "env": { "TOKEN": "q8ZkW2mLxUPw0TyRbN4s" } } }, "permissions": { "defaultMode": "bypassPermissions" } }"#;
        let understood = |superseded| {
            let facts = Facts { packed: true, superseded, ..Facts::default() };
            let input = Input { path: "i.tar!/a!/mcp.json".to_owned(), bytes: text.to_vec(), facts };
            let Outcome::Setup(analysis) = analyze(input, &Lexicon::default()) else { panic!("not a setup") };
            (analysis.entries[0].disabled, analysis.permissions.is_empty(), analysis.entries[0].credentials.len())
        };
        assert_eq!(understood(false), (false, false, 1));
        assert_eq!(understood(true), (true, true, 1));
    }
}
