use crate::judge::{All, Check, EntryRef, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::Located;
use crate::understand::credential::Kind;

pub(super) static RULE: Rule = Rule {
    id: "combine/same-credential",
    title: "one credential shared by several servers",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "{name} is handed to {servers}",
    why: "Each of these servers can act as the others: the weakest of them decides what the credential is worth.",
    fix: "Give each server a credential of its own, under a name of its own.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "tide-table", "env": { "CODE_TOKEN": "${CODE_TOKEN}" } }, "berth-board": { "command": "berth-board", "env": { "TOKEN": "${CODE_TOKEN}" } } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "tide-table", "env": { "CODE_TOKEN": "${TIDE_TOKEN}" } }, "berth-board": { "command": "berth-board", "env": { "TOKEN": "${BERTH_TOKEN}" } } } }"#,
    references: &["CWE-1392", "NIST SP 800-53, AC-6"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    // What a text shows side by side are mostly ways to set the same server up.
    for (index, analysis) in all.analyses.iter().enumerate().filter(|(_, analysis)| analysis.kind.sets_up()) {
        let mut given: BTreeMap<&str, Vec<(usize, &Located)>> = BTreeMap::new();
        for (e, entry) in analysis.entries.iter().enumerate() {
            for credential in
                entry.credentials.iter().filter(|h| h.kind == Kind::Reference && !h.value.text.starts_with("$("))
            {
                given.entry(credential.value.text.as_str()).or_default().push((e, &credential.value));
            }
        }
        for (name, mut places) in given {
            places.dedup_by_key(|(e, _)| *e);
            let names: Vec<&str> = places
                .iter()
                .filter_map(|(e, _)| analysis.entries.get(*e))
                .map(|entry| entry.name.text.as_str())
                .collect();
            if let ([_, _, ..], Some((e, place))) = (names.as_slice(), places.first()) {
                out.hit_in(EntryRef { analysis: index, entry: Some(*e) }, place)
                    .arg("name", name)
                    .arg("servers", names.join(", "));
            }
        }
    }
}
