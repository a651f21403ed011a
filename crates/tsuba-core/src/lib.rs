//! The heart of Tsuba: bytes and a date in, findings and verdicts out.
//!
//! The crate is pure. `no_std` makes every use of files, network, clock, environment and terminal a compile error;
//! its folders are the stages of the design: [`read`], [`understand`], [`evidence`] with [`wording`], `judge` with `rules`.
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

pub mod decide;
pub mod evidence;
pub mod fuzz;
pub mod judge;
pub mod policy;
mod prelude;
pub mod register;
pub mod repair;
pub mod rules;
pub mod severity;
pub mod understand;

pub use tsuba_document::{read, text};
pub use tsuba_wording as wording;
