//! decide: whether what people decided on is still what is there, and what a policy says of an entry, line by line.

pub mod drift;
mod told;

/// The rules that only say that a decision is missing, or no longer holds.
pub const UNDECIDED: [&str; 3] = ["review/unknown", "review/changed", "review/expired"];

pub use told::Told;
