//! A launch plan in the terms of the JSON contract: the flat fields describe the innermost server, `via` what stands around it. What does
//! not apply is empty. These are texts from outside, as they stand in the setup.

use super::{Pin, Plan, Source, Step, StepKind};
use crate::prelude::*;
use crate::text::Name;
use serde::{Serialize, Serializer};

/// A launch plan, told.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct LaunchSummary {
    /// Programs that only pass on, outermost first.
    pub wrappers: Vec<String>,
    /// The program that fetches or starts the server.
    pub runner: String,
    /// Where it comes from.
    #[serde(serialize_with = "name_if_any")]
    pub source: Option<Source>,
    /// The package's name.
    pub package: String,
    /// Its version as written.
    pub version: String,
    /// How firmly it is fixed.
    #[serde(serialize_with = "name_if_any")]
    pub pin: Option<Pin>,
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
    pub via: Vec<StepSummary>,
    /// Why the chain could not be followed to its end.
    pub not_understood: &'static str,
}

/// A step of a chain, told.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct StepSummary {
    /// The program that fetches or starts it.
    pub runner: String,
    /// Where it comes from.
    #[serde(serialize_with = "name")]
    pub source: Source,
    /// The package, image, script or address.
    pub package: String,
    /// Its version, tag or digest.
    pub version: String,
    /// How firmly it is fixed.
    #[serde(serialize_with = "name")]
    pub pin: Pin,
    /// Is it beside the server, not around it: run before it, or what its image is built from?
    pub aside: bool,
}

fn name<T: Name, S: Serializer>(value: &T, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(value.name())
}

/// A name, or an empty text: rules of the company's own compare texts.
fn name_if_any<T: Name, S: Serializer>(value: &Option<T>, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(value.map(T::name).unwrap_or_default())
}

impl Plan {
    /// The plan in the terms of the JSON contract.
    pub fn describe(&self) -> LaunchSummary {
        let wrappers = self.steps.iter().filter(|step| step.kind == StepKind::Wrapper).map(Step::name).collect();
        let mut launch = LaunchSummary {
            wrappers,
            bridge: self.is_bridged(),
            via: self.via().map(Step::describe).collect(),
            not_understood: self.not_understood.unwrap_or_default(),
            ..LaunchSummary::default()
        };
        let Some(step) = self.server() else { return launch };
        let message = step.describe();
        launch.args = step.args.iter().map(|word| word.text.clone()).collect();
        (launch.source, launch.pin, launch.runner) = (Some(message.source), Some(message.pin), message.runner);
        match &step.kind {
            StepKind::Package(_) => (launch.package, launch.version) = (message.package, message.version),
            StepKind::Container(container) => {
                launch.image = message.package;
                launch.tag = container.reference.tag.clone().unwrap_or_default();
                launch.digest = container.reference.digest.clone().unwrap_or_default();
            }
            StepKind::Wrapper
            | StepKind::Script(_)
            | StepKind::RemoteScript(_)
            | StepKind::Inline(_)
            | StepKind::Program => launch.script = message.package,
        }
        launch
    }
}

impl Step {
    /// The step in the terms of the JSON contract.
    pub fn describe(&self) -> StepSummary {
        let of = |source, package: &str, version: Option<&str>, pin| StepSummary {
            runner: self.name(),
            source,
            package: package.to_owned(),
            version: version.unwrap_or_default().to_owned(),
            pin,
            aside: self.aside,
        };
        match &self.kind {
            StepKind::Package(p) => {
                let message = of(p.source, &p.name, p.version.as_deref(), p.pin);
                StepSummary { runner: p.runner.clone(), ..message }
            }
            StepKind::Container(c) => {
                let version = c.reference.digest.as_deref().or(c.reference.tag.as_deref());
                let message = of(Source::Image, &c.reference.name(), version, c.reference.pin());
                StepSummary { runner: c.engine.clone(), ..message }
            }
            StepKind::RemoteScript(address) => of(Source::Url, &address.text, None, Pin::NotAPackage),
            StepKind::Script(script) => of(Source::Path, &script.text, None, Pin::Local),
            StepKind::Inline(_) => of(Source::Path, "a program text in an argument", None, Pin::NotAPackage),
            StepKind::Program | StepKind::Wrapper => of(Source::Path, &self.program.text, None, Pin::Local),
        }
    }
}
