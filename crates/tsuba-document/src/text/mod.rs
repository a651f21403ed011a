//! Text and places: spans, lines, pointers, words of names, addresses, and what may leave the program.

mod address;
mod clean;
mod cut;
mod decoded;
mod digest;
mod forms;
mod known;
mod lines;
mod located;
mod mask;
mod masker;
mod name;
mod nearest;
mod pointer;
mod words;

pub use crate::named;
pub use address::{Remote, Scheme};
pub use address::{is_loopback, is_server_address};
pub use clean::is_unseen;
pub use clean::{Clean, Redactor};
pub use cut::{boundary, head};
pub use digest::{Key, fingerprint, keyed, strong_fingerprint};
pub use lines::{Lines, Position};
pub use located::joined;
pub use located::{Located, Parts, Span};
pub use mask::mask;
pub use masker::{Masker, Memory};
pub use name::Name;
pub use nearest::{nearest, unknown_key};
pub use pointer::Pointer;
pub use pointer::{is_normally, normal};
pub use words::{is_one_of, singular, spaced, speaks_of_servers, words_of};
