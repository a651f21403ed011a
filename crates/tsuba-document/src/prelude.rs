//! What `std`'s prelude would bring: the crate is `no_std`, so the owned types come from `alloc` by name.

pub(crate) use alloc::{
    borrow::{Cow, ToOwned},
    boxed::Box,
    collections::{BTreeMap, BTreeSet},
    format,
    string::{String, ToString},
    sync::Arc,
    vec,
    vec::Vec,
};
