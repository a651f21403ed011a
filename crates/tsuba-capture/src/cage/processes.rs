//! The processes of a cage, as its first one sees them: what ran, and how much is used.

use super::watch::Report;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io;
use std::os::unix::fs::MetadataExt as _;
use std::path::Path;

/// A list that is asked again and again.
pub(super) struct Processes {
    /// What each process runs, as far as it is written down.
    known: BTreeMap<u32, (u64, u64)>,
    /// The file that the stages run from: a process that runs it is one of ours. Nobody inside can name it.
    own: (u64, u64),
    report: Report,
}

/// What all processes but the first use together.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Used {
    pub(super) processes: usize,
    /// In bytes.
    pub(super) memory: u64,
    /// Open files, sockets and pipes: what waits in one belongs to no process.
    pub(super) files: u64,
}

/// A page (bytes).
const PAGE: u64 = 4096;

impl Processes {
    pub(super) fn new(report: Report) -> io::Result<Self> {
        let own = fs::metadata(super::SELF)?;
        Ok(Self { known: BTreeMap::new(), own: (own.dev(), own.ino()), report })
    }

    /// Looks once.
    pub(super) fn look(&mut self) -> Used {
        let mut used = Used::default();
        let mut there = BTreeSet::new();
        for entry in fs::read_dir("/proc").into_iter().flatten().flatten() {
            let Some(pid) = entry.file_name().to_str().and_then(|name| name.parse::<u32>().ok()) else { continue };
            if pid == 1 {
                continue;
            }
            let process = entry.path();
            there.insert(pid);
            used.processes += 1;
            let pages = fs::read_to_string(process.join("statm")).ok();
            let resident = pages.and_then(|pages| pages.split(' ').nth(1)?.parse::<u64>().ok());
            used.memory = used.memory.saturating_add(resident.unwrap_or(0).saturating_mul(PAGE));
            used.files = used.files.saturating_add(files(&process));
            self.meet(pid, &process);
        }
        // A number that is free again may be another process's the next time.
        self.known.retain(|pid, _| there.contains(pid));
        used
    }

    fn meet(&mut self, pid: u32, process: &Path) {
        // One that has ended has nothing to show.
        let Ok(facts) = fs::metadata(process.join("exe")) else { return };
        let runs = (facts.dev(), facts.ino());
        // Before it becomes the server, a process is one of ours.
        if runs == self.own || self.known.get(&pid) == Some(&runs) {
            return;
        }
        let line = fs::read(process.join("cmdline")).unwrap_or_default();
        let words: Vec<String> =
            line.split(|byte| *byte == 0).map(|word| String::from_utf8_lossy(word).into_owned()).take(4).collect();
        let message = words.join(" ");
        if !message.trim().is_empty() {
            self.known.insert(pid, runs);
            self.report.note("ran", message.trim());
        }
    }
}

/// How many files a process has open. From Linux 6.2 on the folder says it by its size.
fn files(process: &Path) -> u64 {
    let folder = process.join("fd");
    match fs::metadata(&folder).map(|facts| facts.len()) {
        Ok(0) => fs::read_dir(&folder).map_or(0, |all| u64::try_from(all.count()).unwrap_or(u64::MAX)),
        Ok(count) => count,
        Err(_) => 0,
    }
}
