//! The built program from end to end, on files in temporary folders: one test program, a file for each command or promise.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::string_slice,
    clippy::print_stderr,
    reason = "a failing test is what a panic is for, and a skipped one says why"
)]

mod advisories;
mod audit;
mod bounds;
mod candidates;
mod capture;
mod commands;
mod company;
mod compare;
mod decisions;
mod fetch;
mod formats;
mod identity;
mod listings;
mod orders;
mod page;
mod peers;
mod policy;
mod reader;
mod readme;
mod repair;
mod reports;
mod review;
mod schemas;
mod secrets;
mod split;
mod streamed;
mod together;
mod trust;
mod util;
#[cfg(target_os = "linux")]
mod walls;
mod watch;
