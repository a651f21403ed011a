use crate::judge::{All, Check, Confidence, Out, Rule, Severity, Verdict};
use crate::prelude::*;
use crate::understand::launch::Source;

pub(super) static RULE: Rule = Rule {
    id: "supply/lookalike",
    title: "a package's name is nearly another's",
    severity: Severity::High,
    verdict: Verdict::Refuse,
    says: "{package} differs by a hair from {other}, which {known}",
    why: "Names one letter off are registered to catch a typing mistake; such a package runs with all rights of the person who mistyped.",
    fix: "Check letter by letter which package was meant, and write that one.",
    before: r#"{ "mcpServers": { "a": { "command": "npx", "args": ["@saltmarsh/tide-table@2.4.1"] }, "b": { "command": "npx", "args": ["@saltmarsh/tide-table@2.4.1"] }, "c": { "command": "npx", "args": ["@saltmarsh/tide-tabel@2.4.1"] } } }"#,
    after: r#"{ "mcpServers": { "a": { "command": "npx", "args": ["@saltmarsh/tide-table@2.4.1"] }, "b": { "command": "npx", "args": ["@saltmarsh/tide-table@2.4.1"] }, "c": { "command": "npx", "args": ["@saltmarsh/tide-table@2.4.1"] } } }"#,
    references: &["CWE-1357", "CAPEC-631"],
    check: Check::All(check),
};

/// Well-used server packages, as data: a name near one of these is looked at even when nobody here uses the real one.
const WELL_USED: &[(Source, &str)] = &[
    (Source::Npm, "@modelcontextprotocol/server-filesystem"),
    (Source::Npm, "@modelcontextprotocol/server-memory"),
    (Source::Npm, "@modelcontextprotocol/server-everything"),
    (Source::Npm, "@modelcontextprotocol/server-sequential-thinking"),
    (Source::Npm, "@modelcontextprotocol/server-postgres"),
    (Source::Npm, "@modelcontextprotocol/server-github"),
    (Source::Pypi, "mcp-server-fetch"),
    (Source::Pypi, "mcp-server-git"),
    (Source::Pypi, "mcp-server-time"),
    (Source::Pypi, "mcp-server-sqlite"),
];

/// Names shorter than this are near each other by chance.
const SHORTEST: usize = 7;
/// More names than this are not compared with each other (the comparison is quadratic).
const MOST: usize = 4_000;

fn check(all: &All<'_>, out: &mut Out<'_>) {
    let mut used: BTreeMap<(Source, String), usize> = BTreeMap::new();
    let packages = || {
        all.entries().flat_map(|(stands, _, entry)| {
            entry.plan.iter().flat_map(move |plan| plan.packages().map(move |(_, package)| (stands, package)))
        })
    };
    let registry = |source: Source| matches!(source, Source::Npm | Source::Pypi | Source::Nuget | Source::Crates);
    for (_, package) in packages().filter(|(_, p)| registry(p.source)) {
        *used.entry((package.source, package.name.to_lowercase())).or_default() += 1;
    }
    if used.len() > MOST {
        return;
    }
    let near: BTreeMap<&(Source, String), (String, String)> =
        used.keys().filter_map(|name| other(name, &used).map(|found| (name, found))).collect();
    for (stands, package) in packages().filter(|(_, p)| registry(p.source)) {
        if let Some((other, known)) = near.get(&(package.source, package.name.to_lowercase())) {
            out.hit_in(stands, &package.spec)
                .word("package", &package.name)
                .word("other", other)
                .word("known", known)
                .sure(Confidence::Likely);
        }
    }
}

/// The name that was probably meant, and why it is known.
fn other(name: &(Source, String), used: &BTreeMap<(Source, String), usize>) -> Option<(String, String)> {
    let (source, text) = name;
    if let Some((_, known)) = WELL_USED.iter().find(|(s, known)| s == source && is_near(text, known)) {
        return Some(((*known).to_owned(), "is well used".to_owned()));
    }
    // The rarer of two is the odd one out; where both are as frequent, nothing says which is meant.
    let own = used.get(name).copied().unwrap_or(1);
    let others = used.iter().filter(|((s, other), count)| s == source && **count > own && is_near(text, other));
    let ((_, other), count) = others.max_by_key(|(_, count)| **count)?;
    Some((other.clone(), format!("{count} entries here use")))
}

/// One letter changed, added, left out or swapped; or alike but for punctuation; or another scope over the same unusual name.
fn is_near(one: &str, other: &str) -> bool {
    if one == other || one.len().min(other.len()) < SHORTEST || one.len().abs_diff(other.len()) > 2 {
        return false;
    }
    let plain = |s: &str| s.chars().filter(|c| c.is_alphanumeric()).collect::<String>();
    // Versions of one family (`table-2`, `table-3`) and counted names differ on purpose.
    let digits = |s: &str| s.chars().filter(char::is_ascii_digit).collect::<String>();
    digits(one) == digits(other) && (plain(one) == plain(other) || strsim::osa_distance(one, other) == 1)
}
