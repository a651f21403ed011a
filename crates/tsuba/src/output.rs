//! Where reports go, and how they may look there.

use anyhow::Context as _;
use std::fs::File;
use std::io::{self, BufWriter, IsTerminal as _, Write};
use std::path::{Path, PathBuf};
use std::time::Duration;
use tsuba_report::RenderOptions;

/// Columns when the output is no terminal.
const PLAIN_WIDTH: usize = 100;
/// Lines longer than this are hard to read, however wide the terminal is.
const MAX_WIDTH: usize = 120;

/// How a text may look on standard output.
pub(crate) fn look() -> RenderOptions {
    look_of(&io::stdout())
}

/// How a text may look on one of the standard streams.
fn look_of<S: anstream::stream::RawStream>(stream: &S) -> RenderOptions {
    let width = if stream.is_terminal() {
        terminal_size::terminal_size().map_or(80, |(width, _)| usize::from(width.0))
    } else {
        PLAIN_WIDTH
    };
    let colour = anstream::AutoStream::choice(stream) != anstream::ColorChoice::Never;
    RenderOptions { width: width.clamp(40, MAX_WIDTH), colour, most: None, orders: false }
}

/// Tells a note or an error on standard error. If that is gone, there is nobody to tell.
pub(crate) fn note(text: &str) {
    // Paths, names and what a library says of them come from outside, like everything in a report.
    let cleaner = tsuba_core::judge::pattern_redactor();
    let lines: Vec<String> = text.lines().map(|line| cleaner.clean(line).to_string()).collect();
    let stream = io::stderr();
    let look = look_of(&stream);
    // What goes into a file or to a program keeps its lines.
    let width = if stream.is_terminal() { look.width } else { usize::MAX };
    let message = tsuba_report::message("tsuba", &lines.join("\n"), RenderOptions { width, ..look });
    let _ = writeln!(anstream::stderr(), "{message}");
}

/// How a text looks in a file.
pub(crate) fn plain() -> RenderOptions {
    RenderOptions { width: PLAIN_WIDTH, colour: false, most: None, orders: false }
}

/// Lets everybody read a file who may read its folder.
pub(crate) fn shared(path: &Path) -> anyhow::Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        let mode = std::fs::Permissions::from_mode(0o644);
        std::fs::set_permissions(path, mode).with_context(|| format!("cannot set the mode of {}", path.display()))?;
    }
    let _ = path;
    Ok(())
}

/// Puts other content into a file, in one step and with the file's mode; through a link, into what it leads to.
pub(crate) fn replace(path: &Path, content: &[u8]) -> anyhow::Result<()> {
    let message = || format!("cannot write {}", path.display());
    let target = path.canonicalize().with_context(message)?;
    let folder = target.parent().unwrap_or(Path::new("."));
    let mode = target.metadata().with_context(message)?.permissions();
    let mut temporary = temporary(folder).with_context(message)?;
    temporary.write_all(content).with_context(message)?;
    temporary.as_file().set_permissions(mode).and_then(|()| temporary.as_file().sync_all()).with_context(message)?;
    temporary.persist(&target).map(|_: File| ()).map_err(|error| error.error).with_context(message)
}

/// Likewise, where the file still has the content that it had; false where somebody else has changed it meanwhile, and it is left as it is.
/// The two are exchanged in one step and what was there is looked at afterwards, so that no moment is between the look and the change.
pub(crate) fn replace_unchanged(path: &Path, before: &[u8], after: &[u8]) -> anyhow::Result<bool> {
    let message = || format!("cannot write {}", path.display());
    let target = path.canonicalize().with_context(message)?;
    let folder = target.parent().unwrap_or(Path::new("."));
    let mode = target.metadata().with_context(message)?.permissions();
    let mut new = temporary(folder).with_context(message)?;
    new.write_all(after).with_context(message)?;
    new.as_file().set_permissions(mode).and_then(|()| new.as_file().sync_all()).with_context(message)?;
    let most = u64::try_from(before.len()).unwrap_or(u64::MAX);
    let is_same = |path: &Path| tsuba_find::read_regular(path, most).is_ok_and(|now| now == before);
    if !is_same(&target) {
        return Ok(false);
    }
    match exchange(new.path(), &target) {
        // What was there is under the temporary name now, and goes away with it.
        Ok(()) if is_same(new.path()) => Ok(true),
        Ok(()) => put_back(new.path(), &target, after).map(|()| false).with_context(message),
        // A file system that knows no exchange: the look before must do.
        Err(_) => new.persist(&target).map(|_: File| true).map_err(|error| error.error).with_context(message),
    }
}

/// Puts back what somebody else wrote, which is under the temporary name now. When they write again at that moment, the newest is what stays:
/// whatever comes out in the place of what was put in is put in.
fn put_back(temporary: &Path, target: &Path, placed: &[u8]) -> io::Result<()> {
    let mut placed = placed.to_vec();
    for _ in 0..MAX_EXCHANGES {
        let theirs = tsuba_find::read_regular(temporary, u64::MAX)?;
        exchange(temporary, target)?;
        let most = u64::try_from(placed.len()).unwrap_or(u64::MAX);
        if tsuba_find::read_regular(temporary, most).is_ok_and(|out| out == placed) {
            return Ok(());
        }
        placed = theirs;
    }
    Ok(())
}

#[cfg(target_os = "linux")]
fn exchange(one: &Path, other: &Path) -> io::Result<()> {
    use rustix::fs::{CWD, RenameFlags, renameat_with};
    Ok(renameat_with(CWD, one, CWD, other, RenameFlags::EXCHANGE)?)
}

#[cfg(not(target_os = "linux"))]
fn exchange(_one: &Path, _other: &Path) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}

/// A file that is written anew more often than this while it is put back stays as it is then.
const MAX_EXCHANGES: usize = 64;
/// How the names of temporary files begin: another run knows them by it.
const TEMPORARY: &str = ".tsuba-write-";
/// A temporary file that is older than this was left behind by a run that was killed.
const ABANDONED: Duration = Duration::from_secs(600);
/// More files of a folder are not looked at for such.
const MAX_LOOKED_AT: usize = 10_000;

/// A temporary file in a folder that nobody else may read.
fn temporary(folder: &Path) -> io::Result<tempfile::NamedTempFile> {
    created(folder, false)
}

/// A temporary file in a folder, with the mode that a new file usually has (the umask's) or for its owner alone. What killed runs have left
/// there is cleared first.
fn created(folder: &Path, usual: bool) -> io::Result<tempfile::NamedTempFile> {
    let all = std::fs::read_dir(folder).into_iter().flatten().flatten().take(MAX_LOOKED_AT);
    for entry in all.filter(|entry| entry.file_name().to_string_lossy().starts_with(TEMPORARY)) {
        let age = entry
            .metadata()
            .ok()
            .filter(std::fs::Metadata::is_file)
            .and_then(|facts| facts.modified().ok()?.elapsed().ok());
        if age.is_some_and(|age| age > ABANDONED) {
            // What is somebody else's stays.
            let _left = std::fs::remove_file(entry.path());
        }
    }
    let mut builder = tempfile::Builder::new();
    builder.prefix(TEMPORARY);
    #[cfg(unix)]
    if usual {
        use std::os::unix::fs::PermissionsExt as _;
        // What the umask takes away is taken away.
        builder.permissions(std::fs::Permissions::from_mode(0o666));
    }
    let _ = usual;
    builder.tempfile_in(folder)
}

/// Writes to standard output, or to `file` in one step: a reader never sees half a report.
pub(crate) fn write(file: Option<&PathBuf>, body: impl FnOnce(&mut dyn Write) -> io::Result<()>) -> anyhow::Result<()> {
    let Some(path) = file else {
        let mut out = BufWriter::new(io::stdout().lock());
        body(&mut out).and_then(|()| out.flush()).context("cannot write to standard output")?;
        return Ok(());
    };
    let message = || format!("cannot write {}", path.display());
    // A device, a pipe or the like is written to as it stands: putting a file in its place would take it away from everybody.
    if path.metadata().is_ok_and(|m| !m.is_file()) {
        let mut out = BufWriter::new(File::options().write(true).open(path).with_context(message)?);
        return body(&mut out).and_then(|()| out.flush()).with_context(message);
    }
    // A link stays a link: what it leads to is replaced.
    let target = path.canonicalize().unwrap_or_else(|_| path.clone());
    let folder = target.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    // As any program leaves a file: a new one with the usual mode, one that is there with its own.
    let mode = target.metadata().ok().filter(std::fs::Metadata::is_file).map(|facts| facts.permissions());
    let temporary = created(folder, mode.is_none()).with_context(message)?;
    if let Some(mode) = mode {
        temporary.as_file().set_permissions(mode).with_context(message)?;
    }
    let mut out = BufWriter::new(temporary.as_file());
    body(&mut out).and_then(|()| out.flush()).with_context(message)?;
    drop(out);
    temporary.persist(&target).map(|_: File| ()).map_err(|e| e.error).with_context(message)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn what_somebody_else_has_written_is_kept() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("mcp.json");
        for (now, want, after) in
            [("before", true, "after"), ("another", false, "another"), ("before, and more", false, "before, and more")]
        {
            fs::write(&file, now).unwrap();
            assert_eq!(replace_unchanged(&file, b"before", b"after").unwrap(), want, "{now}");
            assert_eq!(fs::read_to_string(&file).unwrap(), after);
            assert_eq!(fs::read_dir(dir.path()).unwrap().count(), 1);
        }
    }

    #[test]
    fn what_killed_runs_left_behind_is_cleared() {
        let dir = tempfile::tempdir().unwrap();
        let put = |name: &str, age: u64| {
            let file = fs::File::create(dir.path().join(name)).unwrap();
            file.set_modified(std::time::SystemTime::now() - Duration::from_secs(age)).unwrap();
        };
        put(".tsuba-write-old", 7200);
        put(".tsuba-write-new", 1);
        put("mcp.json", 7200);
        drop(temporary(dir.path()).unwrap());
        let mut left: Vec<String> =
            fs::read_dir(dir.path()).unwrap().flatten().map(|e| e.file_name().into_string().unwrap()).collect();
        left.sort();
        assert_eq!(left, [".tsuba-write-new", "mcp.json"]);
    }
}
