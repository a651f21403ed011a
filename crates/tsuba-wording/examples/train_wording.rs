//! Learns the weights of `src/words/learned.txt` from the texts in `training/`: `cargo run --release -p tsuba-wording --features train
//! --example train_wording`. With `--held-out` it writes nothing and tells for each writer how its texts are told by weights learned from
//! all the others; with `--score` it reads texts in the form of the training files and prints the score of each.
#![allow(
    clippy::disallowed_methods,
    clippy::expect_used,
    clippy::print_stdout,
    reason = "a tool of the workshop reads and writes files of this crate"
)]

use std::path::Path;
use tsuba_wording::{Example, held_out, scored, train};

fn main() {
    let asked = |option: &str| std::env::args().any(|argument| argument == option);
    if asked("--score") {
        let text = std::io::read_to_string(std::io::stdin()).expect("texts can be read");
        return Example::read(&text).iter().for_each(|example| println!("{}\t{}", scored(example), example.text));
    }
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let folder = std::fs::read_dir(root.join("training")).expect("the training texts can be listed");
    let mut files: Vec<_> = folder.filter_map(Result::ok).map(|file| file.path()).collect();
    files.sort();
    let texts: Vec<String> =
        files.iter().map(|file| std::fs::read_to_string(file).expect("the training texts can be read")).collect();
    let writers: Vec<Vec<Example<'_>>> = texts.iter().map(|text| Example::read(text)).collect();
    if asked("--held-out") {
        return tell(&files, &writers);
    }
    let examples: Vec<Example<'_>> = writers.into_iter().flatten().collect();
    std::fs::write(root.join("src/words/learned.txt"), train(&examples)).expect("the weights can be written");
}

/// At these scores (hundredths) the shares are told.
const BARS: &[i32] = &[-50, 0, 50, 100, 150, 200, 250];

fn tell(files: &[std::path::PathBuf], writers: &[Vec<Example<'_>>]) {
    println!("share of hostile / honest texts at or above a score, by writer held out\n{:24} {BARS:?}", "");
    let mut all: Vec<(i32, bool)> = Vec::new();
    for (index, (file, examples)) in files.iter().zip(writers).enumerate() {
        let others = writers.iter().enumerate().filter(|(other, _)| *other != index);
        let others: Vec<Example<'_>> = others.flat_map(|(_, examples)| examples.clone()).collect();
        let scores = held_out(&others, examples);
        let scored: Vec<(i32, bool)> = scores.into_iter().zip(examples).map(|(score, e)| (score, e.hostile)).collect();
        line(&file.file_stem().unwrap_or_default().to_string_lossy(), &scored);
        all.extend(scored);
    }
    line("all", &all);
}

fn line(name: &str, scored: &[(i32, bool)]) {
    let share = |hostile: bool, bar: i32| {
        let of: Vec<i32> = scored.iter().filter(|(_, kind)| *kind == hostile).map(|(score, _)| *score).collect();
        100.0 * of.iter().filter(|score| **score >= bar).count() as f64 / of.len().max(1) as f64
    };
    let shares: Vec<String> =
        BARS.iter().map(|bar| format!("{:.0}/{:.1}", share(true, *bar), share(false, *bar))).collect();
    println!("{name:24} {}", shares.join("  "));
}
