//! The rules of the family `supply`. Written by `cargo test` from the files of this folder.

mod deprecated;
mod foreign_source;
mod install_script;
mod known_bad;
mod lookalike;
mod manifest_mismatch;
mod moving_tag;
mod no_digest;
mod no_hash;
mod remote_script;
mod shared;
mod unpinned;
mod writable_program;
mod young_version;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[
    &deprecated::RULE,
    &foreign_source::RULE,
    &install_script::RULE,
    &known_bad::RULE,
    &lookalike::RULE,
    &manifest_mismatch::RULE,
    &moving_tag::RULE,
    &no_digest::RULE,
    &no_hash::RULE,
    &remote_script::RULE,
    &unpinned::RULE,
    &writable_program::RULE,
    &young_version::RULE,
];
