//! What a policy can speak of: the origins of an entry, and the lines that judge.

use super::{Line, Policy, Ruling};
use crate::prelude::*;
use crate::text::Located;
use crate::understand::Entry;
use crate::understand::launch::StepKind;

impl Policy {
    /// Everything of an entry whose origin or host a policy can speak of: its place, what it is in words, and what is said of it.
    pub(crate) fn origins(&self, entry: &Entry) -> Vec<(Located, String, Ruling<'_>)> {
        let mut out = Vec::new();
        for step in entry.plan.iter().flat_map(|plan| &plan.steps) {
            match &step.kind {
                StepKind::Package(package) => {
                    let source = package.source.name();
                    let ruling = self.package(source, &package.name, package.version.as_deref());
                    out.push((package.spec.clone(), format!("the {source} package {}", package.name), ruling));
                }
                StepKind::Container(container) => {
                    let reference = &container.reference;
                    let version = reference.digest.as_deref().or(reference.tag.as_deref());
                    let ruling = self.package("image", &reference.name(), version);
                    out.push((container.image.clone(), format!("the image {}", reference.name()), ruling));
                }
                StepKind::RemoteScript(address) => {
                    let ruling = self.package("url", &address.text, None);
                    out.push((address.clone(), "a script from an address".to_owned(), ruling));
                }
                StepKind::Wrapper | StepKind::Script(_) | StepKind::Inline(_) | StepKind::Program => {}
            }
        }
        // This machine itself is nobody else's.
        if let Some(remote) = entry.remote.as_ref().filter(|remote| !remote.loopback && !remote.host.is_empty()) {
            out.push((remote.url.clone(), format!("the host {}", remote.host), self.host(&remote.host)));
        }
        out
    }

    /// Every line by which entries and findings are judged, in the order written: all but the gate, the words, and what is said of
    /// scopes, which lists of grants hold that belong to no entry.
    pub fn judging_lines(&self) -> Vec<&Line> {
        let mut lines: Vec<&Line> = Vec::new();
        lines.extend(self.severities.iter().map(|weighed| &weighed.line));
        lines.extend(self.allow.lines());
        lines.extend(self.refuse.lines());
        for folders in &self.folders {
            let allowed = folders.allow.iter().flat_map(|(_, items)| items);
            lines.extend(allowed.chain(&folders.refuse).map(|(_, line)| line));
        }
        lines.extend(self.require.pin.as_ref().map(|(_, line)| line));
        lines.extend(&self.require.tls);
        lines.extend(self.require.token_days.as_ref().map(|(_, line)| line));
        lines.extend(self.rules.iter().map(|rule| &rule.line));
        lines.sort();
        lines
    }

    /// The line that sets the gate.
    pub fn gate_line(&self) -> Option<&Line> {
        self.gate_line.as_ref()
    }
}
