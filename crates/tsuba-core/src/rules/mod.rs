//! The rules: one file each, with its cases beside it. Families are folders; their lists are written by `cargo test`.

mod combine;
mod exposure;
mod oauth;
mod power;
mod review;
mod scope;
mod secret;
mod supply;
mod wording;

use crate::judge::Rule;
use crate::prelude::*;

/// The names of all rules, also those of before.
pub fn names() -> Vec<&'static str> {
    all().iter().flat_map(|rule| rule.names()).collect()
}

/// The names of the rules that only say that a decision is missing, or no longer holds.
pub fn undecided() -> Vec<&'static str> {
    all().iter().filter(|rule| rule.ways.waits_for_a_decision()).map(|rule| rule.id).collect()
}

/// Every rule, sorted by identifier.
pub fn all() -> Vec<&'static Rule> {
    [
        combine::RULES,
        exposure::RULES,
        oauth::RULES,
        power::RULES,
        review::RULES,
        scope::RULES,
        secret::RULES,
        supply::RULES,
        wording::RULES,
    ]
    .concat()
}

/// The rule with this identifier, or that was called so before.
pub fn find(id: &str) -> Option<&'static Rule> {
    all().into_iter().find(|rule| rule.names().contains(&id))
}
