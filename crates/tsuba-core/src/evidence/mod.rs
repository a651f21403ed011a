//! evidence: what servers say about themselves, typed, with the place of every text kept.

mod collect;
mod effect;
mod listing;
pub mod oauth;
mod powers;
mod take;

pub(crate) use collect::{listings, looks_like_listing};
pub use effect::Effect;
pub use listing::{Hints, Item, ItemKind, Listing, Parameter, Passage, Place};
pub(crate) use powers::{Parts, parts_of, powers, powers_of, tools};
