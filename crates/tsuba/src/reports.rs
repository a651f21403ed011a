//! Reports that were written earlier.

use anyhow::{Context as _, bail};
use std::path::Path;
use tsuba_core::decide::drift::Snapshot;
use tsuba_find::read_regular;
use tsuba_report::Report;

/// A report of more bytes is not read.
const MAX_REPORT_BYTES: u64 = 1 << 30;

fn bytes(path: &Path) -> anyhow::Result<Vec<u8>> {
    read_regular(path, MAX_REPORT_BYTES).with_context(|| format!("cannot read the report {}", path.display()))
}

/// Reads a report whole, to write it in another format.
pub(crate) fn report(path: &Path) -> anyhow::Result<Report> {
    // A parser's own message may quote the file.
    tsuba_report::read(&bytes(path)?).map_err(|why| anyhow::anyhow!("{}: {why}", path.display()))
}

/// Reads a report of this or an earlier version, as far as drift is told from it.
pub(crate) fn snapshot(path: &Path) -> anyhow::Result<Snapshot> {
    let snapshot: Option<Snapshot> = serde_json::from_slice(&bytes(path)?).ok();
    match snapshot.filter(Snapshot::is_known) {
        Some(snapshot) => Ok(snapshot),
        None => bail!("{}: no report of `tsuba audit --format json` (tsuba-report/2 or /1)", path.display()),
    }
}
