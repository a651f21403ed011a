//! Watching: what is opened, written and started inside is written down on the outside.

use super::HOME;
use rustix::fs::inotify;
use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
use std::io::{self, Write as _};
use std::mem::MaybeUninit;
use std::os::fd::OwnedFd;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// Where things are written down. Whatever is written once is not written again.
#[derive(Clone, Debug)]
pub(super) struct Report(Arc<Mutex<(File, BTreeSet<String>)>>);

/// A server that does more than this is known well enough.
const MOST: usize = 4096;

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
        if known.len() < MOST && known.insert(format!("{kind} {what}")) {
            // If the outside is gone there is nobody to read it.
            let _gone = writeln!(file, "{kind} {what}");
        }
    }
}

/// Eyes on the decoys and on the folders that may be written in.
pub(super) struct Watch {
    from: OwnedFd,
    places: BTreeMap<i32, PathBuf>,
    decoys: BTreeSet<PathBuf>,
    known: BTreeSet<u32>,
    /// This program, as it is called on the outside.
    helper: String,
    report: Report,
}

/// Folders that are written in are followed so many deep.
const FOLDERS: usize = 256;

impl Watch {
    pub(super) fn new(decoys: Vec<PathBuf>, helper: &Path, report: Report) -> io::Result<Self> {
        let from = inotify::init(inotify::CreateFlags::NONBLOCK | inotify::CreateFlags::CLOEXEC)?;
        let known = [1].into();
        let helper = helper.to_string_lossy().into_owned();
        let all = decoys.iter().cloned().collect();
        let mut out = Self { from, places: BTreeMap::new(), decoys: all, known, helper, report };
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
        if let Some(watch) = inotify::add_watch(&self.from, path, flags).ok().filter(|_| self.places.len() < FOLDERS) {
            self.places.insert(watch, path.to_path_buf());
        }
    }

    /// Looks once; answers how many processes there are besides this one, and how much memory they have (bytes).
    pub(super) fn look(&mut self) -> (usize, u64) {
        self.files();
        self.processes()
    }

    fn files(&mut self) {
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

    fn processes(&mut self) -> (usize, u64) {
        let (mut count, mut memory) = (0, 0);
        for entry in fs::read_dir("/proc").into_iter().flatten().flatten() {
            let Some(pid) = entry.file_name().to_str().and_then(|name| name.parse::<u32>().ok()) else { continue };
            if pid == 1 {
                continue;
            }
            count += 1;
            let pages = fs::read_to_string(entry.path().join("statm")).ok();
            let resident = pages.and_then(|pages| pages.split(' ').nth(1)?.parse::<u64>().ok());
            memory += resident.unwrap_or(0) * 4096;
            if self.known.contains(&pid) {
                continue;
            }
            let line = fs::read(entry.path().join("cmdline")).unwrap_or_default();
            let words: Vec<String> =
                line.split(|byte| *byte == 0).map(|word| String::from_utf8_lossy(word).into_owned()).take(4).collect();
            // Before it becomes the server a process is one of ours.
            let builds = words.get(1).is_some_and(|word| word == "cage");
            let ours = words.first().is_none_or(|program| {
                program.is_empty() || (builds && (program == super::SELF || *program == self.helper))
            });
            if !ours {
                self.known.insert(pid);
                self.report.note("ran", words.join(" ").trim());
            }
        }
        (count, memory)
    }
}

fn shown(path: &Path) -> String {
    let text = path.to_string_lossy();
    text.strip_prefix(HOME).map_or_else(|| text.to_string(), |rest| format!("~{rest}"))
}
