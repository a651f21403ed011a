//! Client metadata: a registration request or answer (RFC 7591), or a client-ID metadata document.

use super::fields::Fields;
use crate::prelude::*;
use crate::text::Located;

/// What a client says of itself (RFC 7591, 2).
#[derive(Clone, Debug)]
pub struct ClientMetadata {
    /// The whole of it.
    pub start: Located,
    /// `redirect_uris`.
    pub redirects: Vec<Located>,
    /// `token_endpoint_auth_method`: how it shows who it is.
    pub login: Option<Located>,
    /// `grant_types`.
    pub grants: Vec<Located>,
    /// `client_secret_expires_at`, in seconds since 1970; 0 means never (RFC 7591, 3.2.1).
    pub secret_expires: Option<i64>,
    /// The algorithms it has things signed with.
    pub algorithms: Vec<Located>,
    /// Addresses from which something of it is fetched, by their keys: `jwks_uri`, `client_uri`, `logo_uri` and the like (RFC 7591, 2), and a
    /// `client_id` that is the address of its metadata (draft-ietf-oauth-client-id-metadata-document).
    pub addresses: Vec<(&'static str, Located)>,
    /// `scope`: what it may ask for.
    pub scopes: Option<Located>,
    /// `response_types`.
    pub response_types: Vec<Located>,
}

/// Keys of such addresses. Texts for people are shown to them, the others are fetched by the server.
const ADDRESSES: &[&str] = &[
    "client_id",
    "jwks_uri",
    "sector_identifier_uri",
    "initiate_login_uri",
    "backchannel_logout_uri",
    "registration_client_uri",
    "client_uri",
    "logo_uri",
    "policy_uri",
    "tos_uri",
];

const MARKS: &[&str] = &[
    "client_name",
    "client_id",
    "grant_types",
    "response_types",
    "token_endpoint_auth_method",
    "application_type",
    "software_id",
    "client_id_issued_at",
];

const ALGORITHMS: &[&str] =
    &["id_token_signed_response_alg", "userinfo_signed_response_alg", "token_endpoint_auth_signing_alg"];

impl ClientMetadata {
    pub(super) fn read(fields: &Fields<'_>, secrets: &mut Vec<(String, Located)>) -> Option<Self> {
        let redirects = fields.texts("redirect_uris");
        let machine = redirects.is_none()
            && fields.has("token_endpoint_auth_method")
            && (fields.has("grant_types") || fields.has("client_id"));
        if !(machine || (redirects.is_some() && MARKS.iter().any(|key| fields.has(key)))) {
            return None;
        }
        for key in ["client_secret", "registration_access_token"] {
            secrets.extend(fields.text(key).filter(|secret| secret.text.len() >= 8).map(|s| (key.to_owned(), s)));
        }
        Some(Self {
            start: fields.start(),
            redirects: redirects.unwrap_or_default(),
            login: fields.text("token_endpoint_auth_method"),
            grants: fields.texts("grant_types").unwrap_or_default(),
            secret_expires: fields.number("client_secret_expires_at"),
            algorithms: ALGORITHMS.iter().filter_map(|key| fields.text(key)).collect(),
            addresses: ADDRESSES
                .iter()
                .filter_map(|key| Some((*key, fields.address(key).filter(|address| address.text.contains("://"))?)))
                .collect(),
            scopes: fields.text("scope"),
            response_types: fields.texts("response_types").unwrap_or_default(),
        })
    }
}
