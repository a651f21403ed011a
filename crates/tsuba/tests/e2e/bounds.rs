//! `docs/bounds.md` lists every bound that the code has. Written anew outside of CI.

use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

const HEAD: &str = "\
# Bounds

Everything that Tsuba reads may be an attacker's, so every depth, size, count and time has a bound. What is over one is told where it matters:
as `unread`, as not understood, as a note in evidence. This list is written from the code; what a cage allows is in `cage.md`.

| where | bound | is | what for |
| --- | --- | --- | --- |
";

/// The sources of a folder, sorted, without tests.
fn sources(folder: &Path, out: &mut Vec<PathBuf>) {
    let mut all: Vec<PathBuf> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    all.sort();
    for path in all {
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        if path.is_dir() {
            sources(&path, out);
        } else if name.ends_with(".rs") && !name.ends_with("tests.rs") {
            out.push(path);
        }
    }
}

/// A constant that is a bound: its name, its value.
fn bound(line: &str) -> Option<(&str, &str)> {
    let at = line.find("const ")?;
    if !matches!(line[..at].trim(), "" | "pub" | "pub(crate)" | "pub(super)") {
        return None;
    }
    let (name, rest) = line[at + 6..].split_once(": ")?;
    let (kind, value) = rest.split_once(" = ")?;
    let is_bound = ["MAX", "MOST", "LONGEST", "DEEP", "LARGEST"].iter().any(|start| name.starts_with(start));
    let is_number = ["usize", "i64", "u8", "u16", "u32", "u64", "RawFd", "Duration"].contains(&kind);
    (is_bound && is_number).then(|| (name, value.trim_end_matches(';')))
}

/// A number with its digits in groups, as people write them.
fn grouped(value: &str) -> String {
    if value.starts_with(|c: char| c.is_ascii_digit()) { value.replace('_', ",") } else { value.to_owned() }
}

/// The rows of one file.
fn rows(place: &str, text: &str, out: &mut String) -> usize {
    let text = text.split("#[cfg(test)]\nmod tests {").next().unwrap_or(text);
    let (mut said, mut fresh, mut count) = (String::new(), false, 0);
    for line in text.lines().map(str::trim) {
        if let Some(comment) = line.strip_prefix("/// ") {
            if !fresh {
                said.clear();
            }
            fresh = true;
            said = format!("{said} {comment}").trim().to_owned();
        } else {
            if let Some((name, value)) = bound(line) {
                let value = value.replace("Duration::from_secs", "s ").replace("Duration::from_millis", "ms ");
                writeln!(out, "| {place} | `{name}` | {} | {} |", grouped(&value), said.replace('|', "\\|")).unwrap();
                count += 1;
            }
            fresh = false;
        }
    }
    count
}

#[test]
fn every_bound_is_listed() {
    let root = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../.."));
    let (mut files, mut out, mut count) = (Vec::new(), HEAD.to_owned(), 0);
    for package in [
        "tsuba-find",
        "tsuba-document",
        "tsuba-wording",
        "tsuba-core",
        "tsuba-capture",
        "tsuba-report",
        "tsuba-store",
        "tsuba",
    ] {
        sources(&root.join("crates").join(package).join("src"), &mut files);
    }
    for file in &files {
        let place = file.strip_prefix(root.join("crates")).unwrap().display().to_string().replace("/src/", "/");
        count += rows(place.trim_end_matches(".rs"), &fs::read_to_string(file).unwrap(), &mut out);
    }
    assert!(count > 100, "{count}");
    let file = root.join("docs/bounds.md");
    if fs::read_to_string(&file).unwrap_or_default() == out {
        return;
    }
    if std::env::var_os("CI").is_none() {
        fs::write(file, out).unwrap();
    }
    panic!("docs/bounds.md is stale: written anew, run again and commit");
}
