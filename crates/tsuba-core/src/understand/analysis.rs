//! A document as far as it is understood.

use super::{Credential, Entry, Guide, Manifest, NetworkExposure, Permissions, SetupKind};
use crate::evidence::oauth::OAuthDocuments;
use crate::evidence::{Listing, Reading};
use crate::prelude::*;
use crate::read::Document;
use crate::text::{Located, Pointer, Span};
use crate::wording::{Heard, Remark};

/// A document that configures tool servers, or lies beside one, as far as it is understood.
#[derive(Clone, Debug)]
pub struct Analysis {
    /// The document.
    pub document: Document,
    /// What kind of setup it is.
    pub kind: SetupKind,
    /// Its entries, in the order written.
    pub entries: Vec<Entry>,
    /// Values handed over by the document that belong to no entry (a dotenv file's lines, an input's default).
    pub credentials: Vec<Credential>,
    /// Keys that occur twice in one mapping of a setup: the earlier place, which does not count.
    pub duplicates: Vec<Located>,
    /// Switches that import or enable servers of other programs or of the project without asking.
    pub imports: Vec<Located>,
    /// Prompts that ask for a secret and show what is typed.
    pub unmarked: Vec<Located>,
    /// What servers list in it.
    pub listings: Vec<Listing>,
    /// What is thought of the words of each listing, and what in them speaks to the model.
    pub heard: Vec<Heard>,
    /// What it holds about how to log in.
    pub oauth_documents: OAuthDocuments,
    /// What it publishes.
    pub manifest: Option<Manifest>,
    /// What it says of the way to servers.
    pub exposure: NetworkExposure,
    /// What a model thinks of texts that lie beside it.
    pub reading: Option<Box<Reading>>,
    /// What it tells a model that it should not, where it is an instruction file.
    pub guide: Option<Box<Guide>>,
    /// What it lets run without asking, beside its entries.
    pub permissions: Permissions,
    /// The entries elsewhere that are handed what stands in it, by their names; known once everything is read.
    pub given_to: BTreeSet<String>,
}

impl Analysis {
    /// The listing that an entry stands for.
    pub fn listing_of(&self, entry: &Entry) -> Option<&Listing> {
        self.listings.get(entry.listing?)
    }

    /// What is thought of the words of that listing.
    pub fn remarks_of(&self, entry: &Entry) -> &[Remark] {
        self.heard_of(entry).map(|heard| heard.remarks.as_slice()).unwrap_or_default()
    }

    /// All that was heard in that listing.
    pub fn heard_of(&self, entry: &Entry) -> Option<&Heard> {
        entry.listing.and_then(|listing| self.heard.get(listing))
    }

    /// The whole document as a place: its first line.
    pub fn start(&self) -> Located {
        let end = self.document.text.find('\n').unwrap_or(self.document.text.len());
        Located { text: String::new(), span: Span::new(0, end), pointer: Pointer::root() }
    }

    /// Every value handed over: by the entries and by the document itself.
    pub fn all_credentials(&self) -> impl Iterator<Item = (Option<&Entry>, &Credential)> {
        let of_entries = self
            .entries
            .iter()
            .flat_map(|entry| entry.credentials.iter().map(move |credential| (Some(entry), credential)));
        of_entries.chain(self.credentials.iter().map(|credential| (None, credential)))
    }
}

/// What the server of an entry lists elsewhere, if that is known.
pub fn listing_of<'a>(analyses: &'a [Analysis], entry: &Entry) -> Option<&'a Listing> {
    let listed = entry.listed?;
    let analysis = analyses.get(listed.analysis)?;
    analysis.listing_of(analysis.entries.get(listed.entry)?)
}
