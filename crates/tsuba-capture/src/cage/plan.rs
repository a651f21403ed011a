//! What a cage is built from. It comes to the stages over standard input, before the server's first message: what the server is handed is then
//! in no argument, in no environment but its own, and in no file.

use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::ffi::OsString;
use std::fs::File;
use std::io::{self, Read as _};
use std::os::fd::AsFd as _;
use std::path::PathBuf;

/// What the second stage builds.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(super) struct Build {
    /// The new root is put together here, on the outside.
    pub(super) root: PathBuf,
    /// What is touched is written down here, on the outside.
    pub(super) report: PathBuf,
    /// Folders and files that may be read.
    pub(super) shown: Vec<PathBuf>,
    /// What lies in them and may not.
    pub(super) hidden: Vec<PathBuf>,
}

/// What the third stage becomes.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(super) struct Start {
    /// The server's program, as it is seen inside.
    pub(super) program: PathBuf,
    pub(super) args: Vec<OsString>,
    /// Its environment, all of it.
    pub(super) env: Vec<(OsString, OsString)>,
    /// The folder it is started in.
    pub(super) cwd: PathBuf,
}

/// A plan may have so many bytes.
const MAX_BYTES: u32 = 64 << 20;

/// Both, one after the other, each with its length before it.
pub(super) fn written(build: &Build, start: &Start) -> io::Result<Vec<u8>> {
    let mut out = Vec::new();
    for text in [serde_json::to_vec(build)?, serde_json::to_vec(start)?] {
        let length = u32::try_from(text.len()).ok().filter(|length| *length <= MAX_BYTES);
        let length = length.ok_or_else(|| io::Error::new(io::ErrorKind::InvalidInput, "its command is too long"))?;
        out.extend(length.to_le_bytes());
        out.extend(text);
    }
    Ok(out)
}

/// The next one on standard input, and not a byte more: what follows is another stage's, or the server's.
pub(super) fn read<T: DeserializeOwned>() -> Result<T, String> {
    let failed = |error: &dyn std::fmt::Display| format!("no cage: its plan cannot be read ({error})");
    let mut input = File::from(io::stdin().as_fd().try_clone_to_owned().map_err(|e| failed(&e))?);
    let mut length = [0; 4];
    input.read_exact(&mut length).map_err(|e| failed(&e))?;
    let length = u32::from_le_bytes(length);
    if length > MAX_BYTES {
        return Err(failed(&"it is too long"));
    }
    let mut text = vec![0; usize::try_from(length).map_err(|e| failed(&e))?];
    input.read_exact(&mut text).map_err(|e| failed(&e))?;
    // What cannot be read is not quoted: it may hold a secret.
    serde_json::from_slice(&text).map_err(|_| failed(&"malformed"))
}
