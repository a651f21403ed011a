use crate::judge::{All, Check, Circumstance, Entries, EntryRef, Out, Rule, Verdict, Ways};
use crate::policy::{Affected, MAX_ADVISORIES_TOLD, Policy};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::understand::launch::{Package, Pin, StepKind};

pub(super) static RULE: Rule = Rule {
    id: "supply/known-bad",
    title: "package named in a published advisory",
    severity: Severity::Critical,
    verdict: Verdict::Refuse,
    message: "{package} {what} ({id})",
    why: "Others have found what it does, and written it down: a malicious package has run on every machine that has started it, a known hole is tried by everybody.",
    fix: "Start a version that no advisory names; after a malicious one, take the machine as compromised and rotate what it was handed.",
    before: r#"--- advisories/a.json
{ "id": "MAL-2026-1", "summary": "Sends environment variables to another host", "affected": [{ "package": { "ecosystem": "npm", "name": "@saltmarsh/tide-table" }, "versions": ["2.4.1"] }] }
--- mcp.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }
"#,
    after: r#"--- advisories/a.json
{ "id": "MAL-2026-1", "summary": "Sends environment variables to another host", "affected": [{ "package": { "ecosystem": "npm", "name": "@saltmarsh/tide-table" }, "versions": ["2.4.1"] }] }
--- mcp.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.2"] } } }
"#,
    references: &["OSV schema 1.7", "CWE-1395", "CWE-506"],
    ways: Ways { mendable: true, ..Ways::PLAIN },
    check: Check::Each(&[Check::Entry(check), Check::All(needed)]),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    for step in entry.plan.iter().flat_map(|plan| &plan.steps) {
        let StepKind::Package(package) = &step.kind else { continue };
        let exact = package.version.as_deref().filter(|_| package.pin == Pin::Exact);
        let known = entry.known_version.as_deref().filter(|(name, _)| *name == package.name);
        let version = exact.or_else(|| known.map(|(_, version)| version.as_str()));
        told(entries.policy, package, version, (None, &mut *out));
    }
}

/// What comes with a package that lies here with its own manifest.
fn needed(all: &All<'_>, out: &mut Out<'_>) {
    for (analysis, of) in all.analyses.iter().enumerate() {
        let entry_ref = EntryRef { analysis, entry: None };
        for package in of.manifest.iter().flat_map(|manifest| &manifest.dependencies) {
            let exact = package.version.as_deref().filter(|_| package.pin == Pin::Exact);
            told(all.policy, package, exact, (Some(entry_ref), &mut *out));
        }
    }
}

/// `place` is where it is told, where that is not the entry that is looked at.
fn told(policy: &Policy, package: &Package, version: Option<&str>, (place, out): (Option<EntryRef>, &mut Out<'_>)) {
    let advisories = policy.advisories.of(package.source, &package.name, version);
    for (advisory, affected) in advisories.into_iter().take(MAX_ADVISORIES_TOLD) {
        let shown = version.map_or_else(|| package.name.clone(), |version| format!("{} {version}", package.name));
        let hit = match place {
            Some(place) => out.hit_in(place, &package.spec),
            None => out.hit(&package.spec),
        };
        hit.arg("package", shown).arg("what", advisory.describe(affected)).arg("id", &advisory.id);
        hit.base_severity(advisory.weight()).circumstance_if(affected == Affected::Perhaps, Circumstance::Weak);
        hit.confidence(if affected == Affected::Surely { Confidence::Certain } else { Confidence::Possible });
        if let ([fixed, ..], false) = (advisory.fixed.as_slice(), advisory.malicious) {
            hit.advice(format!("Start a version that no advisory names; it is mended in {fixed}."));
        }
    }
}
