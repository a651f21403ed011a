//! What an entry fetches to run: packages, images and scripts, by the names that their registries compare.

use super::Entry;
use super::launch::{Package, Step, StepKind};
use crate::prelude::*;

/// A package, image or script that is fetched to be run.
pub(crate) struct Fetched {
    pub(crate) source: &'static str,
    pub(crate) name: String,
    pub(crate) version: Option<String>,
}

/// Everything of a chain that is fetched.
pub(crate) fn fetched(entry: &Entry) -> Vec<Fetched> {
    let of = |step: &Step| match &step.kind {
        StepKind::Package(Package { source, name, version, .. }) => {
            let source = source.name();
            Some(Fetched { source, name: registry_name(source, name), version: version.clone() })
        }
        StepKind::Container(container) => {
            let reference = &container.reference;
            let version = reference.digest.clone().or_else(|| reference.tag.clone());
            Some(Fetched { source: "image", name: reference.name(), version })
        }
        StepKind::RemoteScript(address) => Some(Fetched { source: "url", name: address.text.clone(), version: None }),
        StepKind::Wrapper | StepKind::Script(_) | StepKind::Inline(_) | StepKind::Program => None,
    };
    entry.plan.iter().flat_map(|plan| &plan.steps).filter_map(of).collect()
}

/// A name as its registry compares it: the Python registry knows no case and one separator (PEP 503), and an image without a registry comes from
/// the engine's own.
pub fn registry_name(source: &str, name: &str) -> String {
    match source {
        "pypi" => {
            let parts: Vec<&str> = name.split(['-', '_', '.']).filter(|part| !part.is_empty()).collect();
            parts.join("-").to_ascii_lowercase()
        }
        "image" => {
            let own = ["docker.io/", "index.docker.io/", "registry-1.docker.io/"];
            let bare = own.iter().find_map(|registry| name.strip_prefix(registry)).unwrap_or(name);
            bare.strip_prefix("library/").unwrap_or(bare).to_owned()
        }
        _ => name.to_owned(),
    }
}

/// The one package or image that an entry starts, and nothing beside it: source, name, version. A chain of several, or a line for a shell, is
/// decided on as an entry.
pub fn started(entry: &Entry) -> Option<(&'static str, String, Option<String>)> {
    let plan = entry.plan.as_ref()?;
    let works = plan.steps.iter().filter(|step| step.kind != StepKind::Wrapper).count();
    if works != 1 || !plan.shell_lines.is_empty() || !plan.passing.is_empty() || plan.not_understood.is_some() {
        return None;
    }
    let one = fetched(entry).pop().filter(|one| one.source != "url")?;
    Some((one.source, one.name, one.version))
}
