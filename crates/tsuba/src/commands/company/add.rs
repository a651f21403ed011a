//! `tsuba company add`: takes reports into the store, the oldest first.

use crate::exit::Done;
use crate::output;
use crate::reports;
use anyhow::{Context as _, bail};
use clap::Args as Arguments;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use tsuba_report::count;

/// Add reports; one that is there already changes nothing
#[derive(Clone, Debug, Arguments)]
pub(super) struct Args {
    /// Reports of `tsuba audit --format json`: files, folders of them (.json, also .gz and .zst), - for standard input
    #[arg(value_name = "REPORT", required = true)]
    reports: Vec<PathBuf>,
}

/// A folder in a folder in a folder is looked into so deep.
const MAX_DEPTH: usize = 16;
/// The endings by which reports are looked for in folders.
const ENDINGS: [&str; 3] = [".json", ".json.gz", ".json.zst"];

pub(super) fn run(store: &Path, args: &Args) -> anyhow::Result<Done> {
    let mut files = Vec::new();
    for path in &args.reports {
        if path.is_dir() { look_into(path, 0, &mut files)? } else { files.push(path.clone()) }
    }
    if files.is_empty() {
        bail!("no report there: names of reports end with {}", ENDINGS.join(", "));
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
    if !dated.is_empty() {
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
    }
    let again = if known > 0 { format!(", {known} known already") } else { String::new() };
    let back = if reopened > 0 { format!(", {reopened} reopened") } else { String::new() };
    writeln!(
        out,
        "{} added{again}; {} opened, {closed} closed{back}",
        count(added, "report", "reports"),
        count(opened, "finding", "findings")
    )?;
    drop(out);
    for why in &failed {
        output::note(why);
    }
    if failed.is_empty() { Ok(Done::Clean) } else { bail!("{} not added", count(failed.len(), "report", "reports")) }
}

/// The reports in a folder, by their names.
fn look_into(folder: &Path, depth: usize, files: &mut Vec<PathBuf>) -> anyhow::Result<()> {
    let all = std::fs::read_dir(folder).with_context(|| format!("cannot look into {}", folder.display()))?;
    for entry in all {
        let entry = entry.with_context(|| format!("cannot look into {}", folder.display()))?;
        let kind = entry.file_type()?;
        let name = entry.file_name();
        let is_report = || ENDINGS.iter().any(|ending| name.to_string_lossy().ends_with(ending));
        if kind.is_dir() && depth < MAX_DEPTH {
            look_into(&entry.path(), depth + 1, files)?;
        } else if kind.is_file() && is_report() {
            files.push(entry.path());
        }
    }
    Ok(())
}
