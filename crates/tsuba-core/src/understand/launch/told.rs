//! A launch plan in the terms of the JSON contract: the flat fields describe the innermost server, `via` what stands around it. What does
//! not apply is empty. These are texts from outside, as they stand in the setup.

use super::{Plan, Step, StepKind};
use crate::prelude::*;
use serde::Serialize;

/// A launch plan, told.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct ToldLaunch {
    /// Programs that only pass on, outermost first.
    pub wrappers: Vec<String>,
    /// The program that fetches or starts the server.
    pub runner: String,
    /// Where it comes from.
    pub source: &'static str,
    /// The package's name.
    pub package: String,
    /// Its version as written.
    pub version: String,
    /// How firmly it is fixed.
    pub pin: &'static str,
    /// The image without tag and digest.
    pub image: String,
    /// The image's tag.
    pub tag: String,
    /// The image's digest.
    pub digest: String,
    /// A local program, script, or the address of a remote script.
    pub script: String,
    /// The server's own arguments.
    pub args: Vec<String>,
    /// Does something in the chain wrap another server?
    pub bridge: bool,
    /// What stands around or beside the server.
    pub via: Vec<ToldStep>,
    /// Why the chain could not be followed to its end.
    pub not_understood: &'static str,
}

/// A step of a chain, told.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct ToldStep {
    /// The program that fetches or starts it.
    pub runner: String,
    /// Where it comes from.
    pub source: &'static str,
    /// The package, image, script or address.
    pub package: String,
    /// Its version, tag or digest.
    pub version: String,
    /// How firmly it is fixed.
    pub pin: &'static str,
}

impl Plan {
    /// The plan in the terms of the JSON contract.
    pub fn told(&self) -> ToldLaunch {
        let wrappers = self.steps.iter().filter(|step| step.kind == StepKind::Wrapper).map(Step::name).collect();
        let mut launch = ToldLaunch {
            wrappers,
            bridge: self.is_bridged(),
            via: self.via().map(Step::told).collect(),
            not_understood: self.not_understood.unwrap_or_default(),
            ..ToldLaunch::default()
        };
        let Some(step) = self.server() else { return launch };
        let told = step.told();
        launch.args = step.args.iter().map(|word| word.text.clone()).collect();
        (launch.source, launch.pin, launch.runner) = (told.source, told.pin, told.runner);
        match &step.kind {
            StepKind::Package(_) => (launch.package, launch.version) = (told.package, told.version),
            StepKind::Container(container) => {
                launch.image = told.package;
                launch.tag = container.reference.tag.clone().unwrap_or_default();
                launch.digest = container.reference.digest.clone().unwrap_or_default();
            }
            StepKind::Wrapper
            | StepKind::Script(_)
            | StepKind::RemoteScript(_)
            | StepKind::Inline(_)
            | StepKind::Program => launch.script = told.package,
        }
        launch
    }
}

impl Step {
    /// The step in the terms of the JSON contract.
    pub fn told(&self) -> ToldStep {
        let of = |source, package: &str, version: Option<&str>, pin| ToldStep {
            runner: self.name(),
            source,
            package: package.to_owned(),
            version: version.unwrap_or_default().to_owned(),
            pin,
        };
        match &self.kind {
            StepKind::Package(p) => {
                let told = of(p.source.name(), &p.name, p.version.as_deref(), p.pin.name());
                ToldStep { runner: p.runner.clone(), ..told }
            }
            StepKind::Container(c) => {
                let version = c.reference.digest.as_deref().or(c.reference.tag.as_deref());
                let told = of("image", &c.reference.name(), version, c.reference.pin().name());
                ToldStep { runner: c.engine.clone(), ..told }
            }
            StepKind::RemoteScript(address) => of("url", &address.text, None, "not-a-package"),
            StepKind::Script(script) => of("path", &script.text, None, "local"),
            StepKind::Inline(_) => of("path", "a program text in an argument", None, "not-a-package"),
            StepKind::Program | StepKind::Wrapper => of("path", &self.program.text, None, "local"),
        }
    }
}
