//! Published advisories: from a folder, an archive, the configuration; and what is told where they cannot be read.

use crate::util::Dir;
use std::io::{Cursor, Write as _};

const SETUP: &str = r#"{ "mcpServers": { "tides": { "command": "npx", "args": ["-y", "@saltmarsh/tides@2.4.1"] }, "quay": { "command": "uvx", "args": ["saltmarsh-quay==1.0"] } } }"#;
const MALICIOUS: &str = r#"{ "id": "MAL-2026-7", "summary": "Sends the environment to quay7.example", "affected": [{ "package": { "ecosystem": "npm", "name": "@saltmarsh/tides" }, "versions": ["2.4.1"] }] }"#;
const WEAK: &str = r#"{ "id": "SA-2026-3", "summary": "Path traversal", "affected": [{ "package": { "ecosystem": "PyPI", "name": "Saltmarsh_Quay" }, "ranges": [{ "type": "ECOSYSTEM", "events": [{ "introduced": "0" }, { "fixed": "1.1" }] }] }], "database_specific": { "severity": "MODERATE" } }"#;

fn told(dir: &Dir, more: &[&str]) -> Vec<String> {
    let report =
        dir.run(&[&["audit", "mcp.json", "--format", "json", "--rule", "supply/known-bad"], more].concat()).json();
    let findings = report["findings"].as_array().unwrap();
    findings.iter().map(|f| format!("{} {}", f["severity"].as_str().unwrap(), f["message"].as_str().unwrap())).collect()
}

#[test]
fn packages_are_held_against_advisories_wherever_those_lie() {
    let dir = Dir::new(&[
        ("mcp.json", SETUP),
        ("known/npm/a.json", MALICIOUS),
        ("known/pypi/b.json", WEAK),
        ("known/readme.json", r#"{"name": "no advisory"}"#),
    ]);
    let want = [
        "critical @saltmarsh/tides 2.4.1 is malicious: Sends the environment to quay7.example (MAL-2026-7)",
        "medium saltmarsh-quay 1.0 has a published vulnerability: Path traversal (SA-2026-3)",
    ];
    assert_eq!(told(&dir, &[]), Vec::<String>::new());
    assert_eq!(told(&dir, &["--advisories", "known"]), want);
    let run = dir.run(&["audit", "mcp.json", "--advisories", "known"]);
    assert!(run.err().contains("1 file is no advisory in the OSV format in known; left out"), "{}", run.err());
    assert!(run.out().contains("it is mended in 1.1") && run.out().starts_with("1 refuse"), "{}", run.out());
    // As databases export them, and as the company has it configured.
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, text) in [("a.json", MALICIOUS), ("b.json", WEAK)] {
        archive.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        archive.write_all(text.as_bytes()).unwrap();
    }
    dir.write("packed/all.zip", &archive.finish().unwrap().into_inner());
    dir.write("own/tsuba.toml", b"[advisories]\nfolders = [\"../packed\"]\n");
    assert_eq!(told(&dir, &["--config", "own/tsuba.toml"]), want);
}

#[test]
fn advisories_that_cannot_be_read_are_told() {
    let dir = Dir::new(&[("mcp.json", SETUP), ("empty/a.json", "{}"), ("own.toml", "[advisories]\nfolder = \"x\"\n")]);
    for (args, why) in [
        (&["--advisories", "nowhere"][..], "--advisories nowhere: "),
        (&["--advisories", "empty"], "--advisories empty: holds no advisory in the OSV format"),
        (&["--config", "own.toml"], "unknown key `folder`; did you mean `folders`?"),
    ] {
        let run = dir.run(&[&["audit", "mcp.json"], args].concat());
        assert!(run.status() == 2 && run.err().contains(why), "{args:?}: {}", run.err());
    }
}

#[test]
fn approvals_of_packages_are_held_against_advisories() {
    let dir = Dir::new(&[("mcp.json", SETUP), ("known/a.json", MALICIOUS), ("known/b.json", WEAK)]);
    for entry in ["tides", "quay"] {
        let approve = ["approve", "mcp.json", "--entry", entry, "--unseen", "--for", "package"];
        let run = dir.run(&[&approve[..], &["--by", "ines", "--reason", "read"]].concat());
        assert_eq!(run.status(), 0, "{}", run.err());
    }
    let plain = dir.run(&["decisions", "--gate"]);
    assert!(plain.status() == 0 && !plain.out().contains("advisor"), "{}", plain.out());
    let run = dir.run(&["decisions", "--advisories", "known", "--gate"]);
    assert_eq!(run.status(), 1, "{}", run.err());
    assert!(run.out().starts_with("2 approved, 0 refused, 0 waived; 2 named in advisories"), "{}", run.out());
    assert!(run.out().contains("is malicious: Sends the environment to quay7.example (MAL-2026-7)"), "{}", run.out());
    let rows = dir.run(&["decisions", "--advisories", "known", "--format", "json"]).json();
    assert_eq!(rows["decisions"][1]["advisories"], serde_json::json!(["SA-2026-3"]));
    // What is refused, or approved at another version, is no matter of an advisory.
    dir.write("known/a.json", MALICIOUS.replace("2.4.1", "2.4.0").as_bytes());
    dir.write("known/b.json", WEAK.replace("Saltmarsh_Quay", "saltmarsh-tide").as_bytes());
    assert_eq!(dir.run(&["decisions", "--advisories", "known", "--gate"]).status(), 0);
}
