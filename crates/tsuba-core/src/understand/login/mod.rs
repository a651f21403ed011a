//! One picture of a login: which documents speak of one server, wherever they lie. In: everything that was understood. Out: a login for each
//! server of which any document speaks, and at each document the address that it should be of.
//!
//! A document is held against a server because it was fetched there, names it (`resource`), is of an issuer that such a document names, has the
//! host in common with it, or is alone of its kind in the folder, in that order; the last two are what shows that a document is wrong.

mod compare;
mod group;
mod site;
mod tie;

pub(crate) use compare::{host_of, is_internal, is_metadata_service, same_issuer};

use super::Analysis;
use crate::evidence::oauth::{LinkedBy, ResourceMetadata, ServerMetadata};
use crate::prelude::*;
use group::groups;

/// What is found in more documents of one login counts for those alone.
const MAX_DOCUMENTS: usize = 256;
/// More issuers of one login are not looked at.
const MAX_ISSUERS: usize = 256;

/// Something of a document: the number of the document, and of the thing among those of its kind.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Part {
    /// Which document.
    pub analysis: usize,
    /// Which of its entries, metadata, key sets, clients or grants.
    pub index: usize,
}

/// A document of a login, and what ties it to that.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Link {
    /// The document.
    pub part: Part,
    /// What ties it to the login.
    pub by: LinkedBy,
    /// Could it belong to no other?
    pub sure: bool,
}

/// What is known of the login at one server.
#[derive(Clone, Debug, Default)]
pub struct Login {
    /// The entries that call the server, all at one address; none where only documents are there.
    pub entries: Vec<Part>,
    /// Every issuer that is named for it: by the resource, else by the authorization servers themselves.
    pub issuers: Vec<String>,
    /// The documents that it is put together from.
    pub documents: Vec<usize>,
    /// Metadata of the protected resource.
    pub resources: Vec<Link>,
    /// Metadata of its authorization servers.
    pub servers: Vec<Link>,
    /// Key sets.
    pub key_sets: Vec<Link>,
    /// Clients.
    pub clients: Vec<Link>,
    /// Introspection answers and claims.
    pub grants: Vec<Link>,
    /// Documents in which a token lies that belongs to no entry; the number of the thing is that of the credential.
    pub tokens: Vec<Link>,
}

/// Every login, found by what belongs to it.
#[derive(Clone, Debug, Default)]
pub struct Logins {
    /// In the order of the documents.
    pub all: Vec<Login>,
    entries: BTreeMap<Part, usize>,
    tokens: BTreeMap<Part, usize>,
    grants: BTreeMap<Part, usize>,
}

impl Logins {
    /// Adds a login; what was captured of an entry and what lies beside it are one.
    fn take(&mut self, login: Login) {
        let known = login.entries.iter().find_map(|part| self.entries.get(part)).copied();
        let index = known.unwrap_or(self.all.len());
        for part in &login.entries {
            self.entries.entry(*part).or_insert(index);
        }
        match self.all.get_mut(index) {
            Some(own) => own.join(login),
            None => self.all.push(login),
        }
    }

    /// The login at the server of an entry.
    pub fn of_entry(&self, entry: Part) -> Option<&Login> {
        self.all.get(*self.entries.get(&entry)?)
    }

    /// The login that a token belongs to which is handed to no entry.
    pub fn of_token(&self, token: Part) -> Option<&Login> {
        self.all.get(*self.tokens.get(&token)?)
    }

    /// The login that a grant belongs to.
    pub fn of_grant(&self, grant: Part) -> Option<&Login> {
        self.all.get(*self.grants.get(&grant)?)
    }
}

impl Login {
    /// The address of the server: as it is set up, else as its metadata have it.
    pub fn address<'a>(&self, analyses: &'a [Analysis]) -> Option<&'a str> {
        let entry = self.entries.first().and_then(|part| analyses.get(part.analysis)?.entries.get(part.index));
        let set_up = entry.and_then(|entry| Some(entry.remote.as_ref()?.url.text.as_str()));
        set_up.or_else(|| self.resources(analyses).find_map(|(_, paper)| Some(paper.resource.as_ref()?.text.as_str())))
    }

    /// The metadata of its resource.
    pub fn resources<'a>(&self, analyses: &'a [Analysis]) -> impl Iterator<Item = (&Link, &'a ResourceMetadata)> {
        self.resources.iter().filter_map(|link| {
            let paper = analyses.get(link.part.analysis)?.oauth_documents.resources.get(link.part.index)?;
            Some((link, paper))
        })
    }

    /// The metadata of its authorization servers.
    pub fn servers<'a>(&self, analyses: &'a [Analysis]) -> impl Iterator<Item = (&Link, &'a ServerMetadata)> {
        self.servers.iter().filter_map(|link| {
            let paper = analyses.get(link.part.analysis)?.oauth_documents.servers.get(link.part.index)?;
            Some((link, paper))
        })
    }

    /// With what another place says of the same server.
    fn join(&mut self, other: Self) {
        let new: Vec<Part> = {
            let known: BTreeSet<&Part> = self.entries.iter().collect();
            other.entries.into_iter().filter(|part| !known.contains(part)).collect()
        };
        self.entries.extend(new);
        let issuers: BTreeSet<String> = self.issuers.drain(..).chain(other.issuers).collect();
        self.issuers = issuers.into_iter().take(MAX_ISSUERS).collect();
        self.resources.extend(other.resources);
        self.servers.extend(other.servers);
        self.key_sets.extend(other.key_sets);
        self.clients.extend(other.clients);
        self.grants.extend(other.grants);
        self.tokens.extend(other.tokens);
    }

    /// The documents that it is put together from, each once.
    fn gather_documents(&self) -> Vec<usize> {
        let links = [&self.resources, &self.servers, &self.key_sets, &self.clients, &self.grants, &self.tokens];
        let all: BTreeSet<usize> = links.into_iter().flatten().map(|link| link.part.analysis).collect();
        all.into_iter().take(MAX_DOCUMENTS).collect()
    }

    /// What it has for issuers, each once.
    fn gather_issuers(&self, analyses: &[Analysis]) -> Vec<String> {
        let named = self.resources(analyses).flat_map(|(_, paper)| &paper.servers).map(|server| server.text.clone());
        let mut found: BTreeSet<String> = named.take(MAX_ISSUERS).collect();
        if found.is_empty() {
            let own = self.servers(analyses).filter_map(|(_, paper)| Some(paper.issuer.as_ref()?.text.clone()));
            found = own.take(MAX_ISSUERS).collect();
        }
        found.into_iter().collect()
    }
}

/// Brings together what belongs together, and notes at every document whose it should be.
pub(crate) fn logins(analyses: &mut [Analysis]) -> Logins {
    if analyses.iter().all(|analysis| analysis.oauth_documents.is_empty() && !holds_token(analysis)) {
        return Logins::default();
    }
    let mut out = Logins::default();
    for group in groups(analyses) {
        let tied = tie::tie(&group, analyses);
        tie::note(&tied, analyses);
        for login in tied.logins {
            out.take(login);
        }
    }
    for (index, login) in out.all.iter_mut().enumerate() {
        login.documents = login.gather_documents();
        out.tokens.extend(login.tokens.iter().map(|link| (link.part, index)));
        out.grants.extend(login.grants.iter().map(|link| (link.part, index)));
    }
    out
}

/// Does a token lie in it that is handed to no entry?
fn holds_token(analysis: &Analysis) -> bool {
    analysis.kind == super::SetupKind::Login && analysis.credentials.iter().any(super::Credential::is_web_token)
}

#[cfg(test)]
mod tests;
