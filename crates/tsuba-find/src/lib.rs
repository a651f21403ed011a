//! find: folders and files in; documents out, with their bytes, paths and facts.
//!
//! Nothing is decided here about what a document is: a cheap look at name and content leaves out what cannot be a setup,
//! and the core reads the rest.

mod archive;
mod candidate;
mod facts;
mod home;
mod layers;
mod owners;
mod regular;
mod repository;
mod walk;

pub use archive::packed_in;
pub use facts::Facts;
pub use regular::{open_regular, read_regular, read_regular_text};
pub use repository::{Repository, author, root};
pub use walk::{Problem, Walk, folders, is_left_out, read_file, walk};
