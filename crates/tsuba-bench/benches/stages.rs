//! How fast each stage of an audit works, in memory and on one thread: `cargo bench -p tsuba-bench`. Each figure is for all documents of a small
//! company at once; what is not meant is made before the clock runs.
#![allow(clippy::unwrap_used, reason = "a measurement that cannot be made ends")]

use divan::{Bencher, counter::BytesCount};
use std::sync::LazyLock;
use tsuba_bench::{Size, company};
use tsuba_core::judge::{Audit, Options, Sequential, audit};
use tsuba_core::read::{Document, Input, read};
use tsuba_core::understand::{Analysis, Outcome, analyze, credential::Lexicon};
use tsuba_report::{Format, RenderOptions, Report};

fn main() {
    divan::main();
}

/// Everything in the company that says something about tool servers.
static INPUTS: LazyLock<Vec<Input>> = LazyLock::new(|| {
    let mut all = Vec::new();
    company(Size { files: 1_200, setups: 400 }, 1, |path, bytes| {
        all.push(Input { path: path.to_owned(), bytes: bytes.to_vec(), ..Input::default() });
    });
    let lexicon = Lexicon::default();
    all.retain(|input| matches!(analyze(input.clone(), &lexicon), Outcome::Setup(_)));
    all
});

fn bytes() -> BytesCount {
    BytesCount::from(INPUTS.iter().map(|input| input.bytes.len()).sum::<usize>())
}

fn documents() -> Vec<Document> {
    INPUTS.iter().filter_map(|input| read(input.clone()).ok()).collect()
}

fn analyses() -> Vec<Analysis> {
    let lexicon = Lexicon::default();
    let of = |input: &Input| match analyze(input.clone(), &lexicon) {
        Outcome::Setup(analysis) => Some(*analysis),
        Outcome::Other | Outcome::Unread(..) => None,
    };
    INPUTS.iter().filter_map(of).collect()
}

fn audited(analyses: Vec<Analysis>) -> Audit {
    audit(analyses, Vec::new(), &tsuba_core::rules::all(), &Options::on(jiff::civil::date(2026, 11, 25)), &Sequential)
}

fn reported(audit: &Audit) -> Report {
    Report::new(audit, &[], jiff::civil::date(2026, 11, 25), "0", &Sequential)
}

/// Bytes to documents.
#[divan::bench]
fn reading(bencher: Bencher) {
    bencher.counter(bytes()).bench(documents);
}

/// Bytes to entries: reading is part of it.
#[divan::bench]
fn understanding(bencher: Bencher) {
    bencher.counter(bytes()).bench(analyses);
}

/// The texts of all listings alone.
#[divan::bench]
fn wording(bencher: Bencher) {
    let analyses = analyses();
    let listings: Vec<_> = analyses.iter().flat_map(|analysis| &analysis.listings).collect();
    let text: usize = listings.iter().flat_map(|listing| &listing.passages).map(|passage| passage.at.text.len()).sum();
    let read = || listings.iter().map(|listing| tsuba_core::wording::read(&listing.said()).orders.len()).sum::<usize>();
    bencher.counter(BytesCount::from(text)).bench(read);
}

/// Entries to findings.
#[divan::bench]
fn judging(bencher: Bencher) {
    let analyses = analyses();
    bencher.with_inputs(|| analyses.clone()).bench_values(audited);
}

/// Findings to rows.
#[divan::bench]
fn reporting(bencher: Bencher) {
    let audit = audited(analyses());
    bencher.bench(|| reported(&audit));
}

/// Rows to text and to JSON.
#[divan::bench(args = ["text", "json"])]
fn writing(bencher: Bencher, format: &str) {
    let report = reported(&audited(analyses()));
    let format = if format == "json" { Format::Json } else { Format::Text };
    bencher.bench(|| {
        format
            .renderer(RenderOptions { width: 100, colour: false, most: None, orders: false })
            .render(&report, &mut std::io::sink())
            .unwrap()
    });
}
