//! A file that several runs may change at once: each waits for its turn.

use std::fs::{File, OpenOptions};
use std::io;
use std::path::Path;

/// A file that is locked until this is dropped: who waited for it may hold a file that has been replaced meanwhile, and takes the new one.
pub(crate) struct Lock(pub(crate) File);

impl Lock {
    /// Makes the file where there is none, and waits until nobody else holds it.
    pub(crate) fn take(path: &Path) -> io::Result<Self> {
        loop {
            // A link that leads nowhere would have a file made wherever its author wants one.
            let dangling = path.symlink_metadata().is_ok_and(|link| link.is_symlink()) && path.metadata().is_err();
            if dangling || path.metadata().is_ok_and(|metadata| !metadata.is_file()) {
                return Err(io::Error::new(io::ErrorKind::InvalidInput, "it is no file"));
            }
            let file = OpenOptions::new().read(true).write(true).create(true).truncate(false).open(path)?;
            lock(&file)?;
            if is_current(&file, path)? {
                return Ok(Self(file));
            }
        }
    }
}

#[cfg(unix)]
fn lock(file: &File) -> io::Result<()> {
    use rustix::fs::{FlockOperation, flock};
    // It is given back when the file is closed, however the program ends.
    Ok(flock(file, FlockOperation::LockExclusive)?)
}

#[cfg(unix)]
fn is_current(file: &File, path: &Path) -> io::Result<bool> {
    use std::os::unix::fs::MetadataExt as _;
    let id = |metadata: std::fs::Metadata| (metadata.dev(), metadata.ino());
    match path.metadata() {
        Ok(now) => Ok(id(now) == id(file.metadata()?)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(false),
        Err(error) => Err(error),
    }
}

/// Elsewhere it is written by one at a time.
#[cfg(not(unix))]
fn lock(_file: &File) -> io::Result<()> {
    Ok(())
}

#[cfg(not(unix))]
fn is_current(_file: &File, _path: &Path) -> io::Result<bool> {
    Ok(true)
}
