//! What is asked, and how.

use crate::bounds::Bounds;
use crate::cage::Cage;
use crate::evidence::Era;
use crate::fetch::Wanted;
use crate::net::Trust;
use crate::peer::Launch;
use crate::redact::Redact;
use url::Url;

/// An entry to ask.
#[derive(Clone, Debug)]
pub struct Job {
    /// The setup it stands in, as reports show it.
    pub setup: String,
    /// Its name.
    pub entry: String,
    /// Its fingerprint in reports.
    pub fingerprint: String,
    /// Whom to ask.
    pub target: Target,
    /// What must not be kept.
    pub redact: Redact,
}

/// Whom to ask.
#[derive(Clone, Debug)]
pub enum Target {
    /// A program to start.
    Local(Launch),
    /// A package to fetch, and then to start with what the entry gives.
    Package(Wanted, Launch),
    /// An address to call.
    Remote {
        /// The address.
        url: Url,
        /// Does the setup say that it speaks the older HTTP with server-sent events?
        events: bool,
        /// Headers that every request carries.
        headers: Vec<(String, String)>,
        /// Ports of this machine that the setup names, its own among them.
        loopback: Vec<u16>,
    },
}

/// How to ask.
#[derive(Clone, Debug)]
pub struct Options {
    /// How much is taken.
    pub bounds: Bounds,
    /// May addresses of private networks be asked?
    pub private: bool,
    /// Whom to trust.
    pub trust: Trust,
    /// So many servers at a time.
    pub jobs: usize,
    /// The date in UTC, as `2026-11-25`.
    pub taken: String,
    /// The cage for local servers; `None` lets them do whatever the user may do.
    pub cage: Option<Cage>,
    /// The eras to ask in.
    pub eras: Vec<Era>,
    /// A token to ask with as well.
    pub token: Option<String>,
}
