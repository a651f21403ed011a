//! Any bytes, judged: no secret is told.
#![no_main]

use libfuzzer_sys::fuzz_target;
use std::sync::LazyLock;
use tsuba_core::understand::credential::Lexicon;

static LEXICON: LazyLock<Lexicon> = LazyLock::new(Lexicon::default);

fuzz_target!(|bytes: &[u8]| tsuba_core::fuzz::study_any(bytes, &LEXICON));
