//! A sealed copy of this program in memory: the stages of a cage run from it, so that nothing inside can change what runs outside.

use rustix::fs::{MemfdFlags, SealFlags, fcntl_add_seals, memfd_create};
use std::fs::File;
use std::io;
use std::os::fd::AsRawFd as _;
use std::path::{Path, PathBuf};

/// The copy. It is there for as long as this is held.
#[derive(Debug)]
pub(super) struct Helper(File);

impl Helper {
    /// Of a program's file.
    pub(super) fn copy(program: &Path) -> io::Result<Self> {
        let flags = MemfdFlags::CLOEXEC | MemfdFlags::ALLOW_SEALING;
        // Linux before 6.3 does not know that a file is to be run, and takes it so.
        let memory = memfd_create("tsuba", flags | MemfdFlags::EXEC).or_else(|_| memfd_create("tsuba", flags))?;
        let mut memory = File::from(memory);
        io::copy(&mut File::open(program)?, &mut memory)?;
        fcntl_add_seals(&memory, SealFlags::WRITE | SealFlags::GROW | SealFlags::SHRINK | SealFlags::SEAL)?;
        Ok(Self(memory))
    }

    /// What to start. The descriptor is closed by the start itself, which looks it up before.
    pub(super) fn program(&self) -> PathBuf {
        format!("/proc/self/fd/{}", self.0.as_raw_fd()).into()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn a_copy_runs_and_cannot_be_written() {
        let helper = Helper::copy(Path::new("/bin/true")).unwrap();
        assert!(std::process::Command::new(helper.program()).status().unwrap().success());
        assert!(fs::write(helper.program(), "another").is_err());
        assert_eq!(fs::read(helper.program()).unwrap(), fs::read("/bin/true").unwrap());
    }
}
