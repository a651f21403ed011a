//! The register's file: read, and changed so that two who change it at once both keep what they decided.

use crate::lock::Lock;
use crate::trusted::Deciding;
use crate::{output, remembered};
use anyhow::{Context as _, bail};
use jiff::civil::Date;
use std::fs::File;
use std::io::Read as _;
use std::path::{Path, PathBuf};
use tsuba_core::judge::Audit;
use tsuba_core::register::{Decision, NAMESPACE, Register, Signers, Stale};
use tsuba_core::understand::Analysis;
use tsuba_find::{open_regular, read_regular_text};

/// The register's name, where none is given.
pub(crate) const NAME: &str = "tsuba-register.toml";
/// A register of more bytes is not read.
const MAX_REGISTER_BYTES: u64 = 64 << 20;

/// The register as a file that decides.
pub(crate) const FILE: Deciding = Deciding { name: NAME, option: "--register" };

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
    let read = file.take(MAX_REGISTER_BYTES + 1).read_to_string(&mut text);
    read.with_context(|| format!("cannot read the register {}", path.display()))?;
    if text.len() as u64 > MAX_REGISTER_BYTES {
        bail!("the register {} is larger than 64 MiB", path.display());
    }
    Register::read(&text).map_err(|errors| {
        let message: Vec<String> = errors.iter().map(|error| format!("{}:{error}", path.display())).collect();
        anyhow::anyhow!("{}", message.join("\n       "))
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
pub(crate) fn names(register: &Path, analyses: &mut [Analysis]) {
    let folder = register.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let Ok(folder) = folder.canonicalize() else { return };
    for document in analyses.iter_mut().map(|analysis| &mut analysis.document) {
        let whole = Path::new(document.file()).canonicalize().ok();
        let below = whole.as_deref().and_then(|path| path.strip_prefix(&folder).ok());
        document.facts.register_path = below.map(|path| path.to_string_lossy().replace('\\', "/"));
    }
}

/// Calls every document of an audit what the register calls it.
pub(crate) fn as_known(audit: &mut Audit) {
    for document in audit.analyses.iter_mut().map(|analysis| &mut analysis.document) {
        if let Some(path) = document.facts.register_path.clone() {
            document.path = path;
        }
    }
}

/// Who has signed the register, of those in a file of signers. What is older than a signed register that was seen here before, or has a
/// serial number below `least`, does not count.
pub(crate) fn signed(
    named: Option<&Path>,
    register: Option<&Register>,
    signers: &Path,
    least: u64,
    today: Date,
) -> anyhow::Result<String> {
    let (Some(path), Some(register)) = (path(named), register) else {
        bail!("--require-signed: there is no register; `tsuba approve` begins one ({NAME})")
    };
    let text = small(signers, "the signers")?;
    let signers = Signers::read(&text).map_err(|errors| {
        let message: Vec<String> = errors.iter().map(|error| format!("{}:{error}", signers.display())).collect();
        anyhow::anyhow!("{}", message.join("\n       "))
    })?;
    let signature = beside(&path);
    let how = format!(
        "sign it by `tsuba decisions --register {} --to-sign | ssh-keygen -Y sign -n {NAMESPACE} -f KEY > {}`",
        path.display(),
        signature.display()
    );
    if !signature.exists() {
        bail!("the register {} is not signed: there is no {}; {how}", path.display(), signature.display());
    }
    match signers.of(&register.canonical(), &small(&signature, "the signature")?, today) {
        Ok(name) => match remembered::take(register, &path, least, today)? {
            Ok(()) => Ok(name.to_owned()),
            Err(Stale::Uncounted) => {
                bail!("the register {} does not count as signed: {}; {how}", path.display(), Stale::Uncounted)
            }
            Err(why) => bail!("the register {} does not count as signed: {why}{}", path.display(), remembered::place()),
        },
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
    const MAX_SMALL_BYTES: u64 = 1 << 20;
    let message = || format!("cannot read {what} {}", path.display());
    read_regular_text(path, MAX_SMALL_BYTES).with_context(message)
}

/// What is told of a register that was written.
pub(crate) fn written(path: &Path) -> String {
    let signature = beside(path);
    let signed = signature.exists().then(|| format!("; {} no longer matches; sign it again", signature.display()));
    format!("written to {}{}", path.display(), signed.unwrap_or_default())
}

/// Counts the register's serial number up, for it is going to be signed. Gives what is to be signed.
pub(crate) fn to_sign(named: Option<&Path>, today: Date) -> anyhow::Result<String> {
    let path = named.unwrap_or(Path::new(NAME));
    let message = || format!("cannot write the register {}", path.display());
    let lock = Lock::take(path).with_context(message)?;
    let register = read(&lock.0, path)?;
    if let Err(why) = remembered::may_be_signed(&register, path)? {
        bail!("the register {} is not to be signed: {why}{}", path.display(), remembered::place());
    }
    let next = Register::read(&register.to_sign(today)).ok();
    let next = next.filter(|next| next.decisions == register.decisions && next.signing != register.signing);
    let next = next.with_context(|| format!("{}: the serial number cannot be written into it", path.display()))?;
    output::replace(path, next.text().as_bytes())?;
    Ok(next.canonical())
}

/// Writes decisions into the register, which is made where there is none.
pub(crate) fn write(named: Option<&Path>, decisions: &[Decision]) -> anyhow::Result<PathBuf> {
    let path = named.unwrap_or(Path::new(NAME));
    let message = || format!("cannot write the register {}", path.display());
    let lock = Lock::take(path).with_context(message)?;
    let mut register = read(&lock.0, path)?;
    for decision in decisions {
        let before = register.on_the_same(decision);
        let same = |before: &Decision| *decision == Decision { history: decision.history.clone(), ..before.clone() };
        if before.is_some_and(same) {
            continue;
        }
        // What it takes the place of is kept with it.
        let decision = &before.map_or_else(|| decision.clone(), |before| decision.clone().after(before));
        let text = register.with(decision);
        // What is written must be read again, and nothing else may have come or gone, whatever is in the file.
        let next = Register::read(&text).ok().filter(|next| {
            let others = |all: &Register| -> Vec<Decision> {
                all.decisions.iter().filter(|other| other.id() != decision.id()).cloned().collect()
            };
            next.decisions.contains(decision) && next.signing == register.signing && others(next) == others(&register)
        });
        register =
            next.with_context(|| format!("{}: the decision cannot be written among the others", path.display()))?;
    }
    output::replace(path, register.text().as_bytes())?;
    Ok(path.to_owned())
}
