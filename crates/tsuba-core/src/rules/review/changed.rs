use crate::judge::{All, Check, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::register::ReviewStatus;
use crate::severity::Severity;

/// So many changes are told by name.
const MAX_NAMED: usize = 4;

pub(super) static RULE: Rule = Rule {
    id: "review/changed",
    title: "changed since approval",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{entry} has changed since {by} approved it on {on}: {what}",
    why: "An approval is of what was looked at. What came after it, nobody has seen.",
    fix: "Review what has changed (`tsuba compare`), then approve it again or go back.",
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
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.5.0"] } } }"##,
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
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"##,
    references: &["NIST SP 800-53, CM-3"],
    ways: Ways::UNDECIDED,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, entry, standing, decision) in all.standings() {
        if let (ReviewStatus::Changed(_, what), Some(decision)) = (standing, decision) {
            let mut message: Vec<&str> = what.iter().map(String::as_str).take(MAX_NAMED).collect();
            let more = format!("{} more", what.len().saturating_sub(MAX_NAMED));
            message.extend((what.len() > MAX_NAMED).then_some(more.as_str()));
            out.hit_in(entry_ref, &entry.name)
                .arg("entry", entry.name.text.clone())
                .arg("by", decision.by.clone())
                .arg("on", decision.on.to_string())
                .arg("what", message.join(", "));
        }
    }
}
