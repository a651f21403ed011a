//! Any line that a setup starts.
#![no_main]

use libfuzzer_sys::fuzz_target;
use std::sync::LazyLock;
use tsuba_core::understand::credential::Lexicon;

static LEXICON: LazyLock<Lexicon> = LazyLock::new(Lexicon::default);

fuzz_target!(|line: &str| tsuba_core::fuzz::launch_line(line, &LEXICON));
