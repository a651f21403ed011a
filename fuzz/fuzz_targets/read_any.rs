//! Any bytes as a document.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| tsuba_core::fuzz::read_any(bytes));
