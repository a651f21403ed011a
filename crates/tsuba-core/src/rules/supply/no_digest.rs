use super::shared;
use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::policy::Requirement;
use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::launch::Pin;

pub(super) static RULE: Rule = Rule {
    id: "supply/no-digest",
    title: "image pinned by tag, not by digest",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "the image {image} is pinned by the tag {tag} only, which its owner can move",
    why: "A version tag is a promise of the registry's owner, not a property of the image. Only the digest names the content that was reviewed.",
    fix: "Add the digest behind the tag.",
    before: r#"{ "mcpServers": { "manifest-db": { "command": "docker", "args": ["run", "-i", "saltmarsh/manifest-db:1.4.2"] } } }"#,
    after: r#"{ "mcpServers": { "manifest-db": { "command": "docker", "args": ["run", "-i", "saltmarsh/manifest-db:1.4.2@sha256:abababababababababababababababababababababababababababababababab"] } } }"#,
    references: &["OCI Image Specification, descriptor: digests", "CWE-494"],
    ways: Ways::PLAIN.required_by(Requirement::Digest),
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    for (step, container) in entries.entry.plan.iter().flat_map(|plan| plan.containers()) {
        if let (Pin::Exact, Some(tag)) = (container.reference.pin(), &container.reference.tag) {
            let corrected = format!("{}@<digest of the image you reviewed>", container.image.text);
            let hit = out.hit(&container.image);
            hit.arg("image", container.reference.name())
                .arg("tag", tag)
                .corrected(corrected)
                .circumstance_if(shared::is_beside(step, container), Circumstance::Beside);
            if let Some(known) = shared::known_digest(entries.entry, container) {
                hit.fix(known);
            }
        }
    }
}
