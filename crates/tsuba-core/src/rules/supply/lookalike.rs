use crate::judge::{All, Check, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::understand::launch::Source;

pub(super) static RULE: Rule = Rule {
    id: "supply/lookalike",
    title: "look-alike package name",
    severity: Severity::High,
    verdict: Verdict::Refuse,
    message: "{package} is one edit away from {other}, which {known}",
    why: "Names one letter off are registered to catch a typing mistake; such a package runs with all rights of the person who mistyped.",
    fix: "Check letter by letter which package was meant, and write that one.",
    before: r#"{ "mcpServers": { "a": { "command": "npx", "args": ["@saltmarsh/tide-table@2.4.1"] }, "b": { "command": "npx", "args": ["@saltmarsh/tide-table@2.4.1"] }, "c": { "command": "npx", "args": ["@saltmarsh/tide-tabel@2.4.1"] } } }"#,
    after: r#"{ "mcpServers": { "a": { "command": "npx", "args": ["@saltmarsh/tide-table@2.4.1"] }, "b": { "command": "npx", "args": ["@saltmarsh/tide-table@2.4.1"] }, "c": { "command": "npx", "args": ["@saltmarsh/tide-table@2.4.1"] } } }"#,
    references: &["CWE-1357", "CAPEC-631"],
    ways: Ways::PLAIN,
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

fn check(all: &All<'_>, out: &mut Out<'_>) {
    let mut used: BTreeMap<(Source, String), usize> = BTreeMap::new();
    let packages = || {
        all.entries().flat_map(|(entry_ref, _, entry)| {
            entry.plan.iter().flat_map(move |plan| plan.packages().map(move |(_, package)| (entry_ref, package)))
        })
    };
    let registry = |source: Source| matches!(source, Source::Npm | Source::Pypi | Source::Nuget | Source::Crates);
    for (_, package) in packages().filter(|(_, p)| registry(p.source)) {
        *used.entry((package.source, package.name.to_lowercase())).or_default() += 1;
    }
    let alike = Alike::new(&used);
    let near: BTreeMap<&(Source, String), (String, String)> =
        used.keys().filter_map(|name| other(all, name, &used, &alike).map(|found| (name, found))).collect();
    for (entry_ref, package) in packages().filter(|(_, p)| registry(p.source)) {
        if let Some((other, known)) = near.get(&(package.source, package.name.to_lowercase())) {
            out.hit_in(entry_ref, &package.spec)
                .arg("package", &package.name)
                .arg("other", other)
                .arg("known", known)
                .confidence(Confidence::Likely);
        }
    }
}

/// Names by their forms with one character left out: two names one letter apart share such a form, so that each is compared
/// with few others and not with all.
struct Alike<'n> {
    forms: BTreeMap<String, Vec<&'n (Source, String)>>,
}

impl<'n> Alike<'n> {
    fn new(names: &'n BTreeMap<(Source, String), usize>) -> Self {
        let mut forms: BTreeMap<String, Vec<&(Source, String)>> = BTreeMap::new();
        for name in names.keys() {
            for form in forms_of(&name.1) {
                forms.entry(form).or_default().push(name);
            }
        }
        Self { forms }
    }

    fn candidates(&self, name: &str) -> BTreeSet<&'n (Source, String)> {
        forms_of(name).iter().filter_map(|form| self.forms.get(form)).flatten().copied().collect()
    }
}

/// The name itself, it without punctuation, and it with each character left out. Nobody's package has a longer name than this.
fn forms_of(name: &str) -> BTreeSet<String> {
    const MAX_NAME_BYTES: usize = 214;
    let mut forms: BTreeSet<String> = BTreeSet::new();
    forms.insert(name.to_owned());
    forms.insert(plain(name));
    for (at, c) in name.char_indices().take(MAX_NAME_BYTES) {
        let (before, after) = (name.get(..at).unwrap_or_default(), name.get(at + c.len_utf8()..).unwrap_or_default());
        forms.insert(format!("{before}{after}"));
    }
    forms
}

/// The name that was probably meant, and why it is known.
fn other(
    all: &All<'_>,
    name: &(Source, String),
    used: &BTreeMap<(Source, String), usize>,
    alike: &Alike<'_>,
) -> Option<(String, String)> {
    let (source, text) = name;
    if let Some((_, known)) = WELL_USED.iter().find(|(s, known)| s == source && is_near(text, known)) {
        return Some(((*known).to_owned(), "is well used".to_owned()));
    }
    let own = &all.policy.vocabulary.packages;
    if own.contains(text) {
        return None;
    }
    if let Some(known) = own.iter().find(|known| is_near(text, known)) {
        return Some((known.clone(), "the policy knows as used here".to_owned()));
    }
    // The rarer of two is the odd one out; where both are as frequent, nothing says which is meant.
    let count = |name: &(Source, String)| used.get(name).copied().unwrap_or(1);
    let near =
        alike.candidates(text).into_iter().filter(|o| o.0 == *source && count(o) > count(name) && is_near(text, &o.1));
    let other = near.max_by_key(|other| count(other))?;
    Some((other.1.clone(), format!("{} entries here use", count(other))))
}

/// A name without its punctuation.
fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).collect()
}

/// One letter changed, added, left out or swapped; or alike but for punctuation; or another scope over the same unusual name.
fn is_near(one: &str, other: &str) -> bool {
    if one == other || one.len().min(other.len()) < SHORTEST || one.len().abs_diff(other.len()) > 2 {
        return false;
    }
    // Versions of one family (`table-2`, `table-3`) and counted names differ on purpose.
    let digits = |s: &str| s.chars().filter(char::is_ascii_digit).collect::<String>();
    digits(one) == digits(other) && (plain(one) == plain(other) || strsim::osa_distance(one, other) == 1)
}
