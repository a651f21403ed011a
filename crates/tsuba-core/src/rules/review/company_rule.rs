use crate::judge::{All, Check, Out, Rule, Verdict, Ways};
use crate::policy::Applied;
use crate::prelude::*;
use crate::severity::{Confidence, Severity};

pub(super) static RULE: Rule = Rule {
    id: "review/company-rule",
    title: "company rule",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{says} ({name})",
    why: "The company's policy (tsuba.toml) holds rules of its own: an expression over what is known of an entry, and what it means when that is true.",
    fix: "Do what the rule of the policy asks for, or have it changed.",
    before: r##"--- tsuba.toml
[[rule]]
name = "no-betas"
says = "a version before 1.0"
when = 'entry.launch.version.startsWith("0.")'
severity = "high"
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@0.4.1"] } } }"##,
    after: r##"--- tsuba.toml
[[rule]]
name = "no-betas"
says = "a version before 1.0"
when = 'entry.launch.version.startsWith("0.")'
severity = "high"
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"##,
    references: &["Common Expression Language, language definition"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, analysis, entry) in all.entries().filter(|(_, _, entry)| entry.listing.is_none() && !entry.disabled)
    {
        let standing = entry_ref
            .entry
            .and_then(|entry| all.standings.get(entry_ref.analysis)?.get(entry))
            .and_then(Option::as_ref);
        for (rule, applied) in all.policy.own_rules(all.analyses, (analysis, entry), standing) {
            match applied {
                Applied::Silent => {}
                Applied::Speaks => {
                    let hit = out.hit_in(entry_ref, &entry.name);
                    hit.arg("says", &rule.says).arg("name", &rule.name).base_severity(rule.severity);
                    if let Some(fix) = &rule.fix {
                        hit.advice(fix);
                    }
                }
                Applied::Failed(why) => {
                    out.hit_in(entry_ref, &entry.name)
                        .arg("says", format!("the rule cannot be applied here: {why}"))
                        .arg("name", &rule.name)
                        .base_severity(rule.severity)
                        .confidence(Confidence::Possible);
                }
            }
        }
    }
}
