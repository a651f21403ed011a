//! The floors of the core: no folder takes in what lies above it.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a failing test is what a panic is for"
)]

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

/// From the ground up; those of one line do not know each other.
const FLOORS: &[&[&str]] = &[
    &["prelude"],
    // Crates of their own.
    &["text"],
    &["read"],
    &["wording"],
    &["severity"],
    &["evidence"],
    &["understand"],
    &["register"],
    &["policy"],
    &["judge"],
    &["decide", "repair"],
    &["rules"],
    &["fuzz"],
];

fn floor(name: &str) -> Option<usize> {
    FLOORS.iter().position(|floor| floor.contains(&name))
}

fn files(folder: &Path, out: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            files(&path, out);
        } else if path.extension().is_some_and(|ending| ending == "rs") {
            out.push(path);
        }
    }
}

/// A file without its tests and remarks.
fn code(text: &str) -> String {
    let own = text.split("#[cfg(test)]").next().unwrap();
    own.lines().filter(|line| !line.trim_start().starts_with("//")).map(|line| format!("{line}\n")).collect()
}

/// What a file takes in of the core's folders.
fn taken_in(text: &str) -> BTreeSet<String> {
    let mut out = BTreeSet::new();
    for line in code(text).lines() {
        for rest in line.split("crate::").skip(1) {
            let names = match rest.strip_prefix('{') {
                Some(several) => several.split('}').next().unwrap().split(',').collect(),
                None => vec![rest],
            };
            let name = |text: &str| text.trim().chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
            out.extend(names.into_iter().map(name));
        }
    }
    out
}

/// The folder a file belongs to, and whether all of it is a test.
fn whose(path: &Path, root: &Path) -> (String, bool) {
    let inside = path.strip_prefix(root).unwrap();
    let first = inside.iter().next().unwrap().to_str().unwrap();
    let name = path.file_stem().unwrap().to_str().unwrap();
    (first.trim_end_matches(".rs").to_owned(), name == "tests" || name.ends_with("_tests"))
}

#[test]
fn no_folder_takes_in_what_lies_above_it() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let mut all = Vec::new();
    for name in ["tsuba-core", "tsuba-document"] {
        let root = crates.join(name).join("src");
        let mut own = Vec::new();
        files(&root, &mut own);
        all.extend(own.into_iter().map(|path| (root.clone(), path)));
    }
    let (mut up, mut arrows) = (Vec::new(), 0);
    for (root, path) in all {
        let (own, is_test) = whose(&path, &root);
        if is_test || own == "lib" {
            continue;
        }
        let text = std::fs::read_to_string(&path).unwrap();
        // Nor by going up so far that it stands at the root.
        let depth = path.strip_prefix(&root).unwrap().iter().count() - usize::from(path.ends_with("mod.rs"));
        assert!(!code(&text).contains(&"super::".repeat(depth)), "{} goes up to the root", path.display());
        let here = floor(&own).unwrap_or_else(|| panic!("{own} is on no floor"));
        // A macro stands at the root of its crate, wherever it is written.
        let others = taken_in(&text).into_iter().filter(|other| *other != own && other != "named");
        for other in others {
            let there = floor(&other).unwrap_or_else(|| panic!("{}: {other} is on no floor", path.display()));
            arrows += 1;
            if there >= here {
                up.push(format!("{} takes in {other}", path.strip_prefix(&root).unwrap().display()));
            }
        }
    }
    assert!(up.is_empty(), "{up:#?}");
    assert!(arrows > 300, "only {arrows} were seen");
}

#[test]
fn an_arrow_is_seen_however_it_is_written() {
    let text = "use crate::{text::Span, judge};\n// crate::rules\nlet x = crate::decide::Told;\n#[cfg(test)]\nuse crate::rules;";
    assert_eq!(taken_in(text).into_iter().collect::<Vec<_>>(), ["decide", "judge", "text"]);
}
