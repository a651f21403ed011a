//! What a policy says, and how its mistakes are told.

use super::*;
use crate::read::{Facts, Input};
use crate::understand::credential::Lexicon;
use crate::understand::{Outcome, analyze};

fn read(text: &str) -> Result<Policy, Vec<PolicyError>> {
    Policy::read(text, &crate::rules::names())
}

/// How much a finding of a rule weighs with a policy.
fn weighed(policy: &Policy, rule: &str, path: &str, own: Severity) -> Severity {
    let required = crate::rules::find(rule).unwrap().ways.required;
    policy.severity((&[rule], required), path, own).severity
}

fn said(ruling: Ruling<'_>) -> &'static str {
    match ruling {
        Ruling::Unsaid => "unsaid",
        Ruling::Allowed(_) => "allowed",
        Ruling::NotAllowed(_) => "not allowed",
        Ruling::Refused(_) => "refused",
    }
}

#[test]
fn what_is_allowed_and_refused() {
    let policy = read(
        r#"gate = "medium"
[allow]
packages = ["npm:@saltmarsh/*", "pypi:saltmarsh-*@>=1.2,<2", "image:saltmarsh/*"]
hosts = ["*.saltmarsh-line.example"]
[refuse]
packages = ["npm:@saltmarsh/part-finder", "npm:@saltmarsh/rota@<2"]
sources = ["url"]
"#,
    )
    .unwrap();
    for (source, name, version, want) in [
        ("npm", "@saltmarsh/tide-table", None, "allowed"),
        ("npm", "tide-table", Some("1.0.0"), "not allowed"),
        ("npm", "@saltmarsh/part-finder", Some("9.0.0"), "refused"),
        ("npm", "@saltmarsh/rota", Some("1.9.0"), "refused"),
        ("npm", "@saltmarsh/rota", Some("2.0.0"), "allowed"),
        ("pypi", "saltmarsh-fares", Some("1.4"), "allowed"),
        ("pypi", "saltmarsh-fares", Some("2.0"), "not allowed"),
        ("pypi", "saltmarsh-fares", None, "not allowed"),
        ("image", "saltmarsh/quay-files", Some("1"), "allowed"),
        ("url", "https://x.example/a.tgz", None, "refused"),
    ] {
        assert_eq!(said(policy.package(source, name, version)), want, "{source} {name} {version:?}");
    }
    assert_eq!(said(policy.host("tides.saltmarsh-line.example")), "allowed");
    assert_eq!(said(policy.host("tides.example")), "not allowed");
    assert_eq!(policy.gate, Some(Severity::Medium));
    assert_eq!(said(Policy::default().host("tides.example")), "unsaid");
}

#[test]
fn severities_are_set_by_rule_and_path() {
    let policy = read(
        r#"[[severity]]
rule = "supply/*"
severity = "low"
[[severity]]
rule = "supply/unpinned"
paths = ["prod/**"]
severity = "critical"
"#,
    )
    .unwrap();
    for (rule, path, want) in [
        ("supply/unpinned", "dev/mcp.json", Severity::Low),
        ("supply/unpinned", "prod/a/mcp.json", Severity::Critical),
        ("power/shell", "prod/a/mcp.json", Severity::High),
    ] {
        assert_eq!(weighed(&policy, rule, path, Severity::High), want, "{rule} {path}");
    }
}

#[test]
fn every_mistake_is_told_with_its_place() {
    for (text, place, why) in [
        ("gate = \"loud\"", (1, 8), "invalid severity `loud`"),
        ("[[severity]]\nrule = \"supply/unpined\"\nseverity = \"low\"", (2, 8), "did you mean supply/unpinned?"),
        ("[[severity]]\nrule = \"supply/*\"", (1, 1), "has a rule"),
        ("[allow]\npackages = [\"tide-table\"]", (2, 13), "is written as"),
        ("[allow]\npackages = [\"npm:t@^x\"]", (2, 13), "no range"),
        (
            "[refuse]\nhost = [\"a\"]",
            (2, 1),
            "unknown key `host`; did you mean `hosts`? expected one of packages, sources, hosts",
        ),
        ("[refuse]\nhosts = [\"a[\"]", (2, 10), "not a pattern"),
        ("[refuse]\nsources = [\"web\"]", (2, 12), "unknown source; expected one of npm"),
        ("[refuse]\nhosts = \"a.example\"", (2, 9), "not a list"),
        ("refuse = \"a\"", (1, 10), "not a table"),
        ("[severity]\nrule = \"supply/*\"", (1, 1), "not a list"),
        ("[[severity]]\nrule = \"supply/*\"\nseverity = \"low\"\npaths = \"a/**\"", (4, 9), "not a list"),
        ("[allow]\nscopes = [1]", (2, 11), "not a pattern"),
        ("[allow]\nidentity_providers = \"a\"", (2, 22), "not a list"),
        ("[[folders]]\nteams = [\"Harbour\"]", (1, 1), "has allow or refuse"),
        ("[[folders]]\nteams = \"Harbour\"\nallow = [\"./**\"]", (2, 9), "not a list"),
        ("[require]\npin = \"tight\"", (2, 7), "exact"),
        ("[require]\ntls = false", (2, 7), "tls = true"),
        ("[require]\ntoken_days = 0", (2, 14), "from 1 to 3650"),
        ("[require]\npins = \"exact\"", (2, 1), "did you mean `pin`?"),
        ("[[token]]\nname = \"a key\"\nform = '.*'", (3, 8), "ordinary words"),
        ("[[token]]\nname = \"a key\"", (1, 1), "form is missing"),
        ("[words]\nnames = [\"a\"]", (2, 1), "expected one of secret_names"),
        ("[[rule]]\nname = \"n\"\nsays = \"s\"", (1, 1), "when is missing"),
        (
            "[[rule]]\nname = \"n\"\nsays = \"s\"\nwhen = 'entry.nam == \"x\"'",
            (4, 8),
            "there is no field nam; did you mean name?",
        ),
        (
            "[[rule]]\nname = \"n\"\nsays = \"s\"\nwhen = 'entry.name == '",
            (4, 23),
            "invalid expression: it ends too early",
        ),
        ("[[rule]]\nname = \"n\"\nsays = \"s\"\nwhen = 'server.name == \"\"'", (4, 8), "called entry"),
        ("[[rule]]\nname = \"n\"\nsays = \"s\"\nwhen = 'entry.name'", (4, 8), "else than true or false"),
        (
            "[[rule]]\nname = \"n\"\nsays = \"s\"\nwhen = 'entry.reach.hosts.map(h, [h, h]) == []'",
            (4, 30),
            "map is not offered",
        ),
    ] {
        let errors = read(text).unwrap_err();
        let [error] = errors.as_slice() else { panic!("{errors:?}") };
        assert_eq!((error.line, error.column), place, "{text}: {error}");
        assert!(error.why.contains(why), "{text}: {error}");
    }
    assert_eq!(read("gate = \"x\"\n[refuse]\nsources = [1]").unwrap_err().len(), 2);
    for (when, why) in [
        ("entry.name = \"x\"", "write =="),
        ("entry.name == \"x\" and true", "write && instead of and"),
        ("entry.name == \"x", "has no end"),
        ("entry.name # 3", "# is no sign of this language"),
        ("(entry.name == \"x\"", ") is missing"),
        ("entry.name == \"x\")", ") is not expected here"),
        ("&& true", "&& is not expected here"),
        ("entry..name", ".. is not expected here"),
        ("entry.launch.versoin == \"x\"", "did you mean version?"),
    ] {
        let errors = read(&format!("[[rule]]\nname = \"n\"\nsays = \"s\"\nwhen = '''{when}'''")).unwrap_err();
        assert!(errors[0].why.contains(why), "{when}: {}", errors[0].why);
        // None of the words of a parser.
        assert!(
            !["Syntax", "EOF", "token", "IDENTIFIER"].iter().any(|word| errors[0].why.contains(word)),
            "{when}: {}",
            errors[0].why
        );
    }
}

#[test]
fn what_is_required_weighs_at_least_high() {
    let policy = read("[require]\npin = \"exact\"\ntls = true\ntoken_days = 30\n").unwrap();
    for (rule, own, want) in [
        ("supply/unpinned", Severity::Medium, Severity::High),
        ("supply/unpinned", Severity::Critical, Severity::Critical),
        // Of an entry that is switched off.
        ("supply/unpinned", Severity::Note, Severity::Note),
        ("supply/no-digest", Severity::Low, Severity::Low),
        ("exposure/plain-http", Severity::Medium, Severity::High),
        ("scope/long-lived", Severity::Low, Severity::High),
        ("power/shell", Severity::Medium, Severity::Medium),
    ] {
        assert_eq!(weighed(&policy, rule, "a.json", own), want, "{rule} {own}");
    }
    assert_eq!(policy.token_days(), Some(30));
    let digest = read("[require]\npin = \"digest\"").unwrap();
    assert_eq!(weighed(&digest, "supply/no-digest", "a.json", Severity::Low), Severity::High);
}

#[test]
fn the_company_knows_its_own_words_and_tokens() {
    let policy = "[words]\nsecret_names = [\"moorage\"]\npublic_names = [\"berth_key\"]\nplaceholders = [\"ask-the-harbour\"]\n[[token]]\nname = \"a harbour key\"\nform = 'hbk_[A-Za-z0-9]{16}'\n[[token]]\nname = \"a berth sign\"\nform = 'sign_[A-Za-z0-9]{16}'\npublic = true\n";
    let vocabulary = read(policy).unwrap().vocabulary;
    let (own, plain) = (Lexicon::with(vocabulary), Lexicon::default());
    let kinds = |lexicon: &Lexicon, name: &str, value: &str| -> Vec<&'static str> {
        let text = format!(r#"{{ "mcpServers": {{ "t": {{ "command": "t", "env": {{ "{name}": "{value}" }} }} }} }}"#);
        let input = Input { path: "a.json".into(), bytes: text.into(), facts: Facts::default() };
        let Outcome::Setup(analysis) = analyze(input, lexicon) else { panic!("not a setup") };
        analysis.entries[0].credentials.iter().map(|credential| credential.kind.name()).collect()
    };
    for (name, value, with, without) in [
        ("MOORAGE", "north-quay-seven", vec!["plaintext"], vec![]),
        ("HARBOUR_MOORAGE", "north-quay-seven", vec!["plaintext"], vec![]),
        ("BERTH_KEY", "q8ZkXv2LmPw0TyRbN4sJ7dHf", vec!["public"], vec!["plaintext"]),
        ("TIDE_TOKEN", "ask-the-harbour", vec!["placeholder"], vec!["plaintext"]),
        ("SETTING", "hbk_q8ZkXv2LmPw0TyRb", vec!["plaintext"], vec![]),
        ("TIDE_TOKEN", "sign_q8ZkXv2LmPw0TyRb", vec!["public"], vec!["plaintext"]),
        ("NOTE", "the harbour is open", vec![], vec![]),
    ] {
        assert_eq!(kinds(&own, name, value), with, "{name} {value}");
        assert_eq!(kinds(&plain, name, value), without, "{name} {value}");
    }
}

#[test]
fn loops_of_an_expression_are_bounded() {
    let items: Vec<String> = (0..300).map(|at| format!("\"a{at}\"")).collect();
    let text = format!(r#"{{ "mcpServers": {{ "t": {{ "command": "t", "args": [{}] }} }} }}"#, items.join(", "));
    let input = Input { path: "a.json".into(), bytes: text.into(), facts: Facts::default() };
    let Outcome::Setup(analysis) = analyze(input, &Lexicon::default()) else { panic!("not a setup") };
    for (when, want) in [
        ("entry.launch.args.all(a, entry.launch.args.exists(b, a == b))", Applied::Failed(String::new())),
        ("entry.launch.args.all(a, a.startsWith('a'))", Applied::Speaks),
        ("size(entry.launch.args.filter(a, a.matches('^a29[0-9]$'))) == 10", Applied::Speaks),
        ("entry.launch.args.exists_one(a, a == 'a7')", Applied::Speaks),
        ("entry.launch.args.exists(a, a == 'b')", Applied::Silent),
    ] {
        let policy = format!("[[rule]]\nname = \"n\"\nsays = \"s\"\nwhen = \"{when}\"");
        let policy = read(&policy).unwrap();
        let applied = policy.own_rules(&[], (&analysis, &analysis.entries[0]), None);
        match (&applied[0].1, &want) {
            (Applied::Failed(why), Applied::Failed(_)) => assert!(why.contains("rounds"), "{why}"),
            (found, want) => assert_eq!(found, want, "{when}"),
        }
    }
}

#[test]
fn the_example_of_the_documents_is_a_policy() {
    let text = include_str!("../../../../docs/policy.md");
    let example = text.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
    let policy = read(example).unwrap_or_else(|errors| panic!("{errors:?}"));
    // Every table and key that there is stands in it.
    for key in Policy::KEYS {
        assert!(example.contains(&format!("{key} =")) || example.contains(&format!("[{key}]")), "{key}");
    }
    assert!(policy.judging_lines().len() > 12);
}
