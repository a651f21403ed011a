use crate::judge::{All, Check, Out, Rule, Verdict, Ways};
use crate::register::ReviewStatus;
use crate::severity::Severity;
pub(super) static RULE: Rule = Rule {
    id: "review/unknown",
    title: "server has not been reviewed",
    severity: Severity::High,
    verdict: Verdict::Ready,
    message: "{entry} has not been reviewed",
    why: "An unreviewed server runs with all of its owner's permissions.",
    fix: "Have it reviewed, and write the decision with tsuba approve or tsuba refuse.",
    before: r##"--- tsuba-register.toml
schema = "tsuba-register/1"

[decision.226a7c9b33f7]
kind = "approved"
source = "npm"
package = "@saltmarsh/berth-board"
version = "1.0.0"
by = "ines"
on = 2026-08-24
reason = "reads tides and nothing else"
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
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"##,
    references: &["NIST SP 800-53, CM-7(5)"],
    ways: Ways::OPEN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, entry, standing, _) in all.standings() {
        if *standing == ReviewStatus::Unknown {
            out.hit_in(entry_ref, &entry.name).arg("entry", entry.name.text.clone());
        }
    }
}
