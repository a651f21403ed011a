use crate::judge::{All, Check, EntryRef, Fix, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::text::words_of;

pub(super) static RULE: Rule = Rule {
    id: "power/auto-approved",
    title: "acting tools run without approval",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{what} {how} without anybody being asked",
    why: "The question before a call is the last moment at which a person can see what a text has talked the model into.",
    fix: "Have somebody asked before tools that change, send or run something: take them out of the list, or switch asking on.",
    before: r#"{ "mcpServers": { "crew-mail": { "command": "crew-mail", "autoApprove": ["read_rota", "send_message"] } } }"#,
    after: r#"{ "mcpServers": { "crew-mail": { "command": "crew-mail", "autoApprove": ["read_rota"] } } }"#,
    references: &["CWE-862", "NIST SP 800-53, AC-3"],
    ways: Ways::PLAIN.formerly("power/unasked"),
    check: Check::All(check),
};

/// Verbs of tools that change, send or run something.
const ACTS: &[&str] = &[
    "write", "create", "delete", "remove", "update", "edit", "send", "post", "put", "patch", "execute", "exec", "run",
    "move", "rename", "drop", "insert", "push", "merge", "deploy", "publish", "upload", "pay", "transfer", "refund",
    "book", "cancel", "approve", "kill", "stop", "start", "restart", "install", "set", "add", "reply", "forward",
    "share", "grant", "revoke", "modify", "commit", "click", "type", "fill", "navigate", "apply", "scale", "reset",
    "invite", "call", "assign", "replace", "truncate", "purge", "sync", "import", "unlock", "open", "close", "order",
];
/// First words that make a reading tool of it, whatever follows.
const READS: &[&str] = &[
    "get", "list", "read", "search", "find", "show", "describe", "fetch", "view", "count", "check", "lookup", "query",
    "preview", "dry",
];

/// Does a tool of this name change something?
fn acts(tool: &str) -> bool {
    let words = words_of(tool);
    !words.first().is_some_and(|w| READS.contains(&w.as_str())) && words.iter().any(|w| ACTS.contains(&w.as_str()))
}

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, _, entry) in all.entries() {
        if let Some(every) = &entry.unasked.all {
            out.hit_in(entry_ref, every).arg("what", EVERY).arg("how", "runs");
        }
        for tool in entry.unasked.tools.iter().filter(|tool| acts(&tool.text)) {
            let hit = out.hit_in(entry_ref, tool);
            hit.arg("what", &tool.text).arg("how", "runs").confidence(Confidence::Likely).fix(Fix::Remove);
        }
    }
    // And what a file of its own lets run.
    for (analysis, of) in all.analyses.iter().enumerate() {
        let entry_ref = EntryRef { analysis, entry: None };
        for mode in &of.permissions.modes {
            out.hit_in(entry_ref, mode).arg("what", EVERY).arg("how", format!("runs ({})", mode.text));
        }
        for allowed in &of.permissions.tools {
            let server = || allowed.server.as_deref().map_or("every server".to_owned(), |server| server.to_owned());
            match &allowed.tool {
                None => {
                    let what = format!("every tool of {}, also those added later,", server());
                    out.hit_in(entry_ref, &allowed.at).arg("what", what).arg("how", "runs");
                }
                Some(tool) if acts(tool) => {
                    let hit = out.hit_in(entry_ref, &allowed.at);
                    hit.arg("what", format!("{tool} of {}", server())).arg("how", "runs");
                    hit.confidence(Confidence::Likely).fix(Fix::Remove);
                }
                Some(_) => {}
            }
        }
    }
}

const EVERY: &str = "every tool, also those added later,";
