//! The rules of the family `secret`. Written by `cargo test` from the files of this folder.

mod exposed_file;
mod input_not_marked;
mod plaintext;
mod private_key;
mod reused;
mod shared;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] =
    &[&exposed_file::RULE, &input_not_marked::RULE, &plaintext::RULE, &private_key::RULE, &reused::RULE];
