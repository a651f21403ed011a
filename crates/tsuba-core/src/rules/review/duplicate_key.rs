use crate::judge::{Check, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::Analysis;

pub(super) static RULE: Rule = Rule {
    id: "review/duplicate-key",
    title: "duplicate key",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "duplicate key {key}; the later one counts, this one does not",
    why: "A reviewer reads the first and the program uses the last: what was approved is not what runs.",
    fix: "Take out the one that is not meant.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "tide-table" }, "tide-table": { "command": "tide-tabel" } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "tide-table" } } }"#,
    references: &["RFC 8259, 4", "CWE-694"],
    ways: Ways::PLAIN,
    check: Check::Setup(check),
};

fn check(analysis: &Analysis, out: &mut Out<'_>) {
    for key in &analysis.duplicates {
        out.hit(key).arg("key", &key.text);
    }
}
