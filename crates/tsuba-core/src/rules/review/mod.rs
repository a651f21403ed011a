//! The rules of the family `review`. Written by `cargo test` from the files of this folder.

mod auto_import;
mod duplicate_key;
mod placeholder;
mod two_faced;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[&auto_import::RULE, &duplicate_key::RULE, &placeholder::RULE, &two_faced::RULE];
