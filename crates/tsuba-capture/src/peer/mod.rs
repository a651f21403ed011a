//! The edge: processes and sockets that a session speaks through.

mod http;
mod stdio;
mod stream;

pub(crate) use http::Http;
pub use stdio::Launch;
pub(crate) use stdio::{Stdio, not_started};
pub(crate) use stream::Stream;

use std::fmt;
use std::time::Instant;

/// A message on its way to a server.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Outgoing<'m> {
    /// The message.
    pub(crate) text: &'m str,
    /// Its method; empty for an answer.
    pub(crate) method: &'m str,
    /// Is an answer to it expected?
    pub(crate) answered: bool,
    /// Give up on it at this time.
    pub(crate) until: Instant,
}

/// Whom a session speaks to.
pub(crate) trait Peer {
    /// Sends a message.
    fn send(&mut self, message: Outgoing<'_>) -> Result<(), Failure>;
    /// Waits for the next message until a time: its bytes, within the bound of one message.
    fn receive(&mut self, until: Instant) -> Result<Vec<u8>, Failure>;
    /// The revision that was agreed on: later messages may have to carry it.
    fn agreed(&mut self, _version: &str) {}
    /// The conversation is over.
    fn close(&mut self) {}
}

/// Why nothing came.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Failure {
    /// Nothing in time.
    Timeout,
    /// The server ended, or the stream did.
    Ended(String),
    /// A message over the bound, of so many bytes at least.
    TooLong(usize),
    /// The server has said more than is taken.
    TooMuch,
    /// Too many messages that nobody asked for.
    Flood,
    /// A status that stands for a refusal.
    Refused(u16),
    /// No connection, or a broken one.
    Network(String),
    /// The address must not be asked.
    Forbidden(String),
    /// The program could not be started.
    NotStarted(String),
    /// The person stopped the capture.
    Stopped,
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Timeout => f.write_str("no answer in time"),
            Self::Ended(how) => write!(f, "the server ended{how}"),
            Self::TooLong(bytes) => write!(f, "a message over the bound ({bytes} bytes)"),
            Self::TooMuch => f.write_str("more bytes than are taken from one server"),
            Self::Flood => f.write_str("too many messages that nobody asked for"),
            Self::Refused(status) => write!(f, "refused with status {status}"),
            Self::Network(why) => write!(f, "no connection: {why}"),
            Self::Forbidden(why) | Self::NotStarted(why) => f.write_str(why),
            Self::Stopped => f.write_str("interrupted"),
        }
    }
}
