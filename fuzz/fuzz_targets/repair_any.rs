//! Any document, mended.
#![no_main]

use libfuzzer_sys::fuzz_target;
use std::sync::LazyLock;
use tsuba_core::understand::credential::Lexicon;

static LEXICON: LazyLock<Lexicon> = LazyLock::new(Lexicon::default);

fuzz_target!(|bytes: &[u8]| tsuba_core::fuzz::repair_any(bytes, &LEXICON));
