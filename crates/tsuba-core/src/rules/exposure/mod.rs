//! The rules of the family `exposure`. Written by `cargo test` from the files of this folder.

mod all_interfaces;
mod internal_target;
mod key_in_url;
mod no_auth;
mod open_origin;
mod plain_http;
mod public_tunnel;
mod tls_off;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[
    &all_interfaces::RULE,
    &internal_target::RULE,
    &key_in_url::RULE,
    &no_auth::RULE,
    &open_origin::RULE,
    &plain_http::RULE,
    &public_tunnel::RULE,
    &tls_off::RULE,
];
