//! The rules of the family `power`. Written by `cargo test` from the files of this folder.

mod container_escape;
mod elevated;
mod loosened_runtime;
mod sensitive_path;
mod shell;
mod sql_write;
mod unasked;
mod wide_path;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[
    &container_escape::RULE,
    &elevated::RULE,
    &loosened_runtime::RULE,
    &sensitive_path::RULE,
    &shell::RULE,
    &sql_write::RULE,
    &unasked::RULE,
    &wide_path::RULE,
];
