//! The list of rules and the rules' metadata: written lists are current, texts are whole, examples are true.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a failing test is what a panic is for"
)]

mod support;

use std::collections::BTreeSet;
use std::fmt::Write as _;
use tsuba_core::rules;

/// A rule's name as an identifier: some names are words of the language.
fn identifier(name: &str) -> String {
    let reserved =
        ["abstract", "become", "box", "final", "macro", "override", "priv", "try", "typeof", "virtual", "yield"];
    if reserved.contains(&name) { format!("r#{name}") } else { name.to_owned() }
}

/// The family's `mod.rs` as it must be.
fn family_module(family: &str, names: &[String], extra: &[String]) -> String {
    let mut out =
        format!("//! The rules of the family `{family}`. Written by `cargo test` from the files of this folder.\n\n");
    let mut modules: Vec<&String> = names.iter().chain(extra).collect();
    modules.sort();
    modules.iter().for_each(|name| writeln!(out, "mod {};", identifier(name)).unwrap());
    let head = "pub(super) static RULES: &[&Rule] =";
    let list: Vec<String> = names.iter().map(|name| format!("&{}::RULE", identifier(name))).collect();
    let joined = list.join(", ");
    out.push_str("\nuse crate::judge::Rule;\n\n");
    // As rustfmt lays it out: in one line, behind the head, or each on its own.
    if head.len() + joined.len() + 4 <= 120 {
        writeln!(out, "{head} &[{joined}];").unwrap();
    } else if joined.len() + 8 <= 120 {
        writeln!(out, "{head}\n    &[{joined}];").unwrap();
    } else {
        writeln!(out, "{head} &[").unwrap();
        list.iter().for_each(|rule| writeln!(out, "    {rule},").unwrap());
        out.push_str("];\n");
    }
    out
}

#[test]
fn the_lists_of_rules_are_current() {
    let files = support::rule_files();
    let families: BTreeSet<_> = files.iter().map(|(family, _)| family.clone()).collect();
    let mut stale = Vec::new();
    for family in families {
        let folder = support::rules_folder().join(&family);
        let names: Vec<String> = files.iter().filter(|(f, _)| *f == family).map(|(_, name)| name.clone()).collect();
        let extra: Vec<String> = folder.join("shared.rs").exists().then(|| "shared".to_owned()).into_iter().collect();
        let want = family_module(&family, &names, &extra);
        let file = folder.join("mod.rs");
        if std::fs::read_to_string(&file).unwrap_or_default() != want {
            if std::env::var_os("CI").is_none() {
                std::fs::write(&file, want).unwrap();
            }
            stale.push(family);
        }
    }
    assert!(stale.is_empty(), "stale lists of {stale:?}: written anew, run again and commit");
}

#[test]
fn metadata_is_whole() {
    let all = rules::all();
    let ids: Vec<_> = all.iter().map(|r| r.id).collect();
    assert!(ids.is_sorted(), "{ids:?}");
    assert_eq!(ids.iter().collect::<BTreeSet<_>>().len(), ids.len());
    for rule in all {
        let (family, name) = rule.id.split_once('/').unwrap();
        let file = support::rules_folder().join(family).join(format!("{}.rs", name.replace('-', "_")));
        assert!(file.exists(), "{}: the identifier is not the path of its file", rule.id);
        for (what, text) in [
            ("title", rule.title),
            ("message", rule.message),
            ("why", rule.why),
            ("fix", rule.fix),
            ("before", rule.before),
            ("after", rule.after),
        ] {
            assert!(!text.trim().is_empty(), "{}: no {what}", rule.id);
        }
        assert!(rule.why.ends_with('.') && rule.fix.ends_with('.'), "{}: why and fix are sentences", rule.id);
        assert!(!rule.title.ends_with('.') && rule.title.len() <= 80, "{}: the title is a short phrase", rule.id);
        assert!(!rule.references.is_empty(), "{}: no reference", rule.id);
    }
}

#[test]
fn every_example_is_true() {
    for rule in rules::all() {
        assert!(!support::run(rule, support::files_of(rule.before)).is_empty(), "{}: `before` does not fire", rule.id);
        let after = support::run(rule, support::files_of(rule.after));
        assert!(after.is_empty(), "{}: `after` fires: {after:?}", rule.id);
    }
}
