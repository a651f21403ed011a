//! The corpus: hostile and honest texts in thirteen languages, written for made-up companies. One half, chosen by hash, may be looked
//! at while the phrases and weights are written; the other half is held out and only counted.
//!
//! `TSUBA_LOOK=1 cargo test --test wording -- --nocapture` prints what goes wrong in the half that may be looked at.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::print_stdout,
    clippy::indexing_slicing,
    clippy::string_slice,
    reason = "a failing test is what a panic is for, and this one reports its figures"
)]

use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::judge::{Options, Rule, Sequential, audit};
use tsuba_core::read::Input;
use tsuba_core::text::fingerprint;
use tsuba_core::understand::{Outcome, analyze, credential::Lexicon};
use tsuba_wording::{Example, held_out, train};

/// What must be reached on the part held out.
const RECALL: f64 = 0.86;
const ALARMS: f64 = 0.01;

/// A text of the corpus.
struct Sample {
    language: String,
    hostile: bool,
    /// Hostile: the rule it is written for. Honest: `plain` or `hard`.
    label: String,
    line: String,
}

impl Sample {
    fn held_out(&self) -> bool {
        fingerprint([self.line.as_str()]).bytes().next().is_some_and(|b| b % 2 == 0)
    }
}

fn corpus() -> Vec<Sample> {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/wording");
    let mut out = Vec::new();
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()).collect();
    files.sort();
    for file in files {
        let stem = file.file_stem().unwrap().to_str().unwrap();
        let (kind, language) = stem.split_once('-').unwrap();
        for line in std::fs::read_to_string(&file).unwrap().lines().filter(|l| !l.is_empty() && !l.starts_with('#')) {
            let label = line.split('|').next().unwrap().trim().to_owned();
            out.push(Sample {
                language: language.to_owned(),
                hostile: kind == "hostile",
                label,
                line: line.to_owned(),
            });
        }
    }
    out
}

/// `\n`, `\u{200b}`.
fn unescaped(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find('\\') {
        out.push_str(&rest[..at]);
        let tail = &rest[at..];
        if let Some(code) = tail.strip_prefix("\\u{").and_then(|t| t.split_once('}')) {
            out.push(char::from_u32(u32::from_str_radix(code.0, 16).unwrap()).unwrap());
            rest = code.1;
        } else if let Some(after) = tail.strip_prefix("\\n") {
            out.push('\n');
            rest = after;
        } else {
            out.push('\\');
            rest = &tail[1..];
        }
    }
    out + rest
}

/// `label | tool | description | key=text | …` as a listing. Keys: a parameter's name, or `default.x`, `enum.x`, `title`, `instructions`,
/// `prompt`, `meta`.
fn listing(line: &str) -> Value {
    let parts: Vec<String> = line.split(" | ").map(|part| unescaped(part.trim())).collect();
    let mut properties = serde_json::Map::new();
    let mut tool = json!({ "name": parts[1], "description": parts[2] });
    let mut answer = serde_json::Map::new();
    for part in &parts[3..] {
        let (key, text) = part.split_once('=').unwrap_or_else(|| panic!("no key in {part:?} of {line}"));
        match key.split_once('.') {
            Some(("default", name)) => {
                properties.entry(name).or_insert_with(|| json!({ "type": "string" }))["default"] = json!(text)
            }
            Some(("enum", name)) => {
                properties.entry(name).or_insert_with(|| json!({ "type": "string" }))["enum"] = json!([text])
            }
            _ => match key {
                "title" => tool["title"] = json!(text),
                "instructions" => drop(answer.insert("instructions".to_owned(), json!(text))),
                "prompt" => {
                    let argument = json!([{ "name": "topic", "description": text }]);
                    answer.insert("prompts".to_owned(), json!([{ "name": "brief", "arguments": argument }]));
                }
                "meta" => tool["_meta"] = json!({ "saltmarsh.example/note": text }),
                name => drop(properties.insert(name.to_owned(), json!({ "type": "string", "description": text }))),
            },
        }
    }
    tool["inputSchema"] = json!({ "type": "object", "properties": properties });
    answer.insert("tools".to_owned(), json!([tool]));
    json!({ "jsonrpc": "2.0", "id": 1, "result": answer })
}

/// The rules of the family that speak at medium or above, with what they say.
fn describe(line: &str, rules: &[&'static Rule]) -> BTreeMap<&'static str, String> {
    let mut all = all_told(line, rules);
    all.retain(|_, said| !said.starts_with("low") && !said.starts_with("note"));
    all
}

/// The rules of the family that speak, with the worst that they say.
fn all_told(line: &str, rules: &[&'static Rule]) -> BTreeMap<&'static str, String> {
    let bytes = listing(line).to_string().into_bytes();
    let input = Input { path: "tide-desk.json".into(), bytes, ..Input::default() };
    let Outcome::Setup(analysis) = analyze(input, &Lexicon::default()) else { panic!("not recognised: {line}") };
    let options = Options { families: vec!["wording".into()], ..Options::on(jiff::civil::date(2026, 11, 25)) };
    let outcome = audit(vec![*analysis], Vec::new(), rules, &options, &Sequential);
    // The worst of a rule comes first and is inserted last.
    outcome.findings.iter().rev().map(|f| (f.rule.id, format!("{} {}", f.severity, f.message))).collect()
}

#[test]
fn hostile_texts_are_found_and_honest_ones_left_alone() {
    let rules = tsuba_core::rules::all();
    let look = std::env::var_os("TSUBA_LOOK").is_some();
    // (held out, hostile) → (as it should be, all); and by language.
    let mut counts: BTreeMap<(bool, bool), (usize, usize)> = BTreeMap::new();
    let mut languages: BTreeMap<(String, bool), (usize, usize)> = BTreeMap::new();
    let mut named = (0, 0);
    for sample in corpus() {
        let message = describe(&sample.line, &rules);
        let right = message.is_empty() != sample.hostile;
        for count in [
            counts.entry((sample.held_out(), sample.hostile)).or_default(),
            languages.entry((sample.language.clone(), sample.hostile)).or_default(),
        ] {
            count.0 += usize::from(right);
            count.1 += 1;
        }
        let own = format!("wording/{}", sample.label);
        if sample.hostile && !message.is_empty() {
            named.0 += usize::from(message.contains_key(own.as_str()));
            named.1 += 1;
        }
        if look && !sample.held_out() && !right {
            let message = if sample.hostile { all_told(&sample.line, &rules) } else { message.clone() };
            println!("{} {}", if sample.hostile { "MISSED" } else { "FALSE " }, sample.language);
            println!("       {}", sample.line);
            message.values().for_each(|message| println!("       -> {message}"));
        }
    }
    let share = |held: bool, hostile: bool| {
        let (right, all) = counts.get(&(held, hostile)).copied().unwrap_or_default();
        (right as f64 / all as f64, right, all)
    };
    for held in [false, true] {
        let (recall, found, hostile) = share(held, true);
        let (quiet, silent, honest) = share(held, false);
        println!(
            "{}: recall {recall:.3} ({found} of {hostile}), false alarms {:.3} ({} of {honest})",
            if held { "held out" } else { "to look at" },
            1.0 - quiet,
            honest - silent
        );
    }
    println!(
        "of the hostile texts that are found, {} of {} are found by the rule they are written for",
        named.0, named.1
    );
    for ((language, hostile), (right, all)) in &languages {
        println!("  {language} {}: {right} of {all}", if *hostile { "hostile" } else { "honest" });
    }
    assert!(share(true, true).0 >= RECALL, "recall on the part held out");
    assert!(share(true, false).0 >= 1.0 - ALARMS, "false alarms on the part held out");
    assert!(named.0 * 10 >= named.1 * 7, "most texts are found for what they are");
}

/// The training texts, by writer.
fn training() -> Vec<(String, String)> {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../tsuba-wording/training");
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|file| file.unwrap().path()).collect();
    files.sort();
    let name = |file: &std::path::Path| file.file_stem().unwrap().to_string_lossy().into_owned();
    files.iter().map(|file| (name(file), std::fs::read_to_string(file).unwrap())).collect()
}

#[test]
fn the_weights_are_what_the_training_texts_give() {
    let writers = training();
    let examples: Vec<Example<'_>> = writers.iter().flat_map(|(_, text)| Example::read(text)).collect();
    let written = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../tsuba-wording/src/words/learned.txt");
    let same = std::fs::read_to_string(written).unwrap() == train(&examples);
    assert!(same, "stale: cargo run --release -p tsuba-wording --features train --example train_wording");
}

/// Nobody writes like somebody else: what is learned carries over only if it holds for whole writers that nothing was learned from. These
/// scores are those of single sentences without the acts; half of the honest ones are pairs of hostile ones, word for word.
#[test]
fn what_is_learned_holds_for_writers_it_was_not_learned_from() {
    let apart = ["w04-security", "w08-conditions", "w09-agent-tools", "w12-honest-hard"];
    let writers = training();
    let read = |held: bool| -> Vec<Example<'_>> {
        let chosen = writers.iter().filter(|(name, _)| apart.contains(&name.as_str()) == held);
        chosen.flat_map(|(_, text)| Example::read(text)).collect()
    };
    let (others, held) = (read(false), read(true));
    assert!(held.len() > 500 && others.len() > held.len());
    let scores = held_out(&others, &held);
    let share = |hostile: bool, bar: i32| {
        let of: Vec<i32> = scores.iter().zip(&held).filter(|(_, e)| e.hostile == hostile).map(|(s, _)| *s).collect();
        of.iter().filter(|score| **score >= bar).count() as f64 / of.len() as f64
    };
    for bar in [-50, 0, 35, 150, 225] {
        println!("from {bar}: {:.3} of the hostile, {:.3} of the honest", share(true, bar), share(false, bar));
    }
    assert!(share(true, 35) >= 0.40 && share(false, 35) <= 0.06);
    assert!(share(false, 225) <= 0.01);
}

#[test]
fn what_is_held_out_is_not_trained_on() {
    let writers = training();
    let plain = |text: &str| text.to_lowercase().replace(|c: char| !c.is_alphanumeric(), "");
    let trained: BTreeSet<String> =
        writers.iter().flat_map(|(_, text)| Example::read(text)).map(|example| plain(example.text)).collect();
    let seen: Vec<String> = corpus()
        .iter()
        .filter(|sample| sample.held_out())
        .flat_map(|sample| {
            let parts =
                sample.line.split(" | ").skip(2).map(|part| part.split_once('=').map_or(part, |(_, text)| text));
            parts.flat_map(|part| part.split_inclusive(". ").map(plain).chain([plain(part)])).collect::<Vec<_>>()
        })
        // Two or three words are nobody's.
        .filter(|part| part.len() > 20 && trained.contains(part))
        .collect();
    assert_eq!(seen.len(), 0, "texts that are held out are trained on");
}

#[test]
fn the_corpus_has_every_class_and_language() {
    let corpus = corpus();
    let of = |hostile: bool| corpus.iter().filter(move |s| s.hostile == hostile);
    assert!(of(true).count() >= 300, "{} hostile", of(true).count());
    assert!(of(false).count() >= 400, "{} honest", of(false).count());
    assert!(
        of(false).filter(|s| s.label == "hard").count() * 2 >= of(false).count(),
        "half of the honest texts are hard"
    );
    let labels: BTreeSet<String> = of(true).map(|s| format!("wording/{}", s.label)).collect();
    let by_text = tsuba_core::rules::all().into_iter().filter(|r| r.id.starts_with("wording/"));
    for rule in by_text.filter(|r| !["wording/oversized", "wording/lookalike-name"].contains(&r.id)) {
        assert!(labels.contains(rule.id), "no text for {}", rule.id);
    }
    let languages: BTreeSet<&str> = of(true).map(|s| s.language.as_str()).collect();
    assert_eq!(languages.len(), 13, "{languages:?}");
    let unique: BTreeSet<&str> = corpus.iter().map(|s| s.line.as_str()).collect();
    assert_eq!(unique.len(), corpus.len(), "a text stands twice");
    let half = corpus.iter().filter(|s| s.held_out()).count();
    assert!((corpus.len() * 2 / 5..=corpus.len() * 3 / 5).contains(&half), "{half} of {} held out", corpus.len());
}
