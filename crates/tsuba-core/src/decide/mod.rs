//! decide: whether what people decided on is still what is there, and what a policy says of an entry, line by line.

pub mod drift;
mod explained;

pub use explained::Explained;
