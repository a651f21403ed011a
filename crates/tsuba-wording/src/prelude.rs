//! What `std`'s prelude would bring: the crate is `no_std`, so the owned types come from `alloc` by name.

pub(crate) use alloc::{
    borrow::ToOwned,
    boxed::Box,
    collections::{BTreeMap, BTreeSet},
    format,
    string::String,
    vec,
    vec::Vec,
};
