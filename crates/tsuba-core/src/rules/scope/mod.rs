//! The rules of the family `scope`. Written by `cargo test` from the files of this folder.

mod admin;
mod all_features;
mod broad_kind;
mod long_lived;
mod never_expires;
mod no_audience;
mod not_allowed;
mod shared;
mod superuser_login;
mod unneeded;
mod unused_grant;
mod wildcard;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[
    &admin::RULE,
    &all_features::RULE,
    &broad_kind::RULE,
    &long_lived::RULE,
    &never_expires::RULE,
    &no_audience::RULE,
    &not_allowed::RULE,
    &superuser_login::RULE,
    &unneeded::RULE,
    &unused_grant::RULE,
    &wildcard::RULE,
];
