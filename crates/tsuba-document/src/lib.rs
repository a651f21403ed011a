//! Bytes in, typed documents out whose every value keeps its place; and what may leave the program of their texts.
//!
//! The ground that the rest of Tsuba stands on: [`text`] knows places, words of names, and secrets in every form; [`read`] knows notations. The crate
//! is pure: `no_std` makes every use of files, network, clock, environment and terminal a compile error.
#![no_std]
#![cfg_attr(
    test,
    allow(
        clippy::string_slice,
        clippy::single_range_in_vec_init,
        reason = "a test that panics has failed, which is its job"
    )
)]

extern crate alloc;

mod prelude;
pub mod read;
pub mod text;
