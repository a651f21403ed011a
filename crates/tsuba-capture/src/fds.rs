//! Open files that came from whoever started this program: no program that it starts may find them open.

use nix::unistd::close;
use std::fs;
use std::os::fd::RawFd;

/// The file descriptors above standard error that were open at some moment.
#[derive(Debug)]
pub struct Inherited(Vec<RawFd>);

/// Where no list can be had, as many are closed one by one: the usual hard limit of one process.
const MAX_DESCRIPTORS: RawFd = 4096;

impl Inherited {
    /// Those that are open now. Called before anything else is opened, these are the ones that were handed over.
    pub fn now() -> Self {
        let Ok(listed) = fs::read_dir("/proc/self/fd") else { return Self((3..MAX_DESCRIPTORS).collect()) };
        let numbers = listed.flatten().filter_map(|entry| entry.file_name().to_str()?.parse::<RawFd>().ok());
        let mut numbers: Vec<RawFd> = numbers.filter(|number| *number > 2).collect();
        // The one by which the list was read is closed again, and its number may be another file's soon.
        numbers.retain(|number| fs::symlink_metadata(format!("/proc/self/fd/{number}")).is_ok());
        Self(numbers)
    }

    /// Closes them; to be called before any program is started, and after whatever was to be read from them was read.
    pub fn close(self) {
        for number in self.0 {
            let _closed = close(number);
        }
    }
}
