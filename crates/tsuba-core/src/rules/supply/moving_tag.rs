use super::shared;
use crate::judge::{Check, Circumstance, Entries, Hit, Out, Rule, Verdict, Ways};
use crate::policy::Requirement;
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::understand::launch::Pin;

pub(super) static RULE: Rule = Rule {
    id: "supply/moving-tag",
    title: "mutable tag",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{what} {how}",
    why: "A tag such as latest, a channel or a branch names whatever its owner last published: the next start may run other code than was reviewed.",
    fix: "Name the exact version, commit or digest that was reviewed.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@latest"] } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"#,
    references: &["CWE-1357", "CWE-829"],
    ways: Ways::PLAIN.required_by(Requirement::Pin),
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let Some(plan) = &entries.entry.plan else { return };
    for (_, package) in plan.packages().filter(|(_, p)| p.pin == Pin::Moving) {
        let how = match package.variable() {
            Some(variable) => varied(variable),
            None => moved(package.version.as_deref().unwrap_or_default(), ""),
        };
        let hit = out.hit(&package.spec);
        hit.arg("what", &package.name)
            .arg("how", format!("uses {how}"))
            .circumstance_if(package.beside, Circumstance::Beside);
        weigh(hit, package.variable());
        shared::pin(hit, entries.entry, package);
    }
    for (step, container) in plan.containers() {
        let reference = &container.reference;
        let how = match (reference.pin(), &reference.variable) {
            (Pin::Moving, Some(variable)) => varied(variable),
            (Pin::Moving, None) => moved(reference.tag.as_deref().unwrap_or_default(), ""),
            (Pin::None, _) => moved("latest", " (no tag given)"),
            (Pin::Exact | Pin::Digest | Pin::Range | Pin::Local | Pin::NotAPackage, _) => continue,
        };
        let hit = out.hit(&container.image);
        hit.arg("what", shared::image(step, container)).arg("how", format!("uses {how}"));
        hit.circumstance_if(shared::is_beside(step, container), Circumstance::Beside);
        weigh(hit, reference.variable.as_deref());
        if let Some(known) = shared::known_digest(entries.entry, container) {
            hit.fix(known);
        }
    }
}

fn moved(tag: &str, more: &str) -> String {
    format!("the mutable tag {tag}{more}")
}

fn varied(variable: &str) -> String {
    format!("whatever {variable} is set to elsewhere")
}

/// A variable may stand for an exact version. What a template leaves open is filled in by whoever installs it, and is to be judged then.
fn weigh(hit: &mut Hit, variable: Option<&str>) {
    if let Some(variable) = variable {
        let left_open = variable.contains("{{");
        hit.confidence(Confidence::Possible).circumstance(if left_open {
            Circumstance::Faint
        } else {
            Circumstance::Weak
        });
    }
}
