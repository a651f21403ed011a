//! The rules of the family `review`. Written by `cargo test` from the files of this folder.

mod auto_import;
mod changed;
mod company_rule;
mod duplicate_key;
mod expired;
mod inconsistent_answers;
mod not_allowed;
mod placeholder;
mod refused_in_use;
mod template_leftover;
mod unknown;
mod unstable_listing;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[
    &auto_import::RULE,
    &changed::RULE,
    &company_rule::RULE,
    &duplicate_key::RULE,
    &expired::RULE,
    &inconsistent_answers::RULE,
    &not_allowed::RULE,
    &placeholder::RULE,
    &refused_in_use::RULE,
    &template_leftover::RULE,
    &unknown::RULE,
    &unstable_listing::RULE,
];
