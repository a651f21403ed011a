use crate::judge::{All, Check, Circumstance, Out, Rule, Verdict, Ways};
use crate::policy::Ruling;
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "power/folder-not-allowed",
    title: "folder not allowed by policy",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "the policy {how} {folder}{whose}",
    why: "The company has decided which folders servers may reach, so that text from outside cannot ask for what lies in the others.",
    fix: "Give a folder that is allowed, or have the policy (tsuba.toml) changed.",
    before: r##"--- tsuba.toml
[[folders]]
allow = ["./**"]
--- setup.json
{ "mcpServers": { "quay-files": { "command": "quay-files", "args": ["/srv/ledger"] } } }"##,
    after: r##"--- tsuba.toml
[[folders]]
allow = ["./**"]
--- setup.json
{ "mcpServers": { "quay-files": { "command": "quay-files", "args": ["./manifests"] } } }"##,
    references: &["NIST SP 800-53, AC-3", "CWE-22"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, analysis, entry) in all.entries().filter(|(_, _, entry)| entry.listing.is_none() && !entry.disabled)
    {
        let team = analysis.document.facts.team.as_deref();
        for folder in &entry.reach.folders {
            let ruling = all.policy.folder(team, &folder.path.text);
            let Some(how) = ruling.against() else { continue };
            out.hit_in(entry_ref, &folder.path)
                .arg("how", how)
                .arg("folder", &folder.path.text)
                .arg("whose", team.map(|team| format!(" to team {team}")).unwrap_or_default())
                .circumstance_if(matches!(ruling, Ruling::Refused(_)), Circumstance::Grave);
        }
    }
}
