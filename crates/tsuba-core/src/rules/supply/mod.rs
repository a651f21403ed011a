//! The rules of the family `supply`. Written by `cargo test` from the files of this folder.

mod foreign_source;
mod lookalike;
mod loose_local;
mod moving_tag;
mod no_digest;
mod remote_script;
mod shared;
mod unpinned;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[
    &foreign_source::RULE,
    &lookalike::RULE,
    &loose_local::RULE,
    &moving_tag::RULE,
    &no_digest::RULE,
    &remote_script::RULE,
    &unpinned::RULE,
];
