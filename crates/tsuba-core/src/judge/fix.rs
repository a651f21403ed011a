//! How a finding can be mended by itself.

use crate::prelude::*;

/// How a finding can be mended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Fix {
    /// Write this in the place of the value.
    Write(String),
    /// Take the value out of its list.
    Remove,
    /// Write the reference to a new prompt in the place of the value, and the prompt into the list of the document's inputs.
    Prompt(Prompt),
}

/// A prompt by which a client asks its user for a secret.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Prompt {
    /// Its name, by which it is referred to.
    pub id: String,
    /// What the user reads.
    pub description: String,
}
