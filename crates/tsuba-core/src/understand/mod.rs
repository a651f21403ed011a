//! understand.
pub mod credential;
pub mod launch;
