use crate::judge::{Check, Entries, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::SetupKind;
use crate::understand::credential::Kind;

pub(super) static RULE: Rule = Rule {
    id: "review/placeholder",
    title: "placeholder left in",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "{name} still holds a placeholder",
    why: "The server starts without what it needs; people then widen settings until the error goes away.",
    fix: "Fill it in with a reference, or take it out.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "tide-table", "env": { "TIDE_API_KEY": "YOUR_API_KEY" } } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "tide-table", "env": { "TIDE_API_KEY": "${TIDE_API_KEY}" } } } }"#,
    references: &["CWE-1188"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    // In a text for people it is what a placeholder is for.
    if entries.analysis.kind == SetupKind::Snippet {
        return;
    }
    for credential in entries.entry.credentials.iter().filter(|h| h.kind == Kind::Placeholder && !h.trivial) {
        let name = if credential.name.is_empty() { "a value" } else { credential.name.as_str() };
        out.hit(&credential.value).arg("name", name);
    }
}
