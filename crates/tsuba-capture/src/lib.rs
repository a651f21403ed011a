//! capture: asks tool servers, with consent, what they are, and keeps the answers as evidence.
//!
//! In goes an entry (a program to start, an address to call), out comes an [`Evidence`]: everything the server answered, kept as it was
//! written, within bounds. No tool is ever called; whatever a server asks of its client is refused and recorded. `wire` is bytes in and
//! events out; `peer` is the edge where processes and sockets are; `session` knows what to ask.

mod answered;
mod bounds;
pub mod cage;
mod capture;
mod differ;
mod evidence;
mod fds;
mod fetch;
mod job;
mod login;
mod net;
mod peer;
pub mod reader;
mod redact;
mod scratch;
mod session;
mod turns;
pub mod wire;

pub use bounds::Bounds;
pub use capture::capture;
pub use evidence::{
    Asked, Difference, Era, Evidence, HttpAnswer, Package, SCHEMA, Session, Token, TokenClaims, Tool, Touched, schema,
};
pub use fds::Inherited;
pub use fetch::Wanted;
pub use job::{Job, Options, Target};
pub use net::{Reachable, Trust};
pub use peer::Launch;
pub use redact::Redact;
