//! Protected-resource metadata (RFC 9728).

use super::fields::Fields;
use super::{Asked, SignedMetadata};
use crate::prelude::*;
use crate::read::Node;
use crate::text::Located;

/// What a server says of how to log in at it (RFC 9728, 2).
#[derive(Clone, Debug)]
pub struct ResourceMetadata {
    /// The whole of it.
    pub start: Located,
    /// `resource`: the server's own address; it must be there (RFC 9728, 2), and nothing else is one.
    pub resource: Option<Located>,
    /// The address of the server that it should be of, where that is known.
    pub asked: Option<Asked>,
    /// `authorization_servers`.
    pub servers: Vec<Located>,
    /// `scopes_supported`.
    pub scopes: Vec<Located>,
    /// `bearer_methods_supported`.
    pub methods: Vec<Located>,
    /// `jwks_uri`.
    pub keys: Option<Located>,
    /// `resource_signing_alg_values_supported` and `dpop_signing_alg_values_supported`.
    pub algorithms: Vec<Located>,
    /// `signed_metadata`.
    pub signed: Option<SignedMetadata>,
}

/// A resource that names more authorization servers is not looked at for all of them.
const MAX_SERVERS: usize = 256;

/// Keys that only such metadata have.
const MARKS: &[&str] = &[
    "authorization_servers",
    "authorization_server",
    "bearer_methods_supported",
    "scopes_supported",
    "resource_signing_alg_values_supported",
    "dpop_bound_access_tokens_required",
    "tls_client_certificate_bound_access_tokens",
];

/// Lists by which one is known that does not say whose it is: beside these it must list addresses of authorization servers.
const MARKS_ALONE: &[&str] = &["bearer_methods_supported", "scopes_supported"];

impl ResourceMetadata {
    pub(super) fn read(fields: &Fields<'_>, asked: Option<String>, from: Option<&str>) -> Option<Self> {
        let resource =
            fields.text("resource").filter(|text| text.text.contains("://") || text.text.starts_with("urn:"));
        let known = match &resource {
            Some(_) => MARKS.iter().any(|key| fields.has(key)),
            None => {
                let named = fields.node.get("authorization_servers").filter(|node| node.is_list());
                let addresses = |list: &Node| list.items().iter().all(|item| item.text().is_some_and(is_address));
                named.is_some_and(addresses)
                    && MARKS_ALONE.iter().any(|key| fields.node.get(key).is_some_and(Node::is_list))
            }
        };
        if !known {
            return None;
        }
        let texts = |key: &str| fields.texts(key).unwrap_or_default();
        let mut servers = texts("authorization_servers");
        servers.extend(["authorization_server", "authorization_servers"].iter().filter_map(|key| fields.text(key)));
        servers.retain(|server| !server.text.trim().is_empty());
        servers.truncate(MAX_SERVERS);
        let mut algorithms = texts("resource_signing_alg_values_supported");
        algorithms.extend(texts("dpop_signing_alg_values_supported"));
        Some(Self {
            start: fields.start(),
            asked: asked.or_else(|| from.and_then(of_well_known)).map(Asked::at),
            servers,
            scopes: texts("scopes_supported"),
            methods: texts("bearer_methods_supported"),
            keys: fields.text("jwks_uri"),
            algorithms,
            signed: SignedMetadata::read(fields),
            resource,
        })
    }

    /// Where it says whose it is; its beginning where it does not.
    pub fn at(&self) -> &Located {
        self.resource.as_ref().unwrap_or(&self.start)
    }
}

fn is_address(text: &str) -> bool {
    text.is_empty() || text.contains("://")
}

/// Is the server at this address the resource, or a part of it? The scheme, host and port must be the same, and the server's path must begin
/// with the resource's, segment by segment (RFC 9728, 3.3; protocol 2025-11-25, authorization). `None` where the server's address is none.
pub(crate) fn covers(resource: &str, server: &str) -> Option<bool> {
    let server = url::Url::parse(server).ok()?;
    let Ok(resource) = url::Url::parse(resource) else { return Some(false) };
    let origin = |url: &url::Url| {
        // A name with its root's dot is the same name.
        let host = url.host_str().map(|host| host.trim_end_matches('.').to_owned());
        (url.scheme().to_owned(), host, url.port_or_known_default())
    };
    let parts =
        |url: &url::Url| -> Vec<String> { url.path().trim_end_matches('/').split('/').map(str::to_owned).collect() };
    Some(origin(&server) == origin(&resource) && parts(&server).starts_with(&parts(&resource)))
}

/// The resource that a well-known address is about (RFC 9728, 3.1).
pub(crate) fn of_well_known(address: &str) -> Option<String> {
    let (origin, path) = address.split_once("/.well-known/oauth-protected-resource")?;
    Some(format!("{origin}{path}"))
}
