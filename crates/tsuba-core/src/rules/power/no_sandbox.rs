use crate::judge::{Check, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::Analysis;

pub(super) static RULE: Rule = Rule {
    id: "power/no-sandbox",
    title: "sandbox of the agent switched off",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{setting} lets everything that the agent runs reach the whole machine",
    why: "A text that a server returns can then become a command with this person's rights, files and network.",
    fix: "Keep the sandbox on, and open single folders or hosts where a task needs them.",
    before: "approval_policy = \"on-request\"\nsandbox_mode = \"danger-full-access\"\n[mcp_servers.tide-table]\ncommand = \"tide-table\"\n",
    after: "approval_policy = \"on-request\"\nsandbox_mode = \"workspace-write\"\n[mcp_servers.tide-table]\ncommand = \"tide-table\"\n",
    references: &["CWE-250", "CWE-693"],
    ways: Ways::PLAIN,
    check: Check::Setup(check),
};

fn check(analysis: &Analysis, out: &mut Out<'_>) {
    for setting in &analysis.permissions.unboxed {
        out.hit(setting).arg("setting", &setting.text);
    }
}
