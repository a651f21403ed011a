//! Where reports go, and how they may look there.

use anyhow::Context as _;
use std::fs::File;
use std::io::{self, BufWriter, IsTerminal as _, Write};
use std::path::{Path, PathBuf};
use tsuba_report::Look;

/// Columns when the output is no terminal.
const PLAIN_WIDTH: usize = 100;
/// Lines longer than this are hard to read, however wide the terminal is.
const MAX_WIDTH: usize = 120;

/// How a text may look on standard output.
pub(crate) fn look() -> Look {
    let terminal = io::stdout().is_terminal();
    let width = if terminal {
        terminal_size::terminal_size().map_or(80, |(width, _)| usize::from(width.0))
    } else {
        PLAIN_WIDTH
    };
    let colour = anstream::AutoStream::choice(&io::stdout()) != anstream::ColorChoice::Never;
    Look { width: width.clamp(40, MAX_WIDTH), colour }
}

/// How a text looks in a file.
pub(crate) fn plain() -> Look {
    Look { width: PLAIN_WIDTH, colour: false }
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
    let told = || format!("cannot write {}", path.display());
    let target = path.canonicalize().with_context(told)?;
    let folder = target.parent().unwrap_or(Path::new("."));
    let mode = target.metadata().with_context(told)?.permissions();
    let mut temporary = tempfile::NamedTempFile::new_in(folder).with_context(told)?;
    temporary.write_all(content).with_context(told)?;
    temporary.as_file().set_permissions(mode).and_then(|()| temporary.as_file().sync_all()).with_context(told)?;
    temporary.persist(&target).map(|_: File| ()).map_err(|error| error.error).with_context(told)
}

/// Writes to standard output, or to `file` in one step: a reader never sees half a report.
pub(crate) fn write(file: Option<&PathBuf>, body: impl FnOnce(&mut dyn Write) -> io::Result<()>) -> anyhow::Result<()> {
    let Some(path) = file else {
        let mut out = BufWriter::new(io::stdout().lock());
        body(&mut out).and_then(|()| out.flush()).context("cannot write to standard output")?;
        return Ok(());
    };
    let told = || format!("cannot write {}", path.display());
    // A device, a pipe or the like is written to as it stands: putting a file in its place would take it away from everybody.
    if path.metadata().is_ok_and(|m| !m.is_file()) {
        let mut out = BufWriter::new(File::options().write(true).open(path).with_context(told)?);
        return body(&mut out).and_then(|()| out.flush()).with_context(told);
    }
    // A link stays a link: what it leads to is replaced.
    let target = path.canonicalize().unwrap_or_else(|_| path.clone());
    let folder = target.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let temporary = tempfile::NamedTempFile::new_in(folder).with_context(told)?;
    let mut out = BufWriter::new(temporary.as_file());
    body(&mut out).and_then(|()| out.flush()).with_context(told)?;
    drop(out);
    // A report names what is weak: it is its owner's to share, so it keeps the temporary file's mode 600.
    temporary.persist(&target).map(|_: File| ()).map_err(|e| e.error).with_context(told)
}
