//! The rules: one file each, with its cases beside it. Families are folders; their lists are written by `cargo test`.

mod combine;
mod exposure;
mod held;
mod oauth;
mod power;
mod review;
mod scope;
mod secret;
mod supply;
mod wording;

use crate::judge::Rule;
use crate::prelude::*;
use crate::text::nearest;

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

/// What to say of an identifier that no rule has: the one that was probably meant.
pub fn unknown(id: &str) -> String {
    let name = id.rsplit('/').next().unwrap_or(id);
    let ids = || all().into_iter().map(|rule| rule.id);
    let mut near: Vec<&str> = ids().filter(|rule| rule.starts_with(id)).collect();
    if near.is_empty() {
        near = ids().filter(|rule| rule.contains(name)).collect();
    }
    if near.is_empty() {
        // A slip in the name alone is one, too.
        let named =
            |rule: &&str| rule.rsplit('/').next() == nearest(name, ids().filter_map(|id| id.rsplit('/').next()));
        near = nearest(id, ids()).map_or_else(|| ids().filter(named).collect(), |rule| vec![rule]);
    }
    if near.is_empty() {
        format!("unknown rule {id:?}; `tsuba explain` lists them")
    } else {
        format!("unknown rule {id:?}; did you mean {}?", near.join(" or "))
    }
}

/// The rule with this identifier, or that was called so before.
pub fn find(id: &str) -> Option<&'static Rule> {
    all().into_iter().find(|rule| rule.names().contains(&id))
}
