//! Whose certificates are trusted by a command that calls somebody.

use anyhow::Context as _;
use std::path::Path;
use tsuba_capture::Trust;
use tsuba_find::read_regular;

/// A file of certificates has no more bytes.
const MAX_CERTIFICATES: u64 = 16 << 20;

/// The system's certificates, and those of a file that is named.
///
/// # Errors
/// Where the file cannot be read, or holds no certificate.
pub(crate) fn trust(ca: Option<&Path>) -> anyhow::Result<Trust> {
    let bytes = ca
        .map(|path| read_regular(path, MAX_CERTIFICATES).with_context(|| format!("cannot read {}", path.display())))
        .transpose()?;
    Trust::system_and(bytes.as_deref())
        .map_err(|why| anyhow::anyhow!("{}: {why}", ca.unwrap_or(Path::new("the system's certificates")).display()))
}
