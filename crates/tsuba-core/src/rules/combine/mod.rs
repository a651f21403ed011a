//! The rules of the family `combine`. Written by `cargo test` from the files of this folder.

mod foreign_tool;
mod leak_path;
mod name_clash;
mod same_credential;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[&foreign_tool::RULE, &leak_path::RULE, &name_clash::RULE, &same_credential::RULE];
