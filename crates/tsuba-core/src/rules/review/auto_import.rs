use crate::judge::{Check, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::Analysis;

pub(super) static RULE: Rule = Rule {
    id: "review/auto-import",
    title: "servers from other files are enabled without approval",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{key} imports servers from other files or programs without asking",
    why: "Cloning a repository, or another program's settings, then decides what this person's agent starts.",
    fix: "Switch it off, and enable each server by name after it was reviewed.",
    before: r#"{ "enableAllProjectMcpServers": true, "mcpServers": { "tide-table": { "command": "tide-table" } } }"#,
    after: r#"{ "enableAllProjectMcpServers": false, "mcpServers": { "tide-table": { "command": "tide-table" } } }"#,
    references: &["CWE-829", "CWE-1188"],
    ways: Ways::PLAIN,
    check: Check::Setup(check),
};

fn check(analysis: &Analysis, out: &mut Out<'_>) {
    for switch in &analysis.imports {
        out.hit(switch).arg("key", &switch.text);
    }
}
