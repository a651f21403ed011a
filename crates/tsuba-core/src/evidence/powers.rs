//! The powers that a listing shows, by the verbs and things in its tools' names and what they take.

use super::listing::{Item, ItemKind, Listing};
use crate::prelude::*;
use crate::understand::Power;

/// The powers of all tools of a listing.
pub(crate) fn powers(listing: &Listing) -> BTreeSet<Power> {
    listing.items.iter().filter(|item| item.kind == ItemKind::Tool).flat_map(powers_of).collect()
}

/// The powers of one tool.
pub(crate) fn powers_of(item: &Item) -> BTreeSet<Power> {
    let _ = item;
    BTreeSet::new()
}
