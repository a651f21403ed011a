//! The rules of the family `exposure`. Written by `cargo test` from the files of this folder.

mod all_interfaces;
mod host_network;
mod internal_target;
mod key_in_url;
mod no_auth;
mod no_scheme;
mod open_gateway;
mod open_origin;
mod open_policy;
mod plain_http;
mod public_tunnel;
mod tls_off;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[
    &all_interfaces::RULE,
    &host_network::RULE,
    &internal_target::RULE,
    &key_in_url::RULE,
    &no_auth::RULE,
    &no_scheme::RULE,
    &open_gateway::RULE,
    &open_origin::RULE,
    &open_policy::RULE,
    &plain_http::RULE,
    &public_tunnel::RULE,
    &tls_off::RULE,
];
