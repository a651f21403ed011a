//! How fast listings are read: `cargo run --release -p tsuba-core --example wording_speed -- FILE…`. One line a file: the text in it, the
//! time, and megabytes of text a second on one core: of the whole study of the document, from its bytes on, and of reading the texts
//! alone.
#![allow(
    clippy::print_stdout,
    clippy::disallowed_methods,
    clippy::expect_used,
    reason = "a measuring tool reads files and the clock, and reports"
)]

use std::time::Instant;
use tsuba_core::read::Input;
use tsuba_core::understand::{Outcome, analyze, credential::Lexicon};
use tsuba_core::wording;

fn main() {
    let lexicon = Lexicon::default();
    for path in std::env::args().skip(1) {
        let bytes = std::fs::read(&path).expect("the file can be read");
        let started = Instant::now();
        let outcome = analyze(Input { path: path.clone(), bytes, ..Input::default() }, &lexicon);
        let seconds = started.elapsed().as_secs_f64();
        match outcome {
            Outcome::Setup(analysis) => {
                let passages = analysis.listings.iter().flat_map(|listing| &listing.passages);
                let text: usize = passages.map(|passage| passage.at.text.len()).sum();
                let remarks: usize = analysis.heard.iter().map(|heard| heard.remarks.len()).sum();
                let megabytes = text as f64 / 1e6;
                let started = Instant::now();
                let again: usize =
                    analysis.listings.iter().map(|listing| wording::read(&listing.said()).remarks.len()).sum();
                let alone = started.elapsed().as_secs_f64();
                assert_eq!(again, remarks, "the same text says the same");
                println!(
                    "{path}: {megabytes:.1} MB of text in {seconds:.2} s, {:.1} MB/s; the texts alone {alone:.2} s, {:.1} MB/s; {remarks} \
                     remarks",
                    megabytes / seconds,
                    megabytes / alone
                );
            }
            Outcome::Other => println!("{path}: not a listing"),
            Outcome::Unread(unreadable, _) => println!("{path}: {} ({seconds:.2} s)", unreadable.why),
        }
    }
}
