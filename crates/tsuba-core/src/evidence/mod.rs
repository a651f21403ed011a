//! evidence: what servers say about themselves, typed, with the place of every text kept.

mod collect;
mod listing;
mod powers;

pub(crate) use collect::{listings, looks_like_listing};
pub use listing::{Hints, Item, ItemKind, Listing, Parameter, Passage, Place};
pub(crate) use powers::powers;
