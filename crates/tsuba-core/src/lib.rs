//! The heart of Tsuba: bytes and a date in, findings and verdicts out.
//!
//! The crate is pure. `no_std` makes every use of files, network, clock, environment and terminal a compile error;
//! its folders are the stages of the design: [`read`], [`understand`], `judge` with `rules`.
#![no_std]

extern crate alloc;

mod prelude;
pub mod read;
pub mod text;
pub mod understand;
