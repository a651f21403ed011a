//! One entry: everything a setup says about one server, understood.

use super::credential::{Kind, Place, Why};
use super::launch::Plan;
use super::unasked::Unasked;
use super::variables::Variable;
use crate::evidence::Power;
use crate::prelude::*;
use crate::text::{Located, Pointer, Remote, Span};

/// How a client speaks to a server.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Transport {
    /// Over the standard streams of a program it starts.
    Stdio,
    /// Streamable HTTP.
    Http,
    /// HTTP with server-sent events (protocol 2024-11-05, deprecated since 2025-03-26).
    Sse,
    /// Not said.
    Unknown,
}

impl Transport {
    /// The transport as the JSON contract names it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Stdio => "stdio",
            Self::Http => "http",
            Self::Sse => "sse",
            Self::Unknown => "unknown",
        }
    }
}

crate::text::named!(Transport: Stdio, Http, Sse, Unknown);

/// Does the client ask before a tool runs?
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Asks {
    /// Before every call.
    Always,
    /// Some tools run unasked.
    Some,
    /// Every tool runs unasked.
    Never,
    /// The setup does not say; the client's default holds.
    Unknown,
}

impl Asks {
    /// The answer as the JSON contract names it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Always => "always",
            Self::Some => "some",
            Self::Never => "never",
            Self::Unknown => "unknown",
        }
    }
}

crate::text::named!(Asks: Always, Some, Never, Unknown);

/// One server in a setup. What few have is boxed: a company has very many of them.
#[derive(Clone, Debug)]
pub struct Entry {
    /// Its name, at the place of the key.
    pub name: Located,
    /// Where its settings are.
    pub pointer: Pointer,
    /// The whole of its settings.
    pub span: Span,
    /// How it is spoken to.
    pub transport: Transport,
    /// The words of its command, as a client would start it.
    pub command: Vec<Located>,
    /// What is started, if something is.
    pub plan: Option<Plan>,
    /// What is called, if something is: by the entry itself or through a bridge.
    pub remote: Option<Box<Remote>>,
    /// Every variable and header that is set, secret or not.
    pub variables: Vec<Variable>,
    /// Its other settings that are one value each.
    pub settings: Vec<Variable>,
    /// The credentials among all values handed over.
    pub credentials: Vec<Credential>,
    /// What runs without asking.
    pub unasked: Unasked,
    /// Is it switched off?
    pub disabled: bool,
    /// The working folder.
    pub cwd: Option<Box<Located>>,
    /// Environment files it is given.
    pub env_files: Vec<Located>,
    /// What it may touch.
    pub reach: Reach,
    /// What the server itself lists, as an index into the study's listings: this entry stands for the listing.
    pub listing: Option<usize>,
    /// The listing elsewhere that belongs to this entry, by name or package; known once everything is read.
    pub listed: Option<Listed>,
    /// Its package and the version of it that is known to be meant: the one that was fetched for it, or the one that is approved.
    pub known_version: Option<Box<(String, String)>>,
    /// An image as it is written, and the digest that is known of it.
    pub known_digest: Option<Box<(String, String)>>,
    /// The address with TLS at which its server answers just so, where a capture has found one.
    pub known_https: Option<Box<str>>,
}

/// Where the listing of an entry is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Listed {
    /// The index of its study.
    pub analysis: usize,
    /// The index of the entry that stands for it there.
    pub entry: usize,
}

impl Entry {
    /// Does the client ask before a tool runs?
    pub fn asks(&self) -> Asks {
        match &self.unasked {
            Unasked { all: Some(_), .. } | Unasked { all_elsewhere: true, .. } => Asks::Never,
            Unasked { tools, some_elsewhere, .. } if *some_elsewhere || !tools.is_empty() => Asks::Some,
            Unasked { asked: true, .. } => Asks::Always,
            Unasked { .. } => Asks::Unknown,
        }
    }

    /// Gives back the room that its lists have and do not need: a company has very many entries, and most lists hold one thing or none.
    pub(super) fn shrink(&mut self) {
        let Self { command, plan, variables, settings, credentials, env_files, reach, .. } = self;
        command.shrink_to_fit();
        variables.shrink_to_fit();
        settings.shrink_to_fit();
        credentials.shrink_to_fit();
        env_files.shrink_to_fit();
        reach.folders.shrink_to_fit();
        reach.hosts.shrink_to_fit();
        if let Some(Plan { steps, variables, .. }) = plan {
            steps.shrink_to_fit();
            variables.shrink_to_fit();
            for step in steps {
                step.args.shrink_to_fit();
                step.options.shrink_to_fit();
            }
        }
    }

    /// The variables of the environment (not the headers) called `name`.
    pub fn variable(&self, name: &str) -> Option<&Variable> {
        self.variables.iter().find(|v| !v.header && v.name.eq_ignore_ascii_case(name))
    }
}

/// A credential among the values handed over.
#[derive(Clone, Debug)]
pub struct Credential {
    /// The part of a setup in which it is handed over.
    pub place: Place,
    /// Under which name.
    pub name: String,
    /// The credential itself, at its exact place.
    pub value: Located,
    /// What it is.
    pub kind: Kind,
    /// Why it was judged so.
    pub why: Why,
    /// A well-known default.
    pub trivial: bool,
    /// Only its place speaks for a secret.
    pub weak: bool,
}

impl Credential {
    /// Is it a secret in plain text?
    pub fn is_plaintext(&self) -> bool {
        self.kind == Kind::Plaintext
    }

    /// Is it a JSON Web Token in plain text?
    pub fn is_web_token(&self) -> bool {
        self.is_plaintext() && matches!(self.why, Why::Format(format, _) if format.id.starts_with("json-web-token"))
    }
}

/// A folder or file of the machine.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Folder {
    /// Its path as written.
    pub path: Located,
    /// May it be written? `None` where the setup does not say.
    pub writable: Option<bool>,
    /// Is it mounted into a container?
    pub mounted: bool,
}

/// What an entry may touch.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Reach {
    /// Folders and files.
    pub folders: Vec<Folder>,
    /// Hosts by name.
    pub hosts: Vec<String>,
    /// Powers, by what the server is called and given.
    pub powers: BTreeSet<Power>,
}
