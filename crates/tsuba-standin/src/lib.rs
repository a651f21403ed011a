//! Stand-ins: simulated tool servers, an identity provider and a reader of texts, real protocol peers on standard streams and on loopback.
//! They are sound unless a weakness is asked for. The demo and the tests start them; nothing in the tool itself is simulated.

mod attack;
mod provider;
mod reader;
mod server;
mod stdio;
mod weakness;
mod web;

pub use reader::{READER_TOKEN, ReaderKind};
pub use server::{Kind, Server};
pub use stdio::speak;
pub use weakness::Weakness;
pub use web::{Web, serve, serve_reader};
