use crate::judge::{Check, Entries, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "scope/all-features",
    title: "every feature group enabled",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{setting} enables every tool group",
    why: "Tools that nobody asked for are in the model's reach, and so is whatever they can change; most of them are there because there was a switch for all.",
    fix: "List the groups that are needed.",
    before: r#"{ "mcpServers": { "berth-board": { "command": "berth-board", "args": ["--toolsets", "all"] } } }"#,
    after: r#"{ "mcpServers": { "berth-board": { "command": "berth-board", "args": ["--toolsets", "berths,tides"] } } }"#,
    references: &["NIST SP 800-53, CM-7", "CWE-272"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

/// Words that name a group of tools.
const GROUPS: &[&str] = &[
    "toolset",
    "toolsets",
    "tools",
    "features",
    "scopes",
    "permissions",
    "modules",
    "capabilities",
    "services",
    "groups",
    "apis",
    "products",
    "actions",
    "categories",
];
const ALL: &[&str] = &["all", "*", "full", "everything"];

/// Does a name like `--enable-tools` or `ENABLED_TOOLSETS` speak of groups, and not of leaving some out?
fn names_groups(name: &str) -> bool {
    let words = crate::text::words_of(name);
    let has = |list: &[&str]| words.iter().any(|w| list.contains(&w.as_str()));
    has(GROUPS) && !has(&["disable", "disabled", "exclude", "excluded", "deny", "denied", "blocked", "without", "no"])
}

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    let all = |value: &str| ALL.contains(&value.trim().to_ascii_lowercase().as_str());
    for variable in
        entry.variables.iter().chain(&entry.settings).filter(|v| all(&v.value.text) && names_groups(&v.name))
    {
        out.hit(&variable.value).arg("setting", &variable.name);
    }
    let query = entry.remote.as_ref().and_then(|remote| remote.url.text.split_once('?'));
    for pair in query.into_iter().flat_map(|(_, query)| query.split(['&', '#'])) {
        if let (Some((name, value)), Some(remote)) = (pair.split_once('='), &entry.remote)
            && all(value)
            && names_groups(name)
        {
            let at = remote.url.text.find(pair).unwrap_or_default();
            out.hit(&remote.url.part(entries.source(), at..at + pair.len())).arg("setting", name);
        }
    }
    let Some(step) = entry.plan.as_ref().and_then(|plan| plan.server()) else { return };
    for (at, word) in step.args.iter().enumerate() {
        let (name, value) = match word.text.split_once('=') {
            Some((name, value)) => (name, value.to_owned()),
            None => (word.text.as_str(), step.args.get(at + 1).map(|w| w.text.clone()).unwrap_or_default()),
        };
        let single = ["--all-tools", "--enable-all", "--all-features", "--enable-all-tools", "--full-access"]
            .contains(&word.text.as_str());
        if single || (name.starts_with('-') && all(&value) && names_groups(name)) {
            out.hit(word).arg("setting", name);
        }
    }
}
