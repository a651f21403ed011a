//! The rules of the family `combine`. Written by `cargo test` from the files of this folder.

mod same_credential;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[&same_credential::RULE];
