//! The company's policy, end to end: what it changes, why, and how its mistakes are told.

use crate::util::Dir;
use serde_json::Value;

const SETUP: &str = r#"{ "mcpServers": {
  "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@0.4.1"] },
  "berth-board": { "url": "https://berths.tides.example/mcp" },
  "quay-files": { "command": "quay-files", "args": ["/srv/ledger"], "env": { "SETTING": "hbk_q8ZkXv2LmPw0TyRb" } }
} }"#;

const POLICY: &str = r#"gate = "medium"

[allow]
packages = ["npm:@saltmarsh/*"]
hosts = ["*.saltmarsh-line.example", "*.quay.example"]

[[folders]]
allow = ["./**"]

[[severity]]
rule = "power/folder-not-allowed"
severity = "low"

[[rule]]
name = "no-betas"
says = "a version before 1.0"
fix = "Wait for 1.0."
when = 'entry.launch.version.startsWith("0.")'
severity = "medium"

[[token]]
name = "a harbour key"
form = 'hbk_[A-Za-z0-9]{16}'
"#;

fn found(report: &Value) -> Vec<String> {
    let message = |f: &Value| format!("{} {}", f["severity"].as_str().unwrap(), f["rule"].as_str().unwrap());
    report["findings"].as_array().unwrap().iter().map(message).collect()
}

#[test]
fn its_patterns_are_meant_from_its_folder_wherever_it_is_called() {
    let policy = "[[severity]]\nrule = \"exposure/plain-http\"\nseverity = \"low\"\npaths = [\"sandbox/**\"]\n";
    let plain = r#"{ "mcpServers": { "tides": { "url": "http://tides.example/mcp" } } }"#;
    let dir = Dir::new(&[("c/tsuba.toml", policy), ("c/sandbox/a/mcp.json", plain), ("c/prod/a/mcp.json", plain)]);
    for (input, want) in [
        ("c", &["high exposure/plain-http", "low exposure/plain-http"][..]),
        ("c/sandbox", &["low exposure/plain-http"]),
        ("c/sandbox/a/mcp.json", &["low exposure/plain-http"]),
        ("c/prod/a", &["high exposure/plain-http"]),
    ] {
        let report = dir.run(&["audit", input, "--config", "c/tsuba.toml", "--format", "json"]).json();
        assert_eq!(found(&report), want, "{input}");
    }
}

#[test]
fn a_policy_judges_and_says_why() {
    let dir = Dir::new(&[("mcp.json", SETUP), ("tsuba.toml", POLICY)]);
    let audit = ["audit", "mcp.json", "--format", "json", "--as-of", "2026-11-24", "--gate", "none"];
    let run = dir.run(&audit);
    let found = found(&run.json());
    for wanted in [
        "high review/not-allowed",
        "low power/folder-not-allowed",
        "medium review/company-rule",
        "high secret/plaintext",
    ] {
        assert!(found.iter().any(|finding| finding == wanted), "{wanted}: {found:?}");
    }
    // A token of the company's own is masked wherever it stands.
    assert!(!run.out().contains("hbk_q8ZkXv2LmPw0TyRb"), "{}", run.out());
    let text = dir.run(&["audit", "mcp.json", "--as-of", "2026-11-24"]);
    assert!(text.out().contains("a version before 1.0 (no-betas)"), "{}", text.out());
    assert!(text.out().contains("Wait for 1.0."), "{}", text.out());
    assert!(text.out().contains("a harbour key"), "{}", text.out());

    let why = dir.run(&["explain", "--policy", "mcp.json", "--as-of", "2026-11-24"]).out();
    for wanted in [
        "gate medium   tsuba.toml:1",
        "    the npm package @saltmarsh/tide-table: allowed\n        tsuba.toml:4  [allow] packages \"npm:@saltmarsh/*\"",
        "  ! the host berths.tides.example: not allowed: it is not on the list\n        tsuba.toml:5",
        "  ! the folder /srv/ledger: not allowed",
        "low instead of high\n        tsuba.toml:11",
        "  ! the rule no-betas: medium: a version before 1.0\n        tsuba.toml:15",
        "unused policy lines:\n    tsuba.toml:5  [allow] hosts \"*.quay.example\"\n    tsuba.toml:5  [allow] hosts",
    ] {
        assert!(why.contains(wanted), "{wanted}\n\n{why}");
    }
    let one = dir.run(&["explain", "--policy", "mcp.json", "--entry", "berth-board", "--as-of", "2026-11-24"]).out();
    assert!(one.contains("berth-board") && !one.contains("quay-files"), "{one}");
    assert!(one.contains("the rule no-betas: has nothing to say"), "{one}");
    assert!(!why.contains("nothing to say"), "{why}");
    let none = dir.run(&["explain", "--policy", "mcp.json", "--entry", "siren"]);
    assert!(none.status() == 2 && none.err().contains("no entry is called siren"), "{}", none.err());
}

#[test]
fn mistakes_are_told_all_at_once_and_nothing_is_judged() {
    let policy = "gate = \"loud\"\n[[rule]]\nname = \"a\"\nsays = \"b\"\nwhen = 'entry.nam == \"x\"'\n";
    let dir = Dir::new(&[("mcp.json", SETUP), ("tsuba.toml", policy)]);
    let run = dir.run(&["audit", "mcp.json"]);
    assert_eq!(run.status(), 2);
    assert!(run.err().contains("tsuba.toml:1:8: invalid severity `loud`;"), "{}", run.err());
    assert!(run.err().contains("tsuba.toml:5:8: there is no field nam"), "{}", run.err());
    assert_eq!(run.out(), "");
    let unknown = Dir::new(&[("mcp.json", SETUP), ("tsuba.toml", "limit = 1\n")]);
    let message = unknown.run(&["audit", "mcp.json"]).err();
    assert!(message.contains("tsuba.toml:1") && message.contains("folders, require, rule, token, words"), "{message}");
}

/// An expression sees what the report says: for every entry of the demo a rule is written that compares each of its fields with the
/// report's, and every such rule must speak.
#[test]
fn expressions_see_the_entries_of_the_report() {
    let dir = Dir::new(&[]);
    assert_eq!(dir.run(&["demo", "--unpack", "company"]).status(), 0);
    let audit = |more: &[&str]| {
        let args = ["audit", "company", "--format", "json", "--as-of", "2026-11-24", "--gate", "none"];
        dir.run(&[&args, more].concat()).json()
    };
    let report = audit(&[]);
    let mut rules = String::new();
    let mut wanted = 0;
    let entries = report["entries"].as_array().unwrap().iter();
    for entry in entries.filter(|e| e["disabled"] == false && !e["name"].is_null()) {
        let listed_only = entry["launch"].is_null() && entry["remote"].is_null() && !entry["listing"].is_null();
        // What is masked in a report is not what an expression sees.
        let masked = entry.to_string().contains('…') || entry.to_string().contains("⟨U+");
        if listed_only || masked || wanted == 40 {
            continue;
        }
        let mut terms = Vec::new();
        for (field, value) in [
            ("name", &entry["name"]),
            ("setup", &entry["setup"]),
            ("transport", &entry["transport"]),
            ("asks", &entry["asks"]),
            ("launch.package", &entry["launch"]["package"]),
            ("launch.version", &entry["launch"]["version"]),
            ("launch.source", &entry["launch"]["source"]),
            ("launch.pin", &entry["launch"]["pin"]),
            ("launch.runner", &entry["launch"]["runner"]),
            ("launch.image", &entry["launch"]["image"]),
            ("launch.tag", &entry["launch"]["tag"]),
            ("launch.script", &entry["launch"]["script"]),
            ("remote.url", &entry["remote"]["url"]),
            ("remote.host", &entry["remote"]["host"]),
        ] {
            terms.push(format!("entry.{field} == {}", Value::from(value.as_str().unwrap_or_default())));
        }
        terms.push(format!("size(entry.credentials) == {}", entry["credentials"].as_array().unwrap().len()));
        terms.push(format!("entry.reach.hosts == {}", entry["reach"]["hosts"]));
        terms.push(format!("entry.reach.powers == {}", entry["reach"]["powers"]));
        terms.push(format!("entry.listing.known == {}", !entry["listing"].is_null()));
        let when = terms.join(" && ");
        if when.len() < 1000 && !when.contains("'''") {
            wanted += 1;
            rules.push_str(&format!("[[rule]]\nname = \"n{wanted}\"\nsays = \"s\"\nwhen = '''{when}'''\n"));
        }
    }
    assert!(wanted >= 20, "{wanted}");
    dir.write("seen.toml", rules.as_bytes());
    let report = audit(&["--config", "seen.toml"]);
    let spoke: std::collections::BTreeSet<&str> = report["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|finding| finding["rule"] == "review/company-rule")
        .map(|finding| finding["message"].as_str().unwrap())
        .collect();
    assert_eq!(spoke.len(), wanted, "{spoke:?}");
}

#[test]
fn every_command_takes_the_company_s_policy_and_key_in() {
    // A token of the company's own form, in a place that nobody calls a secret.
    let token = "hbk_q8ZkXv2LmPw0TyRb";
    let setup = format!(
        r#"{{ "mcpServers": {{ "tide {token}": {{ "command": "tide", "env": {{ "MOORAGE": "q8ZkXv2LmPw0TyRbN4sJ7dHf" }} }} }} }}"#
    );
    let policy = "key_file = \"key\"\n[words]\nsecret_names = [\"moorage\"]\n[[token]]\nname = \"a harbour key\"\nform = 'hbk_[A-Za-z0-9]{16}'\n";
    let dir = Dir::new(&[("mcp.json", &setup), ("tsuba.toml", policy), ("key", "one")]);
    let named = |args: &[&str]| dir.run(args).json()["entries"][0]["credentials"][0]["fingerprint"].clone();
    assert_eq!(
        named(&["inventory", "mcp.json", "--format", "json"]),
        named(&["audit", "mcp.json", "--format", "json"])
    );
    assert!(named(&["inventory", "mcp.json", "--format", "json"]).is_string());
    dir.run(&["audit", "mcp.json", "--format", "json", "--output", "old.json"]);
    for args in [
        &["audit", "mcp.json"][..],
        &["inventory", "mcp.json"],
        &["capture", "mcp.json", "-o", "evidence"],
        &["explain", "--policy", "mcp.json"],
        &["repair", "mcp.json"],
        &["compare", "old.json", "mcp.json"],
    ] {
        let run = dir.run(args);
        let message = run.out() + &run.err();
        assert!(!message.is_empty() && !message.contains(token), "{args:?}: {message}");
    }
    // What is read as it was is no change: the key names the credential in both.
    let same = dir.run(&["compare", "old.json", "mcp.json"]);
    assert_eq!((same.status(), same.out().as_str()), (0, "changes: 0 serious, 0 notable, 0 harmless\n"));
}

#[test]
fn a_register_that_is_named_and_not_there_is_told_unless_it_is_to_be_written() {
    let dir = Dir::new(&[("mcp.json", r#"{ "mcpServers": { "tide": { "command": "tide" } } }"#), ("tsuba.toml", "")]);
    for args in [
        &["audit", "mcp.json", "--register", "none.toml"][..],
        &["repair", "mcp.json", "--register", "none.toml"],
        &["explain", "--policy", "mcp.json", "--register", "none.toml"],
        &["decisions", "--register", "none.toml"],
    ] {
        let run = dir.run(args);
        assert!(run.status() == 2 && run.err().contains("none.toml"), "{args:?}: {}", run.err());
    }
    let first = ["refuse", "mcp.json", "--entry", "tide", "--reason", "no", "--by", "ines", "--register", "new.toml"];
    assert_eq!(dir.run(&first).status(), 0);
    assert_eq!(dir.run(&["audit", "mcp.json", "--register", "new.toml", "--gate", "none"]).status(), 0);
}
