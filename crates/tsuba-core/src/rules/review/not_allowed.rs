use crate::judge::{All, Check, Circumstance, Out, Rule, Verdict, Ways};
use crate::policy::Ruling;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "review/not-allowed",
    title: "not allowed by policy",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "the policy {how} {what}",
    why: "The company has decided where servers may come from and whom they may call, so that not each of them is a question of its own.",
    fix: "Use one that is allowed, or have the policy (tsuba.toml) changed.",
    before: r##"--- tsuba.toml
[allow]
packages = ["npm:@saltmarsh/*"]
hosts = ["*.saltmarsh-line.example"]
[refuse]
packages = ["npm:@saltmarsh/part-finder"]
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "tide-table@2.4.1"] } } }"##,
    after: r##"--- tsuba.toml
[allow]
packages = ["npm:@saltmarsh/*"]
hosts = ["*.saltmarsh-line.example"]
[refuse]
packages = ["npm:@saltmarsh/part-finder"]
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"##,
    references: &["NIST SP 800-53, CM-7(5)"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, _, entry) in all.entries().filter(|(_, _, entry)| entry.listing.is_none() && !entry.disabled) {
        for (at, what, ruling) in all.policy.origins(entry) {
            let Some(how) = ruling.against() else { continue };
            out.hit_in(entry_ref, &at)
                .arg("how", how)
                .arg("what", what)
                .circumstance_if(matches!(ruling, Ruling::Refused(_)), Circumstance::Grave);
        }
    }
}
