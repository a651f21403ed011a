//! The launch plan: what a command line really runs, unwrapped to any depth.

mod bridge;
mod container;
mod image;
mod list;
mod npm;
mod options;
mod python;
mod runtime;
mod shell;
mod shells;
mod spec;
mod summary;
mod unwrap;
pub(crate) mod varied;
mod windows;
mod wrappers;

pub use container::{Container, Mount, Published};
pub(crate) use image::BUILT_HERE;
pub use image::ImageRef;
pub(super) use spec::{npm as npm_package, pypi as python_package};
pub use summary::{LaunchSummary, StepSummary};
pub(super) use unwrap::is_command;
pub use unwrap::unwrap;

use crate::prelude::*;
use crate::text::Located;

/// How firmly what is run is fixed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Pin {
    /// One version, or a full commit id.
    Exact,
    /// Content by its digest.
    Digest,
    /// Any version in a range.
    Range,
    /// A name that is moved to new versions: `latest`, a channel, a branch.
    Moving,
    /// No version at all.
    None,
    /// A program or file on this machine.
    Local,
    /// Not a package: a script or an address.
    NotAPackage,
}

impl Pin {
    /// The pin as the JSON contract names it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Exact => "exact",
            Self::Digest => "digest",
            Self::Range => "range",
            Self::Moving => "moving",
            Self::None => "none",
            Self::Local => "local",
            Self::NotAPackage => "not-a-package",
        }
    }
}

crate::text::named!(Pin: Exact, Digest, Range, Moving, None, Local, NotAPackage);

/// Where what is run comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Source {
    /// The JavaScript registry.
    Npm,
    /// The second JavaScript registry, of typed packages.
    Jsr,
    /// The Python registry.
    Pypi,
    /// The .NET registry.
    Nuget,
    /// The Go module proxy.
    Go,
    /// The Rust registry.
    Crates,
    /// A container registry.
    Image,
    /// A version-control repository.
    Git,
    /// An address: an archive or a script.
    Url,
    /// This machine.
    Path,
}

impl Source {
    /// The source as the JSON contract names it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Npm => "npm",
            Self::Jsr => "jsr",
            Self::Pypi => "pypi",
            Self::Nuget => "nuget",
            Self::Go => "go",
            Self::Crates => "crates",
            Self::Image => "image",
            Self::Git => "git",
            Self::Url => "url",
            Self::Path => "path",
        }
    }
}

crate::text::named!(Source: Npm, Jsr, Pypi, Nuget, Go, Crates, Image, Git, Url, Path);

/// A package that is run.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Package {
    /// The program that fetches and starts it, as the command line names it.
    pub runner: String,
    /// Where it comes from.
    pub source: Source,
    /// Its name, without version.
    pub name: String,
    /// The version, range, tag or commit as written.
    pub version: Option<String>,
    /// How firmly it is fixed.
    pub pin: Pin,
    /// The specification as written.
    pub spec: Located,
    /// Its program that is started, where the command line names one (`-p NAME program`, `--from NAME program`).
    pub command: Option<String>,
    /// Installed beside the server (`--with`, a second `-p`), not started itself.
    pub beside: bool,
}

impl Package {
    /// The variable that decides what is started, where one does: the version, or all of it.
    pub fn variable(&self) -> Option<&str> {
        let varied = self.version.as_deref().unwrap_or(&self.name);
        Some(varied).filter(|varied| self.pin == Pin::Moving && varied::has_variable(varied))
    }
}

/// What one step of a chain is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum StepKind {
    /// Passes on what follows.
    Wrapper,
    /// A package fetched by a runner.
    Package(Package),
    /// A container image.
    Container(Box<Container>),
    /// A script or project on this machine, started by an interpreter.
    Script(Located),
    /// A script fetched from an address and run at once.
    RemoteScript(Located),
    /// A program text in an argument (`node -e`, `python -c`).
    Inline(Located),
    /// A program on this machine.
    Program,
}

/// One step of a chain.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Step {
    /// The program as written.
    pub program: Located,
    /// What it is.
    pub kind: StepKind,
    /// What is given to the server that this step starts, or to the program itself.
    pub args: Vec<Located>,
    /// Options of the runner or wrapper, before the server's own arguments.
    pub options: Vec<Located>,
    /// Does it wrap another server: a command line or an address handed to it in its arguments?
    pub bridge: bool,
    /// Runs beside the server (a step before it in a shell line), not around it.
    pub aside: bool,
}

impl Step {
    /// A step without arguments or options of its own.
    pub(crate) fn new(program: &Located, kind: StepKind) -> Self {
        Self { program: program.clone(), kind, args: Vec::new(), options: Vec::new(), bridge: false, aside: false }
    }

    /// The program's plain name: no folder, no `.exe` or `.cmd`, lower case.
    pub fn name(&self) -> String {
        program_name(&self.program.text)
    }

    /// What the program starts, where that is something else than the program itself.
    pub fn target(&self) -> Option<&Located> {
        match &self.kind {
            StepKind::Package(package) => Some(&package.spec),
            StepKind::Container(container) => Some(&container.image),
            StepKind::Script(text) | StepKind::RemoteScript(text) | StepKind::Inline(text) => Some(text),
            StepKind::Wrapper | StepKind::Program => None,
        }
    }
}

/// A variable set for what is started.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Variable {
    /// Its name.
    pub name: String,
    /// Its value, or the name itself where only the name is passed on (`docker run -e NAME`).
    pub value: Located,
    /// Only the name is written: the value comes from the environment of whoever starts it.
    pub passed_on: bool,
    /// Set inside a shell line, or by an argument?
    pub in_shell: bool,
}

/// What a command line really runs.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Plan {
    /// The chain from the outermost program to the innermost server.
    pub steps: Vec<Step>,
    /// Variables set on the way (not those of the entry's `env`).
    pub variables: Vec<Variable>,
    /// Environment files named on the way.
    pub env_files: Vec<Located>,
    /// Addresses that a bridge turns into a local server.
    pub targets: Vec<Located>,
    /// Shell lines met on the way, whole.
    pub shell_lines: Vec<Located>,
    /// Commands of shell lines that start no server (`curl … |`, `echo …`), word by word: they may hold secrets all the same.
    pub passing: Vec<Vec<Located>>,
    /// Why the chain could not be followed to its end, where that is so.
    pub not_understood: Option<&'static str>,
}

impl Plan {
    /// The innermost server: the one whose tools the model gets.
    pub fn server(&self) -> Option<&Step> {
        let serves = |step: &&Step| !step.aside && step.kind != StepKind::Wrapper && !is_beside(step);
        self.steps.iter().rev().find(serves).or_else(|| self.steps.iter().rev().find(|step| !is_beside(step)))
    }

    /// Every package, image and script of the chain but the innermost server.
    pub fn via(&self) -> impl Iterator<Item = &Step> {
        let server = self.server();
        self.steps
            .iter()
            .filter(move |step| step.kind != StepKind::Wrapper && !server.is_some_and(|s| core::ptr::eq(s, *step)))
    }

    /// Does a step of the chain wrap another server?
    pub fn is_bridged(&self) -> bool {
        self.steps.iter().any(|step| step.bridge)
    }

    /// The packages of the chain, outermost first.
    pub fn packages(&self) -> impl Iterator<Item = (&Step, &Package)> {
        self.steps.iter().filter_map(|step| match &step.kind {
            StepKind::Package(package) => Some((step, package)),
            _ => None,
        })
    }

    /// The containers of the chain, outermost first.
    pub fn containers(&self) -> impl Iterator<Item = (&Step, &Container)> {
        self.steps.iter().filter_map(|step| match &step.kind {
            StepKind::Container(container) => Some((step, &**container)),
            _ => None,
        })
    }

    /// Every argument and option of the chain, in the order of the steps.
    pub fn words(&self) -> impl Iterator<Item = &Located> {
        self.steps.iter().flat_map(|step| step.options.iter().chain(&step.args))
    }
}

fn is_beside(step: &Step) -> bool {
    matches!(&step.kind, StepKind::Package(package) if package.beside)
}

/// A program's plain name: no folder, no `.exe`, `.cmd`, `.bat` or `.ps1`, lower case.
pub(crate) fn program_name(program: &str) -> String {
    let base = program.trim().trim_matches('"').rsplit(['/', '\\']).next().unwrap_or(program).to_ascii_lowercase();
    for ending in [".exe", ".cmd", ".bat", ".ps1", ".com"] {
        if let Some(stem) = base.strip_suffix(ending) {
            return stem.to_owned();
        }
    }
    base
}

#[cfg(test)]
mod tests;
