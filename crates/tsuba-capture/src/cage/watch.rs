//! Watching: what is opened, written and started inside is written down on the outside.

use super::HOME;
use rustix::fs::inotify;
use std::collections::{BTreeMap, BTreeSet};
use std::fs::File;
use std::io::{self, Write as _};
use std::mem::MaybeUninit;
use std::os::fd::OwnedFd;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// Where things are written down. Whatever is written once is not written again.
#[derive(Clone, Debug)]
pub(super) struct Report(Arc<Mutex<(File, BTreeSet<String>)>>);

/// A server that does more than this is known well enough; it is told which lists go on.
const MAX_NOTES: usize = 4096;

/// The list of evidence that a kind of note stands in.
fn list(kind: &str) -> &str {
    match kind {
        "decoy" => "decoys",
        "wrote" => "written",
        "ran" => "programs",
        "name" => "names",
        "contact" => "contacts",
        other => other,
    }
}

impl Report {
    /// A new one.
    pub(super) fn create(path: &Path) -> io::Result<Self> {
        Ok(Self(Arc::new(Mutex::new((File::create(path)?, BTreeSet::new())))))
    }

    /// Writes something down, at once: the next moment may be the last.
    pub(super) fn note(&self, kind: &str, what: &str) {
        let what: String = what.chars().map(|c| if c.is_control() { '?' } else { c }).take(300).collect();
        let mut guard = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let (file, known) = &mut *guard;
        let line = format!("{kind} {what}");
        if known.contains(&line) {
            return;
        }
        let cut = format!("cut {}", list(kind));
        // If the outside is gone there is nobody to read it.
        let _gone = if known.len() < MAX_NOTES || kind == "limit" {
            let written = writeln!(file, "{line}");
            known.insert(line);
            written
        } else if known.insert(cut.clone()) {
            writeln!(file, "{cut}")
        } else {
            Ok(())
        };
    }
}

/// Eyes on the decoys and on the folders that may be written in.
pub(super) struct Watch {
    from: OwnedFd,
    places: BTreeMap<i32, PathBuf>,
    decoys: BTreeSet<PathBuf>,
    report: Report,
}

/// So many folders that are written in are followed.
const MAX_FOLDERS: usize = 256;

impl Watch {
    pub(super) fn new(decoys: Vec<PathBuf>, report: Report) -> io::Result<Self> {
        let from = inotify::init(inotify::CreateFlags::NONBLOCK | inotify::CreateFlags::CLOEXEC)?;
        let all = decoys.iter().cloned().collect();
        let mut out = Self { from, places: BTreeMap::new(), decoys: all, report };
        for decoy in decoys {
            let watch = inotify::add_watch(&out.from, &decoy, inotify::WatchFlags::OPEN | inotify::WatchFlags::MODIFY)?;
            out.places.insert(watch, decoy);
        }
        out.folder(Path::new(HOME));
        out.folder(Path::new("/tmp"));
        Ok(out)
    }

    fn folder(&mut self, path: &Path) {
        let flags = inotify::WatchFlags::CREATE | inotify::WatchFlags::MOVED_TO | inotify::WatchFlags::DELETE;
        if self.places.len() >= MAX_FOLDERS {
            return self.report.note("cut", "written");
        }
        if let Ok(watch) = inotify::add_watch(&self.from, path, flags) {
            self.places.insert(watch, path.to_path_buf());
        }
    }

    /// Looks once.
    pub(super) fn look(&mut self) {
        let mut buffer = [MaybeUninit::uninit(); 8192];
        let mut folders = Vec::new();
        let mut reader = inotify::Reader::new(&self.from, &mut buffer);
        while let Ok(event) = reader.next() {
            let Some(place) = self.places.get(&event.wd()) else { continue };
            if self.decoys.contains(place) {
                self.report.note("decoy", &shown(place));
                continue;
            }
            let Some(name) = event.file_name() else { continue };
            let path = place.join(name.to_string_lossy().as_ref());
            self.report.note("wrote", &shown(&path));
            if event.events().contains(inotify::ReadFlags::ISDIR) {
                folders.push(path);
            }
        }
        for folder in folders {
            self.folder(&folder);
        }
    }
}

fn shown(path: &Path) -> String {
    let text = path.to_string_lossy();
    text.strip_prefix(HOME).map_or_else(|| text.to_string(), |rest| format!("~{rest}"))
}
