//! Any description of a tool.
#![no_main]

use libfuzzer_sys::fuzz_target;
use std::sync::LazyLock;
use tsuba_core::understand::credential::Lexicon;

static LEXICON: LazyLock<Lexicon> = LazyLock::new(Lexicon::default);

fuzz_target!(|text: &str| tsuba_core::fuzz::wording_text(text, &LEXICON));
