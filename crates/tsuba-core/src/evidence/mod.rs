//! evidence: what servers say about themselves, typed, with the place of every text kept.

mod collect;
mod effect;
mod listing;
mod need;
pub mod oauth;
mod power;
mod powers;
mod reading;
mod scope;
mod take;

pub use crate::wording::Place;
pub(crate) use collect::{is_evidence, listings, looks_like_listing};
pub use effect::Effect;
pub use listing::{Captured, Differs, Fetched, Hints, Item, ItemKind, Listing, Parameter, Passage, Touched, VariesBy};
pub(crate) use need::Needs;
pub use power::Power;
pub(crate) use powers::{Parts, parts_of, powers, powers_of, tools};
pub use reading::{MAX_READ, MAX_READ_BYTES, READING_SCHEMA, ReadFinding, Reading, reading, text_key};
pub(crate) use scope::{Access, Scope, administers, reaches_everything};
