use crate::judge::{All, Check, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::register::ReviewStatus;
use crate::severity::Severity;
pub(super) static RULE: Rule = Rule {
    id: "review/expired",
    title: "approval expired",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "the approval of {entry} by {by} expired on {until}",
    why: "It was given for a time, and the time is over: what it rested on may be so no longer.",
    fix: "Have it reviewed again, or take the entry out.",
    before: r##"--- tsuba-register.toml
schema = "tsuba-register/1"

[decision.33516f9f619b]
kind = "approved"
source = "npm"
package = "@saltmarsh/tide-table"
version = "2.4.1"
by = "ines"
on = 2026-08-24
reason = "reads tides and nothing else"
until = 2026-11-23
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"##,
    after: r##"--- tsuba-register.toml
schema = "tsuba-register/1"

[decision.33516f9f619b]
kind = "approved"
source = "npm"
package = "@saltmarsh/tide-table"
version = "2.4.1"
by = "ines"
on = 2026-08-24
reason = "reads tides and nothing else"
until = 2026-11-24
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"##,
    references: &["NIST SP 800-53, CA-6"],
    ways: Ways::UNDECIDED,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, entry, standing, decision) in all.standings() {
        if let (ReviewStatus::Expired(_), Some(decision)) = (standing, decision) {
            let until = decision.until.map(|until| until.to_string()).unwrap_or_default();
            out.hit_in(entry_ref, &entry.name)
                .arg("entry", entry.name.text.clone())
                .arg("by", decision.by.clone())
                .arg("until", until);
        }
    }
}
