//! The rules of the family `power`. Written by `cargo test` from the files of this folder.

mod auto_approved;
mod cluster_rights;
mod container_escape;
mod elevated;
mod folder_not_allowed;
mod hidden_effect;
mod hook;
mod loosened_runtime;
mod no_sandbox;
mod sensitive_path;
mod shell;
mod sql_write;
mod touched_decoy;
mod unbounded_input;
mod undeclared_contact;
mod wide_path;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[
    &auto_approved::RULE,
    &cluster_rights::RULE,
    &container_escape::RULE,
    &elevated::RULE,
    &folder_not_allowed::RULE,
    &hidden_effect::RULE,
    &hook::RULE,
    &loosened_runtime::RULE,
    &no_sandbox::RULE,
    &sensitive_path::RULE,
    &shell::RULE,
    &sql_write::RULE,
    &touched_decoy::RULE,
    &unbounded_input::RULE,
    &undeclared_contact::RULE,
    &wide_path::RULE,
];
