//! A report written in parts: one file for each team, repository or owner, and a list that leads to them.

use crate::commands::audit::FormatName;
use crate::output;
use crate::patch::Patch;
use anyhow::{Context as _, bail};
use clap::ValueEnum;
use std::collections::BTreeSet;
use std::path::Path;
use tsuba_report::{Report, SplitBy};

/// By what.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Split {
    /// Teams of the configuration, else the owners that CODEOWNERS names
    Team,
    /// Repositories, else folders
    Repository,
    /// The accounts that own the files
    Owner,
}

impl Split {
    fn by(self) -> SplitBy {
        match self {
            Self::Team => SplitBy::Team,
            Self::Repository => SplitBy::Repository,
            Self::Owner => SplitBy::Owner,
        }
    }
}

/// Checks what was typed before any work is done: parts need a folder, which is new or empty, or into which parts were written before.
pub(crate) fn check(split: Option<Split>, folder: Option<&Path>, format: FormatName) -> anyhow::Result<()> {
    let Some(folder) = folder.filter(|folder| split.is_some() && folder.exists()) else { return Ok(()) };
    let message = || format!("--output {}", folder.display());
    let mut files = std::fs::read_dir(folder).with_context(message)?;
    if files.next().is_some() && !folder.join(list(format)).is_file() {
        bail!("{}: the folder holds other files; name a new or empty one", message());
    }
    Ok(())
}

/// The file that leads to the parts.
fn list(format: FormatName) -> &'static str {
    if format == FormatName::Html { "index.html" } else { "index.md" }
}

/// Writes the parts and the list. What else is there stays, and is told.
pub(crate) fn write(
    report: &Report,
    split: Split,
    format: FormatName,
    folder: &Path,
    patch: Option<&Patch>,
) -> anyhow::Result<()> {
    let (by, ending) = (split.by(), format.ending());
    let parts = report.split(by);
    std::fs::create_dir_all(folder).with_context(|| format!("cannot create {}", folder.display()))?;
    let mut written: BTreeSet<String> = [list(format).to_owned()].into();
    for part in &parts {
        let name = format!("{}.{ending}", part.file);
        let path = folder.join(&name);
        let renderer = format.of_report().renderer(output::plain());
        output::write(Some(&path), |out| {
            renderer.render(&part.report, out)?;
            patch.map_or(Ok(()), |patch| patch.write(&part.report, out))
        })?;
        written.insert(name);
    }
    let path = folder.join(list(format));
    output::write(Some(&path), |out| {
        tsuba_report::parts(report, by, &parts, (ending, format == FormatName::Html), out)
    })?;
    let files = std::fs::read_dir(folder).with_context(|| format!("cannot look into {}", folder.display()))?;
    let older = files.flatten().filter(|file| !written.contains(&*file.file_name().to_string_lossy())).count();
    if older > 0 {
        let older = tsuba_report::count(older, "file", "files");
        output::note(&format!("{} holds {older} of an earlier run, or of somebody else", folder.display()));
    }
    output::note(&format!("{} written to {}", tsuba_report::count(parts.len(), "part", "parts"), folder.display()));
    Ok(())
}
