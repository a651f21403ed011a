//! Reports that were written earlier.

use anyhow::{Context as _, bail};
use std::io::Read;
use std::path::Path;
use tsuba_core::decide::drift::Snapshot;
use tsuba_find::read_regular;
use tsuba_report::Report;

/// A report of more bytes is not read.
const MAX_REPORT_BYTES: u64 = 1 << 30;

/// The bytes of a report, unpacked where it is packed (gzip or Zstandard), whatever it is called.
pub(crate) fn bytes(path: &Path) -> anyhow::Result<Vec<u8>> {
    let message = || format!("cannot read the report {}", path.display());
    let bytes = if path.as_os_str() == "-" {
        let mut bytes = Vec::new();
        std::io::stdin().take(MAX_REPORT_BYTES).read_to_end(&mut bytes).with_context(message)?;
        bytes
    } else {
        read_regular(path, MAX_REPORT_BYTES).with_context(message)?
    };
    if bytes.starts_with(&[0x1F, 0x8B]) {
        unpacked(flate2::read::MultiGzDecoder::new(&*bytes)).with_context(message)
    } else if bytes.starts_with(&[0x28, 0xB5, 0x2F, 0xFD]) {
        let decoder = ruzstd::decoding::StreamingDecoder::new(&*bytes);
        decoder.map_err(std::io::Error::other).and_then(unpacked).with_context(message)
    } else {
        Ok(bytes)
    }
}

/// What is packed may be small and unpack to any size.
fn unpacked(packed: impl Read) -> std::io::Result<Vec<u8>> {
    let mut out = Vec::new();
    packed.take(MAX_REPORT_BYTES + 1).read_to_end(&mut out)?;
    let fits = u64::try_from(out.len()).is_ok_and(|length| length <= MAX_REPORT_BYTES);
    if fits { Ok(out) } else { Err(std::io::Error::other("it unpacks to more than a report may have")) }
}

/// The day of a report, without reading the rest of it.
pub(crate) fn day(path: &Path, bytes: &[u8]) -> anyhow::Result<String> {
    #[derive(serde::Deserialize)]
    struct Day {
        as_of: String,
    }
    match serde_json::from_slice(bytes) {
        Ok(Day { as_of }) => Ok(as_of),
        Err(_) => bail!("{}: no report of `tsuba audit --format json` (tsuba-report/2 or /1)", path.display()),
    }
}

/// Reads a report whole, to write it in another format.
pub(crate) fn report(path: &Path) -> anyhow::Result<Report> {
    report_in(path, &bytes(path)?)
}

/// Likewise, from the bytes of a file.
pub(crate) fn report_in(path: &Path, bytes: &[u8]) -> anyhow::Result<Report> {
    // A parser's own message may quote the file.
    tsuba_report::read(bytes).map_err(|why| anyhow::anyhow!("{}: {why}", path.display()))
}

/// Reads a report of this or an earlier version, as far as drift is told from it.
pub(crate) fn snapshot(path: &Path) -> anyhow::Result<Snapshot> {
    let snapshot: Option<Snapshot> = serde_json::from_slice(&bytes(path)?).ok();
    match snapshot.filter(Snapshot::is_known) {
        Some(snapshot) => Ok(snapshot),
        None => bail!("{}: no report of `tsuba audit --format json` (tsuba-report/2 or /1)", path.display()),
    }
}
