use crate::evidence::Power;
use crate::judge::{Check, Entries, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::words_of;

pub(super) static RULE: Rule = Rule {
    id: "power/sql-write",
    title: "database server may write",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{setting} lets the model change the database",
    why: "A sentence the model misreads, or reads in a record, becomes an update or a drop.",
    fix: "Leave writing off, and give it a login that can only read.",
    before: r#"{ "mcpServers": { "ledger-query": { "command": "ledger-query", "args": ["--access-mode=unrestricted"] } } }"#,
    after: r#"{ "mcpServers": { "ledger-query": { "command": "ledger-query", "args": ["--access-mode=restricted"] } } }"#,
    references: &["CWE-89", "CWE-250"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    if !entry.reach.powers.contains(&Power::Database) {
        return;
    }
    let on = |value: &str| matches!(value.to_ascii_lowercase().as_str(), "true" | "1" | "yes" | "on");
    let off = |value: &str| matches!(value.to_ascii_lowercase().as_str(), "false" | "0" | "no" | "off");
    for variable in entry.variables.iter().filter(|v| !v.header) {
        let words = words_of(&variable.name);
        let value = variable.value.text.as_str();
        if (allows(&words) && on(value))
            || (restricts(&words) && off(value))
            || (words.ends_with(&["mode".into()]) && opens(value))
        {
            out.hit(&variable.value).arg("setting", format!("{}={value}", variable.name));
        }
    }
    for word in entry
        .plan
        .iter()
        .filter_map(|plan| plan.server())
        .flat_map(|step| &step.args)
        .filter(|w| w.text.starts_with('-'))
    {
        let (name, value) = word.text.split_once('=').unwrap_or((&word.text, ""));
        let words = words_of(name);
        if (allows(&words) && (value.is_empty() || on(value))) || (restricts(&words) && off(value)) || opens(value) {
            out.hit(word).arg("setting", &word.text);
        }
    }
}

/// `--allow-write`, `ENABLE_DELETE`, `dangerously-allow-ddl`.
fn allows(words: &[String]) -> bool {
    let has = |list: &[&str]| words.iter().any(|w| list.contains(&w.as_str()));
    has(&["allow", "enable", "enabled", "permit", "with", "dangerously", "unsafe"])
        && has(&[
            "write",
            "writes",
            "insert",
            "update",
            "delete",
            "ddl",
            "dml",
            "drop",
            "mutations",
            "mutation",
            "modify",
            "destructive",
        ])
}

/// `--read-only`, `READONLY`.
fn restricts(words: &[String]) -> bool {
    words.iter().any(|w| w == "readonly")
        || words.windows(2).any(|pair| matches!(pair, [a, b] if a == "read" && b == "only"))
}

fn opens(value: &str) -> bool {
    matches!(value.to_ascii_lowercase().as_str(), "unrestricted" | "readwrite" | "read-write" | "rw" | "write" | "full")
}
