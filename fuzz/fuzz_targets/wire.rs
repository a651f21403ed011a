//! Any bytes from a server: lines, events, messages.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| tsuba_capture::wire::fuzz(bytes));
