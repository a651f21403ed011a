//! Learns the weights of `src/wording/words/learned.txt` from the texts in `training/`: `cargo run -p tsuba-core --example train_wording`.
#![allow(clippy::disallowed_methods, clippy::expect_used, reason = "a tool of the workshop reads and writes files of this crate")]

use std::path::Path;
use tsuba_core::wording::{Example, train};

fn main() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let read = |name: &str| std::fs::read_to_string(root.join("training").join(name)).expect("the training texts can be read");
    let (hostile, honest) = (read("hostile-en.txt"), read("honest-en.txt"));
    let examples: Vec<Example<'_>> = [(&hostile, true), (&honest, false)]
        .into_iter()
        .flat_map(|(texts, hostile)| texts.lines().filter(|l| !l.is_empty()).map(move |line| (line, hostile)))
        .map(|(line, hostile)| {
            let text = line.strip_prefix("@p ");
            Example { text: text.unwrap_or(line), parameter: text.is_some(), hostile }
        })
        .collect();
    std::fs::write(root.join("src/wording/words/learned.txt"), train(&examples)).expect("the weights can be written");
}
