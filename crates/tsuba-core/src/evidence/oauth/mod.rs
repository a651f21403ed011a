//! OAuth evidence: metadata, key sets, client registrations and answers, recognised by shape wherever they lie, with the place of every value.

mod acceptance;
mod answer;
mod asked;
mod client;
mod fields;
mod grant;
mod keys;
mod resource;
mod server;
mod signed;
mod token;

pub(crate) use acceptance::acceptances;
pub use acceptance::{Acceptance, Skipped};
pub use answer::{Answer, Answered, Ask};
pub use asked::{Asked, LinkedBy};
pub use client::ClientMetadata;
pub use grant::{Grant, GrantSource, When};
pub use keys::{KeySet, WebKey};
pub use resource::ResourceMetadata;
pub(crate) use resource::{covers, of_well_known};
pub(crate) use server::is_insecure;
pub use server::{Endpoint, ServerMetadata};
pub use signed::SignedMetadata;
pub use token::Claims;

use crate::prelude::*;
use crate::read::{Document, Node, Notation};
use crate::text::{Located, Pointer};
use fields::Fields;

/// Papers are nested at most this deep.
const MAX_SEARCH: usize = 8;
/// More papers of one kind than this in one document are not looked at.
const MAX_DOCUMENTS: usize = 256;
/// Likewise of a list of grants: a company has thousands.
const MOST_GRANTS: usize = 100_000;

/// What one document holds about how to log in.
#[derive(Clone, Debug, Default)]
pub struct OAuthDocuments {
    /// Metadata of protected resources (RFC 9728).
    pub resources: Vec<ResourceMetadata>,
    /// Metadata of authorization servers (RFC 8414, OpenID Connect Discovery 1.0).
    pub servers: Vec<ServerMetadata>,
    /// Key sets (RFC 7517).
    pub key_sets: Vec<KeySet>,
    /// Metadata of clients (RFC 7591).
    pub clients: Vec<ClientMetadata>,
    /// What was granted.
    pub grants: Vec<Grant>,
    /// What was answered to the questions of a capture.
    pub answers: Vec<Answer>,
    /// Whose tokens a gateway is told to take.
    pub acceptances: Vec<Acceptance>,
    /// Values that are secrets by their place in a paper.
    pub secrets: Vec<(String, Located)>,
    /// Tokens that everybody may read: they vouch for what is written beside them (RFC 9728, 2.2; RFC 8414, 2.1; RFC 7591, 2.3).
    pub statements: Vec<Located>,
}

impl OAuthDocuments {
    /// Is there nothing?
    pub fn is_empty(&self) -> bool {
        self.resources.is_empty()
            && self.servers.is_empty()
            && self.key_sets.is_empty()
            && self.clients.is_empty()
            && self.grants.is_empty()
            && self.answers.is_empty()
            && self.acceptances.is_empty()
    }

    /// Every address in it that could hold a login or a key beside the host: before it, or behind its path.
    pub(crate) fn telling_addresses(&self) -> impl Iterator<Item = &Located> {
        let resources =
            self.resources.iter().flat_map(|paper| paper.resource.iter().chain(&paper.servers).chain(&paper.keys));
        let servers = self
            .servers
            .iter()
            .flat_map(|paper| paper.issuer.iter().chain(paper.endpoints.iter().map(|endpoint| &endpoint.address)));
        let clients = self
            .clients
            .iter()
            .flat_map(|client| client.redirects.iter().chain(client.addresses.iter().map(|(_, address)| address)));
        let grants = self.grants.iter().flat_map(|grant| grant.audience.iter().flatten().chain(&grant.issuer));
        let answers = self.answers.iter().flat_map(|answer| {
            let own = answer.url.iter().chain(&answer.issuer).chain(&answer.location);
            own.chain(&answer.endpoint).chain(&answer.challenge)
        });
        let all = resources.chain(servers).chain(clients).chain(grants).chain(answers);
        all.filter(|address| address.text.contains("://") && address.text.contains(['@', '?', '#']))
    }

    /// The answers to one question.
    pub fn answers_to(&self, ask: Ask) -> impl Iterator<Item = &Answer> {
        self.answers.iter().filter(move |answer| answer.ask == ask)
    }
}

/// Could these bytes hold such papers? For files that cannot be parsed: only what names one unmistakably counts.
pub(crate) fn looks_like_papers(bytes: &[u8]) -> bool {
    ["\"token_endpoint\"", "\"authorization_servers\"", "\"token_endpoint_auth_method\"", "\"access_token\""]
        .iter()
        .any(|word| memchr::memmem::find(bytes, word.as_bytes()).is_some())
        || bytes
            .split(|byte| *byte == b'\n')
            .next()
            .is_some_and(|line| grant::is_header(&String::from_utf8_lossy(line)))
}

/// Does a token lie in a text that is nothing but tokens, or records what was sent: a `.jwt`, a note, a log? What a text explains is an example.
pub(crate) fn holds_tokens(document: &Document) -> bool {
    let records = |path: &str| [".txt", ".log", ".http", ".rest", ".har"].iter().any(|ending| path.ends_with(ending));
    let alone = matches!(document.roots.as_slice(), [root] if root.text().is_some());
    let open = document.notation == Notation::Token || alone || records(&document.file().to_ascii_lowercase());
    open && token::in_text(&document.text)
}

/// Every paper of a document.
pub(crate) fn oauth_documents(document: &Document) -> OAuthDocuments {
    let mut out = OAuthDocuments::default();
    for (pointer, root) in document.rooted().chain(document.embeds()) {
        search(root, &pointer, 0, &About::default(), &mut out);
    }
    out
}

/// What the surroundings say of a paper: where it was fetched, and whose it should be.
#[derive(Clone, Debug, Default)]
struct About {
    /// The address it was fetched from.
    from: Option<String>,
    /// The address of the server that the capture was about.
    target: Option<String>,
    /// The issuer that was asked for.
    issuer: Option<String>,
    /// Is it what was answered about a token (RFC 7662)?
    introspected: bool,
}

fn search(node: &Node, pointer: &Pointer, depth: usize, about: &About, out: &mut OAuthDocuments) {
    if depth > MAX_SEARCH {
        return;
    }
    rows(node, pointer, out);
    for (index, item) in node.items().iter().enumerate().take(MAX_DOCUMENTS) {
        search(item, &pointer.index(index), depth + 1, about, out);
    }
    if !node.is_map() {
        return;
    }
    let fields = Fields { node, pointer };
    let mut below = about.clone();
    if fields.text("schema").is_some_and(|schema| schema.text.starts_with("tsuba-evidence/")) {
        below.target = fields.text("url").map(|url| url.text);
        if let Some(claims) = node.get("token").and_then(|token| token.get("claims")).filter(|claims| claims.is_map()) {
            let pointer = pointer.key("token").key("claims");
            push(&mut out.grants, Grant::of_claims(&Fields { node: claims, pointer: &pointer }));
        }
    }
    if let Some(answer) = Answer::read(&fields) {
        below.from = answer.url.as_ref().map(|url| url.text.clone());
        below.issuer = fields.text("issuer").map(|issuer| issuer.text);
        below.introspected = answer.ask == Ask::Introspection;
        push(&mut out.answers, answer);
    }
    out.statements.extend(["signed_metadata", "software_statement"].iter().filter_map(|key| fields.text(key)));
    let taken = take(&fields, about, out);
    // What stands inside of a paper is a part of it, except in an answer and in whatever else merely contains papers.
    if !taken {
        for member in node.effective() {
            search(&member.value, &pointer.key(&member.key.text), depth + 1, &below, out);
        }
    }
}

/// The rows of a list of grants.
fn rows(list: &Node, pointer: &Pointer, out: &mut OAuthDocuments) {
    let rows = list.items().iter().enumerate().filter(|(_, row)| row.is_map());
    let grants = rows.filter_map(|(index, row)| Grant::of_row(&Fields { node: row, pointer: &pointer.index(index) }));
    out.grants.extend(grants.take(MOST_GRANTS));
}

fn push<T>(list: &mut Vec<T>, item: T) {
    if list.len() < MAX_DOCUMENTS {
        list.push(item);
    }
}

/// Takes a mapping that is a paper; `false` where it is none.
fn take(fields: &Fields<'_>, about: &About, out: &mut OAuthDocuments) -> bool {
    if let Some(server) = ServerMetadata::read(fields, about.issuer.clone()) {
        push(&mut out.servers, server);
    } else if let Some(resource) = ResourceMetadata::read(fields, about.target.clone(), about.from.as_deref()) {
        push(&mut out.resources, resource);
    } else if let Some(keys) = KeySet::read(fields, &mut out.secrets) {
        push(&mut out.key_sets, keys);
    } else if let Some(client) = ClientMetadata::read(fields, &mut out.secrets) {
        push(&mut out.clients, client);
        if let Some(keys) = fields.node.get("jwks") {
            let pointer = fields.pointer.key("jwks");
            if let Some(keys) = KeySet::read(&Fields { node: keys, pointer: &pointer }, &mut out.secrets) {
                push(&mut out.key_sets, keys);
            }
        }
    } else if let Some(grant) = Grant::read(fields, about.introspected, &mut out.secrets) {
        push(&mut out.grants, grant);
    } else {
        return false;
    }
    true
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::{Input, read};

    fn found(text: &str) -> [usize; 5] {
        let document = read(Input { path: "x.json".into(), bytes: text.into(), ..Input::default() }).unwrap();
        let oauth_documents = oauth_documents(&document);
        [
            oauth_documents.resources.len(),
            oauth_documents.servers.len(),
            oauth_documents.key_sets.len(),
            oauth_documents.clients.len(),
            oauth_documents.answers.len(),
        ]
    }

    #[test]
    fn papers_are_known_by_their_shape() {
        for (text, want) in [
            (
                r#"{"resource": "https://tide.example/mcp", "authorization_servers": ["https://id.example"]}"#,
                [1, 0, 0, 0, 0],
            ),
            (r#"{"resource": "https://tide.example/mcp", "bearer_methods_supported": ["header"]}"#, [1, 0, 0, 0, 0]),
            (r#"{"issuer": "https://id.example", "token_endpoint": "https://id.example/token"}"#, [0, 1, 0, 0, 0]),
            (r#"{"issuer": "https://id.example", "jwks_uri": "https://id.example/keys"}"#, [0, 1, 0, 0, 0]),
            (r#"{"keys": [{"kty": "RSA", "n": "AQAB", "e": "AQAB"}]}"#, [0, 0, 1, 0, 0]),
            (r#"{"redirect_uris": ["https://app.example/cb"], "client_name": "Desk"}"#, [0, 0, 0, 1, 0]),
            (r#"{"schema": "tsuba-evidence/1", "http": [{"ask": "no-token", "status": 401}]}"#, [0, 0, 0, 0, 1]),
            (
                r#"{"a": {"b": {"issuer": "https://id.example", "token_endpoint": "https://id.example/t"}}}"#,
                [0, 1, 0, 0, 0],
            ),
            // Look-alikes.
            (r#"{"resource": "https://tide.example/mcp"}"#, [0; 5]),
            (r#"{"resource": "tides", "scopes_supported": ["a"]}"#, [0; 5]),
            (r#"{"issuer": "https://id.example"}"#, [0; 5]),
            (r#"{"issuer": "the bank", "token_endpoint": "x"}"#, [0; 5]),
            (r#"{"keys": ["a", "b"]}"#, [0; 5]),
            (r#"{"keys": []}"#, [0; 5]),
            (r#"{"redirect_uris": ["https://app.example/cb"]}"#, [0; 5]),
            (r#"{"ask": "why", "status": 401}"#, [0; 5]),
        ] {
            assert_eq!(found(text), want, "{text}");
        }
    }
}
