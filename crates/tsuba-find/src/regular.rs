//! Reading files that are files: a pipe or a device is not waited for, and no more is read than a bound.

use std::fs::{File, Metadata};
use std::io::{self, Read as _};
use std::path::Path;

/// Opens a regular file, through links too. Whatever lies there is not waited for.
///
/// # Errors
/// Where it cannot be opened, or is something else: a folder, a pipe, a device.
pub fn open_regular(path: &Path) -> io::Result<File> {
    // Looked at before and after: opening a device may do something, and what lies there may change in between.
    if path.metadata()?.is_file() { Ok(open_seen(path)?.0) } else { Err(other()) }
}

/// Opens what was seen to be a regular file a moment ago, with its facts. Whatever lies there now is not waited for.
///
/// # Errors
/// As [`open_regular`].
pub(crate) fn open_seen(path: &Path) -> io::Result<(File, Metadata)> {
    let mut options = File::options();
    options.read(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt as _;
        // Opening a named pipe would wait for somebody who writes.
        // A terminal that was put there a moment ago would become ours.
        let flags = rustix::fs::OFlags::NONBLOCK | rustix::fs::OFlags::NOCTTY;
        options.custom_flags(i32::try_from(flags.bits()).unwrap_or(0));
    }
    let file = options.open(path)?;
    let facts = file.metadata()?;
    if facts.is_file() { Ok((file, facts)) } else { Err(other()) }
}

fn other() -> io::Error {
    io::Error::new(io::ErrorKind::InvalidInput, "it is not a regular file")
}

/// Reads a regular file whole.
///
/// # Errors
/// As [`open_regular`]; where it has more bytes than `most`.
pub fn read_regular(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    open_regular(path)?.take(most.saturating_add(1)).read_to_end(&mut bytes)?;
    if u64::try_from(bytes.len()).is_ok_and(|length| length > most) {
        return Err(io::Error::new(io::ErrorKind::FileTooLarge, format!("it is larger than {}", describe(most))));
    }
    Ok(bytes)
}

/// Likewise, as text.
///
/// # Errors
/// As [`read_regular`]; where it is not UTF-8.
pub fn read_regular_text(path: &Path, most: u64) -> io::Result<String> {
    // The bytes are not quoted: nobody knows what they are.
    String::from_utf8(read_regular(path, most)?)
        .map_err(|_| io::Error::new(io::ErrorKind::InvalidData, "it is not valid UTF-8"))
}

fn describe(bytes: u64) -> String {
    match bytes {
        mib if mib >= 1 << 20 => format!("{} MiB", mib >> 20),
        kib => format!("{} KiB", kib >> 10),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_files_are_read_and_no_more_than_the_bound() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("a");
        std::fs::write(&file, vec![b'x'; 2048]).unwrap();
        assert_eq!(read_regular(&file, 2048).unwrap().len(), 2048);
        assert_eq!(read_regular(&file, 1024).unwrap_err().to_string(), "it is larger than 1 KiB");
        assert!(read_regular(dir.path(), 9).unwrap_err().to_string().contains("not a regular file"));
        std::fs::write(&file, [0xff]).unwrap();
        assert_eq!(read_regular_text(&file, 9).unwrap_err().to_string(), "it is not valid UTF-8");
    }

    #[cfg(unix)]
    #[test]
    fn a_pipe_is_not_waited_for() {
        let dir = tempfile::tempdir().unwrap();
        let pipe = dir.path().join("pipe");
        assert!(std::process::Command::new("mkfifo").arg(&pipe).status().unwrap().success());
        let link = dir.path().join("link");
        std::os::unix::fs::symlink(&pipe, &link).unwrap();
        for path in [&pipe, &link] {
            assert!(read_regular(path, 9).unwrap_err().to_string().contains("not a regular file"));
        }
    }
}
