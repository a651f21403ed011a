//! The schema of evidence files in `docs/` is current. Written anew outside of CI.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a failing test is what a panic is for")]

#[test]
fn the_evidence_schema_is_current() {
    let file = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/evidence.schema.json");
    let want = tsuba_capture::schema();
    if std::fs::read_to_string(file).unwrap_or_default() == want {
        return;
    }
    if std::env::var_os("CI").is_none() {
        std::fs::write(file, want).unwrap();
    }
    panic!("docs/evidence.schema.json is stale: written anew, run again and commit");
}
