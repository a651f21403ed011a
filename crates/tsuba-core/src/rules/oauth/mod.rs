//! The rules of the family `oauth`. Written by `cargo test` from the files of this folder.

mod bad_challenge;
mod broad_scopes;
mod confidential_client_without_secret;
mod foreign_endpoint;
mod implicit_grant;
mod insecure_endpoint;
mod issuer_mismatch;
mod no_iss_parameter;
mod no_pkce;
mod no_resource_metadata;
mod no_server_metadata;
mod open_introspection;
mod open_registration;
mod password_grant;
mod plain_pkce;
mod provider_not_allowed;
mod resource_mismatch;
mod shared;
mod stale_metadata;
mod token_in_query;
mod unchecked_token;
mod weak_keys;
mod weak_redirect;
mod weak_signing;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[
    &bad_challenge::RULE,
    &broad_scopes::RULE,
    &confidential_client_without_secret::RULE,
    &foreign_endpoint::RULE,
    &implicit_grant::RULE,
    &insecure_endpoint::RULE,
    &issuer_mismatch::RULE,
    &no_iss_parameter::RULE,
    &no_pkce::RULE,
    &no_resource_metadata::RULE,
    &no_server_metadata::RULE,
    &open_introspection::RULE,
    &open_registration::RULE,
    &password_grant::RULE,
    &plain_pkce::RULE,
    &provider_not_allowed::RULE,
    &resource_mismatch::RULE,
    &stale_metadata::RULE,
    &token_in_query::RULE,
    &unchecked_token::RULE,
    &weak_keys::RULE,
    &weak_redirect::RULE,
    &weak_signing::RULE,
];
