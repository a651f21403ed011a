//! The documents in `docs/` that are written from the program's own data are current. Written anew outside of CI.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a failing test is what a panic is for"
)]

use std::path::PathBuf;

fn current(name: &str, want: &str) {
    let file = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../docs").join(name);
    if std::fs::read_to_string(&file).unwrap_or_default() == want {
        return;
    }
    if std::env::var_os("CI").is_none() {
        std::fs::write(&file, want).unwrap();
    }
    panic!("docs/{name} is stale: written anew, run again and commit");
}

#[test]
fn the_rules_document_is_current() {
    current("rules.md", &tsuba_report::rules::document());
}

#[test]
fn the_report_schema_is_current() {
    current("report.schema.json", &tsuba_report::schema());
}
