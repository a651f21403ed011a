//! Published advisories, read from folders: files of the OSV format, one advisory each, and archives of them as databases export them.

use crate::threads::Threads;
use anyhow::{Context as _, bail};
use std::fs::File;
use std::io::{self, Read as _};
use std::path::{Path, PathBuf};
use tsuba_core::judge::Parallel as _;
use tsuba_core::policy::{Advisories, Advisory};
use tsuba_find::{open_regular, read_regular};
use zip::ZipArchive;

/// An advisory of more bytes is not read.
const MAX_ADVISORY_BYTES: u64 = 4 << 20;
/// Folders nest at most this deep.
const MAX_NESTED: usize = 8;
/// More advisories than this are not read.
const MAX_ADVISORIES: usize = 2_000_000;

/// Reads every advisory of these folders and archives.
///
/// # Errors
/// Where one is not there, or nothing in it is an advisory.
pub(crate) fn load(folders: &[PathBuf], threads: Threads) -> anyhow::Result<Advisories> {
    let mut out = Advisories::default();
    for folder in folders {
        let before = out.count();
        let (mut files, mut archives) = (Vec::new(), Vec::new());
        list(folder, 0, &mut files, &mut archives).with_context(|| format!("--advisories {}", folder.display()))?;
        let read = threads.spread(&files, |_, file: &PathBuf| match read_regular(file, MAX_ADVISORY_BYTES) {
            Ok(bytes) => vec![Advisories::read(&bytes).ok()],
            Err(_) => vec![None],
        });
        let mut failed = read.iter().filter(|read| read.is_none()).count();
        out.extend(read.into_iter().flatten().flatten());
        for archive in archives {
            let read = unpacked(&archive).with_context(|| format!("--advisories {}", archive.display()))?;
            failed += read.iter().filter(|read| read.is_none()).count();
            out.extend(read.into_iter().flatten().flatten());
        }
        if out.count() == before && failed > 0 {
            bail!("--advisories {}: holds no advisory in the OSV format (JSON, one in each file)", folder.display());
        }
        if failed > 0 {
            let files = if failed == 1 { "1 file is".to_owned() } else { format!("{failed} files are") };
            anstream::eprintln!("tsuba: {files} no advisory in the OSV format in {}; left out", folder.display());
        }
    }
    Ok(out)
}

/// Lists the advisories and archives of a folder; a file is taken as it is.
fn list(path: &Path, depth: usize, files: &mut Vec<PathBuf>, archives: &mut Vec<PathBuf>) -> io::Result<()> {
    let facts = if depth == 0 { path.metadata()? } else { path.symlink_metadata()? };
    let ends = |ending: &str| path.extension().is_some_and(|own| own.eq_ignore_ascii_case(ending));
    if facts.is_dir() && depth < MAX_NESTED {
        let mut inside = std::fs::read_dir(path)?.map(|entry| Ok(entry?.path())).collect::<io::Result<Vec<_>>>()?;
        inside.sort();
        for path in inside {
            list(&path, depth + 1, files, archives)?;
        }
    } else if facts.is_file() && ends("json") && files.len() < MAX_ADVISORIES {
        files.push(path.to_owned());
    } else if facts.is_file() && ends("zip") {
        archives.push(path.to_owned());
    }
    Ok(())
}

/// The advisories of an archive; nothing for a text that is none. Each is read where it is unpacked: together they are large.
fn unpacked(path: &Path) -> io::Result<Vec<Option<Vec<Advisory>>>> {
    let file: File = open_regular(path)?;
    let mut archive = ZipArchive::new(io::BufReader::new(file)).map_err(io::Error::other)?;
    let mut out = Vec::new();
    for index in 0..archive.len().min(MAX_ADVISORIES) {
        let entry = archive.by_index(index).map_err(io::Error::other)?;
        let is_json = entry.name().is_ok_and(|name| name.to_ascii_lowercase().ends_with(".json"));
        if entry.is_file() && is_json {
            let mut bytes = Vec::new();
            entry.take(MAX_ADVISORY_BYTES).read_to_end(&mut bytes)?;
            out.push(Advisories::read(&bytes).ok());
        }
    }
    Ok(out)
}
