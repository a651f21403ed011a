use crate::judge::{Check, Entries, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "exposure/host-network",
    title: "container shares the host's network",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{option}: the container listens on the host's addresses and reaches what only listens on loopback",
    why: "Every port it opens is open on the host, unpublished, and services that trust loopback (databases, agents, metadata) trust it.",
    fix: "Give it a network of its own, and publish the one port that is needed.",
    before: r#"{ "mcpServers": { "quay-files": { "command": "docker", "args": ["run", "-i", "--network", "host", "saltmarsh/quay-files:1.4.2"] } } }"#,
    after: r#"{ "mcpServers": { "quay-files": { "command": "docker", "args": ["run", "-i", "--network", "none", "saltmarsh/quay-files:1.4.2"] } } }"#,
    references: &["CWE-668", "NIST SP 800-190, 4.4"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    for (_, container) in entries.entry.plan.iter().flat_map(|plan| plan.containers()) {
        for value in container.values(&["--net", "--network"]).filter(|value| value.text == "host") {
            out.hit(value).arg("option", entries.quoted(value, || format!("--network {}", value.text)));
        }
    }
}
