use super::shared;
use crate::judge::{Check, Circumstance, Entries, Out, Rule, Severity, Verdict};
use crate::prelude::*;
use crate::understand::launch::Pin;

pub(super) static RULE: Rule = Rule {
    id: "supply/moving-tag",
    title: "a package or image is named by a tag that moves",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    says: "{what} is started at {tag}, a name that is moved to new versions",
    why: "A tag such as latest, a channel or a branch names whatever its owner last published: the next start may run other code than was reviewed.",
    fix: "Name the exact version, commit or digest that was reviewed.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@latest"] } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"#,
    references: &["CWE-1357", "CWE-829"],
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let Some(plan) = &entries.entry.plan else { return };
    for (_, package) in plan.packages().filter(|(_, p)| p.pin == Pin::Moving) {
        let tag = package.version.as_deref().unwrap_or_default();
        let hit = out.hit(&package.spec);
        hit.word("what", &package.name)
            .word("tag", tag)
            .corrected(shared::with_version(package))
            .because_if(package.beside, Circumstance::Beside);
        if let Some(known) = shared::known_version(entries.entry, package) {
            hit.mend(known);
        }
    }
    for (_, container) in plan.containers() {
        let tag = match container.reference.pin() {
            Pin::Moving => container.reference.tag.as_deref().unwrap_or_default(),
            Pin::None => "latest (no tag is written)",
            Pin::Exact | Pin::Digest | Pin::Range | Pin::Local | Pin::NotAPackage => continue,
        };
        let hit = out.hit(&container.image);
        hit.word("what", format!("the image {}", container.reference.name())).word("tag", tag);
        if let Some(known) = shared::known_digest(entries.entry, container) {
            hit.mend(known);
        }
    }
}
