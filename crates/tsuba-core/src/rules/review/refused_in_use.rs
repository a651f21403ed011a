use crate::judge::{All, Check, Decides, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::register::ReviewStatus;
use crate::severity::Severity;
pub(super) static RULE: Rule = Rule {
    id: "review/refused-in-use",
    title: "refused server still configured",
    severity: Severity::Critical,
    verdict: Verdict::Refuse,
    message: "{by} refused it on {on}: {reason}",
    why: "Somebody looked at it and said no, and it still starts with this setup.",
    fix: "Take the entry out, and tell its owner why.",
    before: r##"--- tsuba-register.toml
schema = "tsuba-register/1"

[decision.33516f9f619b]
kind = "refused"
source = "npm"
package = "@saltmarsh/tide-table"
version = "2.4.1"
by = "ines"
on = 2026-08-24
reason = "reads tides and nothing else"
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"##,
    after: r##"--- tsuba-register.toml
schema = "tsuba-register/1"

[decision.33516f9f619b]
kind = "refused"
source = "npm"
package = "@saltmarsh/tide-table"
version = "2.4.1"
by = "ines"
on = 2026-08-24
reason = "reads tides and nothing else"
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.5.0"] } } }"##,
    references: &["NIST SP 800-53, CM-7(5)"],
    ways: Ways { decides: Some(Decides::Against), ..Ways::PLAIN },
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, entry, standing, decision) in all.standings() {
        if let (ReviewStatus::Refused(_), Some(decision)) = (standing, decision) {
            out.hit_in(entry_ref, &entry.name)
                .arg("by", decision.by.clone())
                .arg("on", decision.on.to_string())
                .arg("reason", decision.reason.clone());
        }
    }
}
