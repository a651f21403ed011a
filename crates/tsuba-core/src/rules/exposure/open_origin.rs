use crate::judge::{Check, Entries, Out, Rule, Severity, Verdict};
use crate::prelude::*;
use crate::understand::credential::words_of;

pub(super) static RULE: Rule = Rule {
    id: "exposure/open-origin",
    title: "every web page may call the server",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    says: "{setting} lets every web page call it",
    why: "Any page a person opens can then talk to the server on their machine, with their rights.",
    fix: "Name the origins that may call it.",
    before: r#"{ "mcpServers": { "berth-board": { "command": "berth-board", "args": ["--cors", "*"] } } }"#,
    after: r#"{ "mcpServers": { "berth-board": { "command": "berth-board", "args": ["--cors", "https://board.saltmarsh-line.example"] } } }"#,
    references: &["CWE-942", "Fetch standard, 3.2"],
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    let names_origin = |name: &str| words_of(name).iter().any(|w| matches!(w.as_str(), "cors" | "origin" | "origins"));
    for variable in entry.variables.iter().filter(|v| !v.header && v.value.text.trim() == "*" && names_origin(&v.name))
    {
        out.hit(&variable.value).word("setting", format!("{}=*", variable.name));
    }
    for step in entry.plan.iter().flat_map(|plan| &plan.steps) {
        for (at, word) in step.args.iter().enumerate().filter(|(_, w)| w.text.starts_with('-') && names_origin(&w.text))
        {
            let value = word
                .text
                .split_once('=')
                .map(|(_, value)| value.to_owned())
                .or_else(|| step.args.get(at + 1).map(|w| w.text.clone()));
            // `--cors` alone means every origin to the bridges that have it.
            let bare = word.text == "--cors" && value.as_deref().is_none_or(|v| v.starts_with('-'));
            if bare || value.as_deref() == Some("*") {
                out.hit(word).word(
                    "setting",
                    if bare { word.text.clone() } else { format!("{} *", word.text.trim_end_matches("=*")) },
                );
            }
        }
    }
}
