use crate::judge::{All, Check, EntryRef, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "secret/input-not-marked",
    title: "secret input not marked as secret",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{name} is requested and not marked as a secret",
    why: "A client shows what is not marked while it is typed, and keeps it in plain text among its settings.",
    fix: "Mark it: isSecret in a registry's manifest, sensitive in a bundle's, password in a client's prompt.",
    before: r##"--- server.json
{ "name": "example.saltmarsh-line/tide-table", "version": "2.4.1", "packages": [{ "registryType": "npm", "identifier": "@saltmarsh/tide-table", "version": "2.4.1", "environmentVariables": [{ "name": "TIDE_TOKEN" }] }] }"##,
    after: r##"--- server.json
{ "name": "example.saltmarsh-line/tide-table", "version": "2.4.1", "packages": [{ "registryType": "npm", "identifier": "@saltmarsh/tide-table", "version": "2.4.1", "environmentVariables": [{ "name": "TIDE_TOKEN", "isSecret": true }] }] }"##,
    references: &["CWE-522", "CWE-549"],
    ways: Ways::OF_SECRETS.formerly("secret/unmarked"),
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (analysis, of) in all.analyses.iter().enumerate() {
        let published = of.manifest.iter().flat_map(|manifest| &manifest.unmarked);
        for unmarked in published.chain(&of.unmarked) {
            out.hit_in(EntryRef { analysis, entry: None }, unmarked).arg("name", &unmarked.text);
        }
    }
}
