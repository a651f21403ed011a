//! Which address a document is held against, and how it came to that.

use crate::prelude::*;

/// What ties a document to a server or to another document; the surest comes first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum LinkedBy {
    /// It was fetched from there, or lies in a folder that is called so.
    Origin,
    /// The server's address is the resource that it names (RFC 9728, 2).
    Resource,
    /// It names the issuer, or is the issuer's (RFC 8414, 2).
    Issuer,
    /// It has the host in common.
    Host,
    /// It lies in the same folder, and nothing else of its kind does.
    Folder,
}

impl LinkedBy {
    /// As it is told.
    pub fn name(self) -> &'static str {
        match self {
            Self::Origin => "origin",
            Self::Resource => "resource",
            Self::Issuer => "issuer",
            Self::Host => "host",
            Self::Folder => "folder",
        }
    }
}

crate::text::named!(LinkedBy: Origin, Resource, Issuer, Host, Folder);

/// The address that a document should be of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Asked {
    /// The address.
    pub address: String,
    /// How that is known.
    pub by: LinkedBy,
    /// Could it be of no other?
    pub sure: bool,
}

impl Asked {
    /// What was asked there for it.
    pub fn at(address: impl Into<String>) -> Self {
        Self { address: address.into(), by: LinkedBy::Origin, sure: true }
    }

    /// How the link is told; nothing where it was simply asked for.
    pub fn told(&self) -> String {
        match (self.by, self.sure) {
            (LinkedBy::Origin, _) => String::new(),
            (by, true) => format!(" (linked by {})", by.name()),
            (by, false) => format!(" (linked by {}, not the only candidate)", by.name()),
        }
    }
}
