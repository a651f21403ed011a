use crate::judge::{All, Check, EntryRef, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "supply/no-hash",
    title: "bundle published without a hash",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "the bundle {name} is published without its hash",
    why: "A bundle lies at an address whose owner can put another file there. Only the hash tells whether it is the one that was reviewed.",
    fix: "Write the SHA-256 of the file beside it (fileSha256).",
    before: r##"--- server.json
{ "name": "example.saltmarsh-line/tide-table", "version": "2.4.1", "packages": [{ "registryType": "mcpb", "identifier": "https://files.saltmarsh-line.example/tide-table.mcpb" }] }"##,
    after: r##"--- server.json
{ "name": "example.saltmarsh-line/tide-table", "version": "2.4.1", "packages": [{ "registryType": "mcpb", "identifier": "https://files.saltmarsh-line.example/tide-table.mcpb", "fileSha256": "0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef" }] }"##,
    references: &["CWE-494", "CWE-353"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (analysis, manifest) in all.analyses.iter().enumerate().filter_map(|(at, s)| Some((at, s.manifest.as_ref()?))) {
        for package in manifest.packages.iter().filter(|package| !package.hashed) {
            // Registries keep what a version is; an address keeps nothing.
            if package.kind == "mcpb" || package.name.text.contains("://") {
                out.hit_in(EntryRef { analysis, entry: None }, &package.name).arg("name", &package.name.text);
            }
        }
    }
}
