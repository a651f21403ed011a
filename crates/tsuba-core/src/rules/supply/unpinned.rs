use super::shared;
use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::policy::Requirement;
use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::launch::{Pin, Source};

pub(super) static RULE: Rule = Rule {
    id: "supply/unpinned",
    title: "unpinned package",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{package} is started {how}: the next start may run different code",
    why: "What was reviewed is not what runs tomorrow. Whoever takes over the package, or its name, runs code on every machine that has this line.",
    fix: "Name the exact version that was reviewed.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table"] } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"#,
    references: &["CWE-1357", "CWE-829"],
    ways: Ways::PLAIN.required_by(Requirement::Pin),
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    for (_, package) in entries.entry.plan.iter().flat_map(|plan| plan.packages()) {
        let how = match (package.pin, package.source) {
            (_, Source::Url) => "from an archive whose content can change".to_owned(),
            (Pin::None, Source::Git) => "from a repository without a commit".to_owned(),
            (Pin::None, _) => "without a version".to_owned(),
            (Pin::Range, _) => format!("with a range of versions ({})", package.version.as_deref().unwrap_or_default()),
            _ => continue,
        };
        let hit = out.hit(&package.spec);
        hit.arg("package", &package.name).arg("how", how);
        shared::pin(hit, entries.entry, package);
        hit.circumstance_if(package.pin == Pin::Range, Circumstance::Weak)
            .circumstance_if(package.beside, Circumstance::Beside);
    }
}
