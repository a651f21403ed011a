//! What has been written since the last look, from the system's own events, gathered until it is quiet for a moment.

use anyhow::{Context as _, bail};
use notify::{EventKind, RecommendedWatcher, RecursiveMode, Watcher as _};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// More paths at once are not kept apart: everything is looked at again.
const MAX_PATHS: usize = 10_000;
/// A file is mostly written in several steps: it is looked at when it was left alone for so long,
const QUIET: Duration = Duration::from_millis(25);
/// and at the latest after this.
const LATEST: Duration = Duration::from_millis(200);

/// What has been written.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Written {
    /// Files and folders.
    pub(super) paths: BTreeSet<PathBuf>,
    /// Is more than that possible?
    pub(super) all: bool,
}

impl Written {
    fn is_nothing(&self) -> bool {
        self.paths.is_empty() && !self.all
    }

    fn add(&mut self, path: PathBuf) {
        if self.paths.len() >= MAX_PATHS {
            self.paths.clear();
            self.all = true;
        }
        if !self.all {
            self.paths.insert(path);
        }
    }
}

#[derive(Debug, Default)]
struct Pending {
    written: Mutex<Written>,
    some: Condvar,
}

impl Pending {
    fn lock(&self) -> MutexGuard<'_, Written> {
        self.written.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn event(&self, event: notify::Result<notify::Event>) {
        let mut written = self.lock();
        match event {
            // That somebody reads changes nothing, and we read.
            Ok(event) if matches!(event.kind, EventKind::Access(_)) => return,
            Ok(event) if event.need_rescan() => written.all = true,
            Ok(event) => event.paths.into_iter().for_each(|path| written.add(path)),
            // What was lost is not known.
            Err(_) => written.all = true,
        }
        drop(written);
        self.some.notify_one();
    }
}

/// The events of folders.
pub(super) struct Events {
    pending: Arc<Pending>,
    watcher: RecommendedWatcher,
    folders: BTreeSet<PathBuf>,
}

impl Events {
    /// Of no folder yet.
    ///
    /// # Errors
    /// Where the system has no events.
    pub(super) fn new() -> anyhow::Result<Self> {
        let pending = Arc::new(Pending::default());
        let told = Arc::clone(&pending);
        let watcher = notify::recommended_watcher(move |event| told.event(event));
        let watcher = watcher.context("cannot be told of changes to files; use --poll SECONDS")?;
        Ok(Self { pending, watcher, folders: BTreeSet::new() })
    }

    /// Those of these folders too; not of what lies in their folders.
    ///
    /// # Errors
    /// Where there are more than the system lets one watch.
    pub(super) fn watch(&mut self, folders: &[PathBuf]) -> anyhow::Result<()> {
        for folder in folders {
            if self.folders.contains(folder) {
                continue;
            }
            match self.watcher.watch(folder, RecursiveMode::NonRecursive) {
                Ok(()) => _ = self.folders.insert(folder.clone()),
                Err(error) if matches!(error.kind, notify::ErrorKind::MaxFilesWatch) => bail!(
                    "more folders than this account may watch ({} are); raise fs.inotify.max_user_watches, or use --poll SECONDS",
                    self.folders.len()
                ),
                // It is gone again, or may not be read: the audit tells that.
                Err(_) => {}
            }
        }
        Ok(())
    }

    /// Forgets a folder that is gone, with what lay below.
    pub(super) fn forget(&mut self, gone: &Path) {
        let below: Vec<PathBuf> = self.folders.iter().filter(|folder| folder.starts_with(gone)).cloned().collect();
        for folder in below {
            // The system forgets them by itself.
            let _ = self.watcher.unwatch(&folder);
            self.folders.remove(&folder);
        }
    }

    /// How many are watched.
    pub(super) fn count(&self) -> usize {
        self.folders.len()
    }

    /// What has been written, as soon as something was; nothing after `at_most`.
    pub(super) fn next(&self, at_most: Duration) -> Written {
        let written = self.pending.lock();
        let waited = self.pending.some.wait_timeout_while(written, at_most, |written| written.is_nothing());
        let (mut written, _) = waited.unwrap_or_else(PoisonError::into_inner);
        if written.is_nothing() {
            return Written::default();
        }
        let end = Instant::now() + LATEST;
        loop {
            let before = written.clone();
            let left = end.saturating_duration_since(Instant::now()).min(QUIET);
            let waited = self.pending.some.wait_timeout(written, left);
            let (now, timeout) = waited.unwrap_or_else(PoisonError::into_inner);
            written = now;
            if timeout.timed_out() || Instant::now() >= end || (written.all && before.all) {
                return std::mem::take(&mut *written);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn very_many_paths_are_everything() {
        let mut written = Written::default();
        (0..MAX_PATHS).for_each(|number| written.add(PathBuf::from(number.to_string())));
        assert_eq!((written.paths.len(), written.all), (MAX_PATHS, false));
        written.add(PathBuf::from("one more"));
        assert_eq!((written.paths.len(), written.all), (0, true));
        written.add(PathBuf::from("and another"));
        assert_eq!((written.paths.len(), written.all), (0, true));
    }
}
