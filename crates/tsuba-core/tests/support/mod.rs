//! Reading case files and the rules' own examples, and running one rule over them.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a failing test is what a panic is for"
)]
#![allow(dead_code, reason = "each test program uses its own part of this module")]

use std::path::PathBuf;
use tsuba_core::judge::{Options, Rule, Sequential, audit};
use tsuba_core::policy::{Advisories, Policy};
use tsuba_core::read::{Facts, Input};
use tsuba_core::register::Register;
use tsuba_core::understand::{Outcome, analyze, credential::Lexicon};

/// One case: files and the findings expected.
pub(crate) struct Case {
    pub(crate) name: String,
    pub(crate) files: Vec<Input>,
    pub(crate) expect: Vec<String>,
}

pub(crate) fn rules_folder() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("src/rules")
}

/// The rule files of the repository: `(family, name)`, sorted. A file without a rule (`shared.rs`) is not one.
pub(crate) fn rule_files() -> Vec<(String, String)> {
    let mut out = Vec::new();
    for family in std::fs::read_dir(rules_folder()).unwrap().map(|e| e.unwrap()).filter(|e| e.path().is_dir()) {
        for file in std::fs::read_dir(family.path()).unwrap().map(|e| e.unwrap().path()) {
            let is_rust = file.extension().is_some_and(|e| e == "rs");
            if is_rust && std::fs::read_to_string(&file).unwrap().contains("static RULE: Rule") {
                out.push((
                    family.file_name().into_string().unwrap(),
                    file.file_stem().unwrap().to_str().unwrap().to_owned(),
                ));
            }
        }
    }
    out.sort();
    out
}

/// Parses a case file: `=== name`, then `--- path [facts]` with its content for each file, then `--- expect`.
pub(crate) fn parse(text: &str) -> Vec<Case> {
    let mut cases = Vec::new();
    for block in text.split("=== ").skip(1) {
        let (name, body) = block.split_once('\n').expect("a case has a body");
        let (files, expect) = body.split_once("--- expect").expect("a case says what it expects");
        let expect = expect.lines().skip(1).filter(|l| !l.trim().is_empty()).map(str::to_owned).collect();
        cases.push(Case { name: name.trim().to_owned(), files: files_of(files), expect });
    }
    cases
}

/// `--- path [facts]` headed files; a text without such a head is one file whose notation its content shows.
pub(crate) fn files_of(text: &str) -> Vec<Input> {
    if !text.trim_start().starts_with("--- ") {
        return vec![Input { path: "setup".into(), bytes: text.into(), facts: Facts::default() }];
    }
    let mut out = Vec::new();
    for block in format!("\n{}", text.trim_start()).split("\n--- ").skip(1) {
        let (head, content) = block.split_once('\n').unwrap_or((block, ""));
        let mut words = head.split_whitespace();
        let path = words.next().expect("a file has a path").to_owned();
        let mut facts = Facts::default();
        for fact in words {
            match fact.split_once('=').unwrap_or((fact, "")) {
                ("tracked", _) => facts.tracked = Some(true),
                ("untracked", _) => facts.tracked = Some(false),
                ("evidence", _) => facts.evidence = true,
                ("others-read", _) => facts.others_read = Some(true),
                ("others-write", _) => facts.others_write = Some(true),
                ("private", _) => (facts.others_read, facts.others_write) = (Some(false), Some(false)),
                ("owner", owner) => facts.owner = Some(owner.to_owned()),
                ("team", team) => facts.team = Some(team.to_owned()),
                other => panic!("unknown fact {other:?}"),
            }
        }
        out.push(Input { path, bytes: content.into(), facts });
    }
    out
}

/// Runs one rule over files; each finding as `severity confidence [path:]line:column pointer`.
pub(crate) fn run(rule: &'static Rule, files: Vec<Input>) -> Vec<String> {
    let (registers, files): (Vec<Input>, Vec<Input>) =
        files.into_iter().partition(|file| file.path == "tsuba-register.toml");
    let register = registers.first().map(|file| {
        let text = String::from_utf8(file.bytes.clone()).unwrap();
        Register::read(&text).unwrap_or_else(|errors| panic!("the register: {errors:?}"))
    });
    let (policies, files): (Vec<Input>, Vec<Input>) = files.into_iter().partition(|file| file.path == "tsuba.toml");
    let policy = policies.first().map(|file| {
        Policy::read(&String::from_utf8_lossy(&file.bytes), &tsuba_core::rules::names()).expect("a policy")
    });
    let (advisories, files): (Vec<Input>, Vec<Input>) =
        files.into_iter().partition(|file| file.path.starts_with("advisories/"));
    let mut known = Advisories::default();
    advisories.iter().for_each(|file| known.extend(Advisories::read(&file.bytes).expect("an advisory")));
    let mut policy = policy.unwrap_or_default();
    policy.advisories = known.into();
    let several = files.len() > 1;
    let lexicon = Lexicon::with(policy.vocabulary.clone());
    let analyses = files
        .into_iter()
        .map(|input| match analyze(input, &lexicon) {
            Outcome::Setup(analysis) => *analysis,
            Outcome::Other => panic!("not recognised as a setup"),
            Outcome::Unread(why, line) => panic!("unread: {} in line {line:?}", why.why),
        })
        .collect();
    let options = Options { register, policy, ..Options::on(jiff::civil::date(2026, 11, 24)) };
    let outcome = audit(analyses, Vec::new(), &[rule], &options, &Sequential);
    outcome
        .findings
        .iter()
        .map(|f| {
            for name in
                rule.message.split('{').skip(1).filter_map(|rest| rest.split_once('}')).map(|(n, _)| format!("{{{n}}}"))
            {
                assert!(!f.message.as_str().contains(&name), "a word of the message is not filled in: {}", f.message);
            }
            let path = if several {
                format!("{}:", outcome.analyses[f.entry_ref.analysis].document.path)
            } else {
                String::new()
            };
            format!("{} {} {path}{}:{} {}", f.severity, f.confidence.name(), f.start.line, f.start.column, f.pointer)
                .trim_end()
                .to_owned()
        })
        .collect()
}

/// The case files of the repository: `(family, name)`, sorted.
pub(crate) fn case_files() -> Vec<(String, String)> {
    let mut out = Vec::new();
    for family in std::fs::read_dir(rules_folder()).unwrap().map(|e| e.unwrap()).filter(|e| e.path().is_dir()) {
        for file in std::fs::read_dir(family.path()).unwrap().map(|e| e.unwrap().path()) {
            if file.extension().is_some_and(|e| e == "case") {
                out.push((
                    family.file_name().into_string().unwrap(),
                    file.file_stem().unwrap().to_str().unwrap().to_owned(),
                ));
            }
        }
    }
    out.sort();
    out
}
