//! Any policy, register, list of signers, signature.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| tsuba_core::fuzz::files_of_ours(text));
