//! `tsuba company add`: takes reports into the store, the oldest first, and registers.

use crate::exit::Done;
use crate::output;
use crate::{register, reports};
use anyhow::{Context as _, bail};
use clap::Args as Arguments;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use tsuba_find::Facts;
use tsuba_report::count;
use tsuba_store::Store;

/// Add reports, of which one that is there already changes nothing, and registers, each in the place of its last state
#[derive(Clone, Debug, Arguments)]
pub(super) struct Args {
    /// Reports of `tsuba audit --format json`: files, folders of them (.json, also .gz and .zst), - for standard input; registers: files that end
    /// with .toml. What lies in a folder may be anybody's, so that a register has to be named
    #[arg(value_name = "FILE", required = true)]
    reports: Vec<PathBuf>,
    /// The repository that the register is of [default: the one that it lies in, else this host and its folder]
    #[arg(long, value_name = "NAME")]
    register_of: Option<String>,
}

/// A folder in a folder in a folder is looked into so deep.
const MAX_DEPTH: usize = 16;
/// The endings by which reports are looked for in folders.
const ENDINGS: [&str; 3] = [".json", ".json.gz", ".json.zst"];

pub(super) fn run(store: &Path, args: &Args) -> anyhow::Result<Done> {
    let (mut files, mut registers) = (Vec::new(), Vec::new());
    for path in &args.reports {
        if path.is_dir() {
            look_into(path, 0, &mut files)?;
        } else if is_register(path) {
            registers.push(path.clone());
        } else {
            files.push(path.clone());
        }
    }
    // Whoever wrote a repository wrote the register in it, and would decide for the company.
    let found = files.len();
    files.retain(|file| !is_register(file));
    if found > files.len() {
        let left = count(found - files.len(), "register", "registers");
        output::note(&format!("{left} in folders left out; name a register whose decisions are the company's"));
    }
    if files.is_empty() && registers.is_empty() {
        bail!("no report there: names of reports end with {}", ENDINGS.join(", "));
    }
    if args.register_of.is_some() && registers.len() != 1 {
        bail!(
            "--register-of: {} there; it names the repository of one",
            count(registers.len(), "register is", "registers are")
        );
    }
    // What a store knows of a scope is told by its newest report, so they come in the order of their days.
    let mut failed = Vec::new();
    let mut dated = Vec::new();
    for file in files {
        let read = reports::bytes(&file).and_then(|bytes| Ok((reports::day(&file, &bytes)?, bytes)));
        match read {
            // Standard input can be read once; of the others there may be more than memory holds.
            Ok((day, bytes)) => dated.push((day, Some(bytes).filter(|_| file.as_os_str() == "-"), file)),
            Err(why) => failed.push(format!("{why:#}")),
        }
    }
    dated.sort_by(|a, b| (&a.0, &a.2).cmp(&(&b.0, &b.2)));
    let mut out = anstream::stdout().lock();
    let (mut added, mut known, mut opened, mut closed, mut reopened) = (0, 0, 0, 0, 0);
    let mut decisions = Vec::new();
    if !dated.is_empty() || !registers.is_empty() {
        let mut store = super::store::create(store)?;
        for (_, bytes, file) in &dated {
            let message = || file.display().to_string();
            let report = match bytes {
                Some(bytes) => reports::report_in(file, bytes),
                None => reports::report(file),
            };
            match report.and_then(|report| store.add(&report).with_context(message)) {
                Ok(one) if one.known => known += 1,
                Ok(one) => {
                    added += 1;
                    opened += one.opened;
                    closed += one.closed;
                    reopened += one.reopened;
                }
                Err(why) => failed.push(format!("{why:#}")),
            }
        }
        for file in &registers {
            match add_register(&mut store, file, args.register_of.as_deref()) {
                Ok(one) => decisions.push(one),
                Err(why) => failed.push(format!("{why:#}")),
            }
        }
    }
    if !dated.is_empty() || decisions.is_empty() {
        let again = if known > 0 { format!(", {known} known already") } else { String::new() };
        let back = if reopened > 0 { format!(", {reopened} reopened") } else { String::new() };
        writeln!(
            out,
            "{} added{again}; {} opened, {closed} closed{back}",
            count(added, "report", "reports"),
            count(opened, "finding", "findings")
        )?;
    }
    if !decisions.is_empty() {
        let all = decisions.iter().sum();
        let registers = count(decisions.len(), "register", "registers");
        writeln!(out, "{registers} added: {}", count(all, "decision", "decisions"))?;
    }
    drop(out);
    for why in &failed {
        output::note(why);
    }
    if failed.is_empty() { Ok(Done::Clean) } else { bail!("{} not added", count(failed.len(), "file", "files")) }
}

/// Is a file a register, by its name?
fn is_register(file: &Path) -> bool {
    file.extension().is_some_and(|ending| ending == "toml")
}

/// Adds a register, and answers how many decisions it has.
fn add_register(store: &mut Store, file: &Path, named: Option<&str>) -> anyhow::Result<usize> {
    let register = register::of(file)?;
    let register = register.with_context(|| format!("{}: not a register, or one without decisions", file.display()))?;
    let folder = std::path::absolute(file)?;
    let folder = folder.parent().unwrap_or(Path::new("."));
    let mut facts = Facts::default();
    let repository = facts.of_folder(folder).and_then(|repository| repository.remote.clone());
    let host = || format!("{}:{}", Facts::host().unwrap_or_default(), folder.display());
    let name = named.map(ToOwned::to_owned).or(repository).unwrap_or_else(host);
    store.add_register(&name, &register).with_context(|| file.display().to_string())
}

/// The reports and registers in a folder, by their names.
fn look_into(folder: &Path, depth: usize, files: &mut Vec<PathBuf>) -> anyhow::Result<()> {
    let all = std::fs::read_dir(folder).with_context(|| format!("cannot look into {}", folder.display()))?;
    for entry in all {
        let entry = entry.with_context(|| format!("cannot look into {}", folder.display()))?;
        let kind = entry.file_type()?;
        let name = entry.file_name();
        let is_report =
            || name == register::NAME || ENDINGS.iter().any(|ending| name.to_string_lossy().ends_with(ending));
        if kind.is_dir() && depth < MAX_DEPTH {
            look_into(&entry.path(), depth + 1, files)?;
        } else if kind.is_file() && is_report() {
            files.push(entry.path());
        }
    }
    Ok(())
}
