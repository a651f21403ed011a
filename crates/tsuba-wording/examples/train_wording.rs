//! Learns the weights of `src/words/learned.txt` from the texts in `training/`: `cargo run -p tsuba-wording --features train --example train_wording`.
#![allow(
    clippy::disallowed_methods,
    clippy::expect_used,
    reason = "a tool of the workshop reads and writes files of this crate"
)]

use std::path::Path;
use tsuba_wording::{Example, train};

fn main() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let read =
        |name: &str| std::fs::read_to_string(root.join("training").join(name)).expect("the training texts can be read");
    let (hostile, honest) = (read("hostile-en.txt"), read("honest-en.txt"));
    let examples: Vec<Example<'_>> = Example::read(&hostile, true).chain(Example::read(&honest, false)).collect();
    std::fs::write(root.join("src/words/learned.txt"), train(&examples)).expect("the weights can be written");
}
