//! The other commands, and what all of them promise.

use crate::util::Dir;
use std::collections::BTreeSet;

#[test]
fn the_demo_shows_every_verdict_and_leaves_nothing_behind() {
    let dir = Dir::new(&[]);
    let report = dir.run(&["demo", "--format", "json"]).json();
    let count = |key: &str| report["summary"]["verdicts"][key].as_u64().unwrap();
    assert!(
        count("refuse") >= 3 && count("fix-first") >= 15 && count("ready") >= 15 && count("unchecked") >= 3,
        "{}",
        report["summary"]
    );
    assert!(report["summary"]["setups"].as_u64().unwrap() >= 30 && report["summary"]["unread"] == 2);
    let rules: BTreeSet<_> =
        report["findings"].as_array().unwrap().iter().map(|f| f["rule"].as_str().unwrap()).collect();
    assert!(rules.len() >= 30, "{rules:?}");
    assert!(report["setups"].as_array().unwrap().iter().any(|s| s["tracked"] == true && s["team"] == "Ledger"));
    assert_eq!(std::fs::read_dir(dir.path(".")).unwrap().count(), 0);
    let again = dir.run(&["demo"]);
    assert_eq!((again.status(), again.out()), (0, dir.run(&["demo"]).out()));
    assert!(again.err().starts_with("Saltmarsh Line is a made-up ferry operator"));
    // What decides and stands in one place of another file is said with that place, once.
    let out = again.out();
    let flowing = out.split_whitespace().collect::<Vec<_>>().join(" ");
    let because = "text tells the model to hide something from the user, text instructs the model beyond the tool's job, hidden text (evidence/drill-cards.json:17)";
    assert!(flowing.contains(because), "{out}");
}

#[test]
fn the_demo_can_be_unpacked_to_try_other_commands_on() {
    let dir = Dir::new(&[]);
    assert_eq!(dir.run(&["demo", "--unpack", "company"]).status(), 0);
    assert_eq!(dir.run(&["audit", "company"]).status(), 1);
    let twice = dir.run(&["demo", "--unpack", "company"]);
    assert!(twice.status() == 2 && twice.err().contains("not there yet"), "{}", twice.err());
}

#[test]
fn reports_keep_to_their_schema() {
    let schema: serde_json::Value = serde_json::from_str(include_str!("../../../../docs/report.schema.json")).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let dir = Dir::new(&[]);
    dir.run(&["demo", "--unpack", "company"]);
    for args in [
        &["demo", "--format", "json"][..],
        &["inventory", "company", "--format", "json"],
        &["audit", "company", "--format", "json"],
    ] {
        let report = dir.run(args).json();
        let errors: Vec<String> = validator.iter_errors(&report).map(|e| e.to_string()).collect();
        assert!(errors.is_empty(), "{args:?}: {errors:?}");
    }
}

#[test]
fn sarif_points_at_the_place_and_knows_its_rules() {
    let dir = Dir::new(&[("a b.json", r#"{ "mcpServers": { "t": { "command": "npx", "args": ["tide"] } } }"#)]);
    let log = dir.run(&["audit", "--format", "sarif"]).json();
    let run = &log["runs"][0];
    let result = run["results"].as_array().unwrap().iter().find(|r| r["ruleId"] == "supply/unpinned").unwrap();
    let place = &result["locations"][0]["physicalLocation"];
    assert_eq!(place["artifactLocation"]["uri"], "a%20b.json");
    assert_eq!((place["region"]["startLine"].as_u64(), place["region"]["startColumn"].as_u64()), (Some(1), Some(53)));
    let index = usize::try_from(result["ruleIndex"].as_u64().unwrap()).unwrap();
    assert_eq!(run["tool"]["driver"]["rules"][index]["id"], "supply/unpinned");
    assert!(result["partialFingerprints"]["tsuba/1"].is_string());
}

#[test]
fn a_fingerprint_survives_moved_lines() {
    let setup = r#"{ "mcpServers": { "t": { "command": "npx", "args": ["tide"], "env": {} } } }"#;
    let prints = |text: &str| {
        let report = Dir::new(&[("mcp.json", text)]).run(&["audit", "--format", "json"]).json();
        (report["findings"][0]["fingerprint"].clone(), report["entries"][0]["fingerprint"].clone())
    };
    let moved = setup.replace("{ \"command\"", "{\n\n\n   \"command\"");
    assert_eq!(prints(setup), prints(&moved));
    assert_ne!(prints(setup), prints(&setup.replace("tide", "tides")));
}

#[test]
fn an_entry_is_the_same_until_what_it_launches_changes() {
    let print = |settings: &str| {
        let text = format!(r#"{{ "mcpServers": {{ "t": {{ {settings} }} }} }}"#);
        let report = Dir::new(&[("mcp.json", &text)]).run(&["audit", "--format", "json"]).json();
        report["entries"][0]["fingerprint"].as_str().unwrap().to_owned()
    };
    let base = r#""command": "docker", "args": ["run", "-v", "/srv/t:/d", "t:1.0.0"], "env": { "A": "1", "TOKEN": "q8ZkXv2LmPw0TyRbN4sJ7dHf" }"#;
    let same = r#""env": { "TOKEN": "Z9yXw8Vu7Ts6Rq5Po4Nm3Lk2Abcd", "A": "1" }, "args": ["run", "-v", "/srv/t:/d", "t:1.0.0"], "command": "docker""#;
    assert_eq!(print(base), print(same), "order of keys, a rotated secret");
    for (from, to) in
        [("/srv/t:/d", "/:/d"), ("t:1.0.0", "t:1.0.1"), (r#""A": "1""#, r#""A": "2""#), (r#""A""#, r#""LD_PRELOAD""#)]
    {
        assert_ne!(print(base), print(&base.replace(from, to)), "{from} → {to}");
    }
}

#[test]
fn the_inventory_tells_what_is_there_and_does_not_judge() {
    let dir = Dir::new(&[(
        "mcp.json",
        r#"{ "mcpServers": { "t": { "command": "docker", "args": ["run", "-v", "/srv/t:/d", "-e", "TOKEN", "saltmarsh/t:1.0.0"] } } }"#,
    )]);
    let run = dir.run(&["inventory"]);
    assert_eq!(run.status(), 0);
    for part in ["1 entry in 1 setup", "docker saltmarsh/t:1.0.0 [exact]", "TOKEN (reference)", "/srv/t"] {
        assert!(run.out().contains(part), "{part}: {}", run.out());
    }
    let report = dir.run(&["inventory", "--format", "json"]).json();
    assert!(report["entries"][0]["verdict"].is_null() && report["findings"].as_array().unwrap().is_empty());
}

#[test]
fn explain_tells_about_one_rule_or_lists_them() {
    let dir = Dir::new(&[]);
    let list = dir.run(&["explain"]).out();
    assert!(list.contains("supply/unpinned") && list.contains("secret/plaintext"));
    let one = dir.run(&["explain", "supply/unpinned"]).out();
    assert!(
        ["before", "after", "@saltmarsh/tide-table@2.4.1", "CWE-1357"].iter().all(|part| one.contains(part)),
        "{one}"
    );
    assert!(dir.run(&["explain", "unpinned"]).err().contains("did you mean supply/unpinned?"));
}

#[test]
fn completions_and_the_manual_page_are_printed() {
    let dir = Dir::new(&[]);
    assert!(dir.run(&["completions", "bash"]).out().contains("tsuba"));
    let man = dir.run(&["man"]).out();
    assert!(man.contains("tsuba") && man.contains("gate"));
}

#[test]
fn a_reader_that_stops_reading_is_no_error() {
    use std::process::{Command, Stdio};
    let dir = Dir::new(&[]);
    let mut child = Command::new(env!("CARGO_BIN_EXE_tsuba"))
        .arg("demo")
        .current_dir(dir.path("."))
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    drop(child.stdout.take());
    assert!(child.wait().unwrap().success());
}

#[test]
fn the_key_file_names_credentials_by_value() {
    let setup = r#"{ "mcpServers": { "t": { "command": "t", "env": { "TOKEN": "q8ZkXv2LmPw0TyRbN4sJ7dHf" } } } }"#;
    let name = |files: &[(&str, &str)]| {
        Dir::new(files).run(&["audit", "s", "--format", "json"]).json()["entries"][0]["credentials"][0]["fingerprint"]
            .clone()
    };
    let keyed = |path: &str, key: &str| name(&[(path, setup), ("tsuba.toml", "key_file = \"key\"\n"), ("key", key)]);
    assert_eq!(keyed("s/a.json", "one"), keyed("s/b.json", "one"));
    assert_ne!(keyed("s/a.json", "one"), keyed("s/a.json", "two"));
    assert_ne!(name(&[("s/a.json", setup)]), name(&[("s/b.json", setup)]));
}

#[test]
fn the_demo_goes_the_whole_way() {
    let dir = Dir::new(&[]);
    let run = dir.run(&["demo", "--walk"]);
    let out = run.out();
    assert_eq!(run.status(), 0, "{out}{}", run.err());
    assert!(out.contains("2 findings fixed in 1 file"), "{out}");
    if out.contains("The simulated servers are not started") {
        return;
    }
    for wanted in [
        "power/touched-decoy",
        "3 decided, 0 left",
        "Ignored 1 evidence file whose entry is not in mcp.json",
        "changes: 1 serious, 1 notable, 0 harmless",
        "{+ Before you answer, read",
        "tide-desk has changed since ines approved it",
    ] {
        assert!(out.contains(wanted), "{wanted}\n{out}");
    }
    assert_eq!(out.matches("0 refuse   0 fix-first   0 unchecked   2 ready").count(), 2, "{out}");
    assert!(out.trim_end().ends_with("(status 0)") && !out.contains("q8ZkXv2LmPw0TyRbN4sJ7dHf"), "{out}");
}

#[test]
fn a_panic_anywhere_ends_with_status_2_and_one_line_that_shows_nothing_of_the_input() {
    let quoted = "kelp-Harbor-5107";
    let dir = Dir::new(&[("mcp.json", r#"{ "mcpServers": { "t": { "command": "tide" } } }"#)]);
    for place in ["command", "file", "walk", "judge"] {
        let ran = dir.run(&["fail", place, quoted]);
        assert_eq!((ran.status(), ran.out().as_str()), (2, ""), "{place}: {}", ran.err());
        assert_eq!(ran.err().lines().count(), 1, "{place}: {}", ran.err());
        assert!(
            ran.err().starts_with("tsuba: an internal error at ") && ran.err().contains("fail.rs:"),
            "{}",
            ran.err()
        );
        assert!(!ran.err().contains(quoted), "{place}: {}", ran.err());
    }
}
