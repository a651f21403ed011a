//! The rules of the family `combine`. Written by `cargo test` from the files of this folder.

mod leak_path;
mod name_clash;
mod same_credential;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[&leak_path::RULE, &name_clash::RULE, &same_credential::RULE];
