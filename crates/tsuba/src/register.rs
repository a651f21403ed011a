//! The register's file: read, and changed so that two who change it at once both keep what they decided.

use crate::output;
use anyhow::{Context as _, bail};
use jiff::civil::Date;
use std::fs::{File, OpenOptions};
use std::io::{self, Read as _};
use std::path::{Path, PathBuf};
use tsuba_core::decide::{Decision, NAMESPACE, Register, Signers};
use tsuba_core::judge::Audit;
use tsuba_core::understand::Study;
use tsuba_find::{open_regular, read_regular_text};

/// The register's name, where none is given.
pub(crate) const NAME: &str = "tsuba-register.toml";
/// A register of more bytes is not read.
const MOST: u64 = 64 << 20;

/// The register that is named; else the one in the current folder, where there is one.
pub(crate) fn path(named: Option<&Path>) -> Option<PathBuf> {
    let default = Path::new(NAME);
    named.or_else(|| default.is_file().then_some(default)).map(Path::to_path_buf)
}

/// Reads it.
pub(crate) fn load(named: Option<&Path>) -> anyhow::Result<Option<Register>> {
    let Some(path) = path(named) else { return Ok(None) };
    let path = path.as_path();
    let file = open_regular(path).with_context(|| format!("cannot read the register {}", path.display()))?;
    read(&file, path).map(Some)
}

fn read(file: &File, path: &Path) -> anyhow::Result<Register> {
    let mut text = String::new();
    let read = file.take(MOST + 1).read_to_string(&mut text);
    read.with_context(|| format!("cannot read the register {}", path.display()))?;
    if text.len() as u64 > MOST {
        bail!("the register {} is larger than 64 MiB", path.display());
    }
    Register::read(&text).map_err(|errors| {
        let told: Vec<String> = errors.iter().map(|error| format!("{}:{error}", path.display())).collect();
        anyhow::anyhow!("{}", told.join("\n       "))
    })
}

/// Reads a file that is a register; `None` where it is something else.
pub(crate) fn of(path: &Path) -> anyhow::Result<Option<Register>> {
    let mut head = Vec::new();
    let file = open_regular(path).with_context(|| format!("cannot read {}", path.display()))?;
    file.take(64 << 10).read_to_end(&mut head).with_context(|| format!("cannot read {}", path.display()))?;
    let is_register = String::from_utf8_lossy(&head).lines().any(|line| line.trim_start().starts_with("[decision."));
    if is_register { load(Some(path)) } else { Ok(None) }
}

/// Notes at every document what the register calls it: its path from the register's folder, where it lies below that.
pub(crate) fn names(register: &Path, studies: &mut [Study]) {
    let folder = register.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let Ok(folder) = folder.canonicalize() else { return };
    for document in studies.iter_mut().map(|study| &mut study.document) {
        let whole = Path::new(&document.path).canonicalize().ok();
        let below = whole.as_deref().and_then(|path| path.strip_prefix(&folder).ok());
        document.facts.known_as = below.map(|path| path.to_string_lossy().replace('\\', "/"));
    }
}

/// Calls every document of an audit what the register calls it.
pub(crate) fn as_known(audit: &mut Audit) {
    for document in audit.studies.iter_mut().map(|study| &mut study.document) {
        if let Some(path) = document.facts.known_as.clone() {
            document.path = path;
        }
    }
}

/// Who has signed the register, of those in a file of signers.
pub(crate) fn signed(
    named: Option<&Path>,
    register: Option<&Register>,
    signers: &Path,
    today: Date,
) -> anyhow::Result<String> {
    let (Some(path), Some(register)) = (path(named), register) else {
        bail!("--require-signed: there is no register; `tsuba approve` begins one ({NAME})")
    };
    let text = small(signers, "the signers")?;
    let signers = Signers::read(&text).map_err(|errors| {
        let told: Vec<String> = errors.iter().map(|error| format!("{}:{error}", signers.display())).collect();
        anyhow::anyhow!("{}", told.join("\n       "))
    })?;
    let signature = beside(&path);
    let how = format!(
        "sign it by `tsuba decisions --register {} --canonical | ssh-keygen -Y sign -n {NAMESPACE} -f KEY > {}`",
        path.display(),
        signature.display()
    );
    if !signature.exists() {
        bail!("the register {} is not signed: there is no {}; {how}", path.display(), signature.display());
    }
    match signers.of(&register.canonical(), &small(&signature, "the signature")?, today) {
        Ok(name) => Ok(name.to_owned()),
        Err(why) => {
            bail!("the register {} does not count as signed: {why} ({}); {how}", path.display(), signature.display())
        }
    }
}

/// Where the signature of a register lies.
fn beside(path: &Path) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(".sig");
    name.into()
}

/// A file of a few pages.
fn small(path: &Path, what: &str) -> anyhow::Result<String> {
    const MOST: u64 = 1 << 20;
    let told = || format!("cannot read {what} {}", path.display());
    read_regular_text(path, MOST).with_context(told)
}

/// What is told of a register that was written.
pub(crate) fn written(path: &Path) -> String {
    let signature = beside(path);
    let signed = signature.exists().then(|| format!("; {} no longer fits, sign it anew", signature.display()));
    format!("written to {}{}", path.display(), signed.unwrap_or_default())
}

/// Writes decisions into the register, which is made where there is none.
pub(crate) fn write(named: Option<&Path>, decisions: &[Decision]) -> anyhow::Result<PathBuf> {
    let path = named.unwrap_or(Path::new(NAME));
    let told = || format!("cannot write the register {}", path.display());
    let lock = Lock::take(path).with_context(told)?;
    let mut register = read(&lock.0, path)?;
    for decision in decisions {
        let text = register.with(decision);
        // What is written must be read again, and nothing else may have come or gone, whatever is in the file.
        let next = Register::read(&text).ok().filter(|next| {
            let others = |all: &Register| -> Vec<Decision> {
                all.decisions.iter().filter(|other| other.id() != decision.id()).cloned().collect()
            };
            next.decisions.contains(decision) && others(next) == others(&register)
        });
        register =
            next.with_context(|| format!("{}: the decision cannot be written among the others", path.display()))?;
    }
    output::replace(path, register.text().as_bytes())?;
    Ok(path.to_owned())
}

/// The register, locked: who waited for it may hold a file that has been replaced meanwhile, and takes the new one.
struct Lock(File);

impl Lock {
    fn take(path: &Path) -> io::Result<Self> {
        loop {
            // A link that leads nowhere would have a register made wherever its author wants one.
            let dangling = path.symlink_metadata().is_ok_and(|link| link.is_symlink()) && path.metadata().is_err();
            if dangling || path.metadata().is_ok_and(|metadata| !metadata.is_file()) {
                return Err(io::Error::new(io::ErrorKind::InvalidInput, "it is no file"));
            }
            let file = OpenOptions::new().read(true).write(true).create(true).truncate(false).open(path)?;
            lock(&file)?;
            if is_current(&file, path)? {
                return Ok(Self(file));
            }
        }
    }
}

#[cfg(unix)]
fn lock(file: &File) -> io::Result<()> {
    use rustix::fs::{FlockOperation, flock};
    // It is given back when the file is closed, however the program ends.
    Ok(flock(file, FlockOperation::LockExclusive)?)
}

#[cfg(unix)]
fn is_current(file: &File, path: &Path) -> io::Result<bool> {
    use std::os::unix::fs::MetadataExt as _;
    let id = |metadata: std::fs::Metadata| (metadata.dev(), metadata.ino());
    match path.metadata() {
        Ok(now) => Ok(id(now) == id(file.metadata()?)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(false),
        Err(error) => Err(error),
    }
}

/// Elsewhere a register is written by one at a time.
#[cfg(not(unix))]
fn lock(_file: &File) -> io::Result<()> {
    Ok(())
}

#[cfg(not(unix))]
fn is_current(_file: &File, _path: &Path) -> io::Result<bool> {
    Ok(true)
}
