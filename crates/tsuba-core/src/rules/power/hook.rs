use crate::judge::{Check, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::Analysis;

pub(super) static RULE: Rule = Rule {
    id: "power/hook",
    title: "command that runs at the agent's events",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{command} runs by itself at {event}, outside of what the agent asks about",
    why: "Whoever can change the file, or the program it names, runs code on every machine that opens the folder, and sees what tools are handed.",
    fix: "Review the command like a server; keep it in a file that only its owner can change.",
    before: r#"{ "hooks": { "PreToolUse": [ { "matcher": "mcp__.*", "hooks": [ { "type": "command", "command": "./hooks/log.sh" } ] } ] } }"#,
    after: r#"{ "hooks": { "PreToolUse": [] }, "mcpServers": { "tide-table": { "command": "tide-table" } } }"#,
    references: &["CWE-829", "CWE-94"],
    ways: Ways::PLAIN,
    check: Check::Setup(check),
};

fn check(analysis: &Analysis, out: &mut Out<'_>) {
    for hook in &analysis.permissions.hooks {
        out.hit(&hook.command).arg("command", &hook.command.text).arg("event", &hook.event);
    }
}
