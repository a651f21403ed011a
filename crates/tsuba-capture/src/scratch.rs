//! Folders for the time of a capture. One that a killed capture left behind is cleared by the next.

use rustix::fs::{FlockOperation, flock};
use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};
use std::time::Duration;
use tempfile::TempDir;

/// How the names of such folders begin.
const PREFIX: &str = "tsuba-scratch-";
/// A file in each, locked for as long as its owner lives.
const LOCK: &str = "lock";
/// A folder without a lock that is younger than this may be in the making.
const YOUNG: Duration = Duration::from_secs(60);
/// More folders are not looked at in one clearing.
const MAX_FOLDERS: usize = 4096;

/// A folder that is gone when this is dropped.
#[derive(Debug)]
pub(crate) struct Scratch {
    folder: TempDir,
    _lock: File,
}

impl Scratch {
    /// A new one, which only its owner may enter.
    pub(crate) fn new() -> io::Result<Self> {
        let folder = tempfile::Builder::new().prefix(PREFIX).tempdir()?;
        let lock = File::create_new(folder.path().join(LOCK))?;
        flock(&lock, FlockOperation::NonBlockingLockExclusive)?;
        Ok(Self { folder, _lock: lock })
    }

    /// Where it is.
    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }
}

/// Clears what captures that were killed have left behind.
pub(crate) fn clear_abandoned() {
    abandoned(&std::env::temp_dir()).into_iter().for_each(|folder| {
        // What cannot be cleared today is cleared another day.
        let _left = fs::remove_dir_all(folder);
    });
}

/// The folders whose owner is gone. Those of other people cannot be opened, and are theirs to clear.
fn abandoned(within: &Path) -> Vec<PathBuf> {
    let Ok(all) = fs::read_dir(within) else { return Vec::new() };
    let own = rustix::process::geteuid().as_raw();
    let named = all.flatten().filter(|entry| entry.file_name().to_string_lossy().starts_with(PREFIX)).take(MAX_FOLDERS);
    named.map(|entry| entry.path()).filter(|folder| is_abandoned(folder, own)).collect()
}

fn is_abandoned(folder: &Path, own: u32) -> bool {
    use std::os::unix::fs::MetadataExt as _;
    let Ok(facts) = folder.symlink_metadata() else { return false };
    if !facts.is_dir() || facts.uid() != own {
        return false;
    }
    match File::open(folder.join(LOCK)) {
        Ok(lock) => flock(&lock, FlockOperation::NonBlockingLockExclusive).is_ok(),
        Err(_) => facts.modified().ok().and_then(|time| time.elapsed().ok()).is_some_and(|age| age > YOUNG),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_nobody_holds_is_abandoned() {
        let within = tempfile::tempdir().unwrap();
        let folder = |name: &str| {
            let folder = within.path().join(name);
            fs::create_dir(&folder).unwrap();
            folder
        };
        let (held, left) = (folder("tsuba-scratch-held"), folder("tsuba-scratch-left"));
        // One that is in the making has no lock yet; another program's folder is nobody's business.
        folder("tsuba-scratch-new");
        let other = folder("other");
        for folder in [&held, &left, &other] {
            fs::write(folder.join(LOCK), "").unwrap();
        }
        let lock = File::open(held.join(LOCK)).unwrap();
        flock(&lock, FlockOperation::NonBlockingLockExclusive).unwrap();
        assert_eq!(abandoned(within.path()), std::slice::from_ref(&left));
        drop(lock);
        let mut both = abandoned(within.path());
        both.sort();
        assert_eq!(both, [held, left]);
    }
}
