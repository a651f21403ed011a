use crate::judge::{Check, Entries, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::text::Located;
use crate::understand::launch::{Source, StepKind};

pub(super) static RULE: Rule = Rule {
    id: "supply/foreign-source",
    title: "package from outside the usual registry",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    says: "{what} comes from {source}",
    why: "Outside the registry there is no owner check, no malware report, no takedown and often no version: the usual safety nets do not reach it. A second index beside the first lets a stranger answer for an internal name.",
    fix: "Publish it to the registry your company uses, and let only that registry answer.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "git+https://git.tides.example/tide-table.git#0123456789abcdef0123456789abcdef01234567"] } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"#,
    references: &["CWE-427", "CWE-829"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

/// Options that make another registry answer.
const INDEXES: &[&str] = &[
    "--registry",
    "--index-url",
    "-i",
    "--extra-index-url",
    "--index",
    "--default-index",
    "--find-links",
    "--source",
    "--add-source",
];

/// Variables that do the same.
const VARIABLES: &[&str] = &[
    "npm_config_registry",
    "UV_INDEX_URL",
    "UV_EXTRA_INDEX_URL",
    "UV_DEFAULT_INDEX",
    "UV_INDEX",
    "PIP_INDEX_URL",
    "PIP_EXTRA_INDEX_URL",
];

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let Some(plan) = &entries.entry.plan else { return };
    for (_, package) in plan.packages() {
        let source = match package.source {
            Source::Git => "a repository",
            Source::Url => "an archive at an address",
            _ => continue,
        };
        out.hit(&package.spec).word("what", &package.name).word("source", source);
    }
    for step in plan.steps.iter().filter(|step| matches!(step.kind, StepKind::Package(_) | StepKind::Wrapper)) {
        for address in step.options.iter().enumerate().filter_map(|(at, word)| index(&step.options, at, word)) {
            out.hit(address).word("what", "every package of this entry").word("source", "another registry");
        }
    }
    for variable in &entries.entry.variables {
        if VARIABLES.iter().any(|name| variable.name.eq_ignore_ascii_case(name)) && variable.value.text.contains("://")
        {
            out.hit(&variable.value).word("what", "every package of this entry").word("source", "another registry");
        }
    }
}

/// The address of another registry: `--index-url ADDRESS` or `--index-url=ADDRESS`.
fn index<'o>(options: &'o [Located], at: usize, word: &'o Located) -> Option<&'o Located> {
    if INDEXES.contains(&word.text.as_str()) {
        return options.get(at + 1).filter(|value| value.text.contains("://"));
    }
    word.text.split_once('=').filter(|(name, value)| INDEXES.contains(name) && value.contains("://")).map(|_| word)
}
