//! Which signed registers were seen by this person, in a file of their own (`tsuba/seen.json` among what programs keep of their state).

use crate::lock::Lock;
use crate::output;
use anyhow::Context as _;
use jiff::civil::Date;
use std::path::{Path, PathBuf};
use tsuba_core::register::{Memory, Register, Stale};
use tsuba_find::read_regular_text;

/// A larger file is not read.
const MAX_BYTES: u64 = 4 << 20;

/// Holds a register, whose signature is right, against what was seen before, and remembers it. Where nothing can be kept, that is told, and
/// the register counts.
pub(crate) fn take(register: &Register, path: &Path, least: u64, today: Date) -> anyhow::Result<Result<(), Stale>> {
    let path = whole(path);
    let Some(file) = file() else {
        tell("no home folder (HOME)");
        return Ok(Memory::default().take(register, &path, least, today).map(|_| ()));
    };
    let folder = file.parent().unwrap_or(Path::new("."));
    let lock = std::fs::create_dir_all(folder).and_then(|()| Lock::take(&file));
    let _lock = match lock {
        Ok(lock) => lock,
        // What cannot be written may be there all the same.
        Err(why) if !file.exists() => {
            tell(&format!("{}: {why}", file.display()));
            return Ok(Memory::default().take(register, &path, least, today).map(|_| ()));
        }
        Err(why) => {
            tell(&format!("{}: {why}", file.display()));
            return Ok(read(&file)?.take(register, &path, least, today).map(|_| ()));
        }
    };
    let mut memory = read(&file)?;
    match memory.take(register, &path, least, today) {
        Ok(true) => output::replace(&file, memory.text().as_bytes()).map(Ok),
        Ok(false) => Ok(Ok(())),
        Err(why) => Ok(Err(why)),
    }
}

/// Would a signature bring an older state of a register back?
pub(crate) fn may_be_signed(register: &Register, path: &Path) -> anyhow::Result<Result<(), Stale>> {
    match file().filter(|file| file.exists()) {
        Some(file) => Ok(read(&file)?.may_be_signed(register, &whole(path))),
        None => Ok(Ok(())),
    }
}

/// Where it can be looked up, behind a reason.
pub(crate) fn place() -> String {
    file().filter(|file| file.exists()).map(|file| format!(" (remembered in {})", file.display())).unwrap_or_default()
}

fn read(file: &Path) -> anyhow::Result<Memory> {
    let message =
        || format!("cannot read which signed registers were seen, {}; a damaged file may be removed", file.display());
    let text = read_regular_text(file, MAX_BYTES).with_context(message)?;
    Memory::read(&text).map_err(anyhow::Error::msg).with_context(message)
}

fn whole(path: &Path) -> String {
    path.canonicalize().unwrap_or_else(|_| path.to_path_buf()).to_string_lossy().into_owned()
}

fn file() -> Option<PathBuf> {
    let named = std::env::var_os("XDG_STATE_HOME").map(PathBuf::from).filter(|folder| folder.is_absolute());
    let folder = named.or_else(|| std::env::home_dir().map(|home| home.join(".local/state")))?;
    Some(folder.join("tsuba/seen.json"))
}

fn tell(why: &str) {
    crate::output::note(&format!(
        "the register's serial number is not remembered, so an older one may come back; --min-serial sets a floor ({why})"
    ));
}
