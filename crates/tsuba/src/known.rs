//! What the machine knows of packages that a setup starts: the lockfiles of its project, what is installed there, and what the package
//! runner has fetched before. The nearest that names a package counts.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use tsuba_core::understand::launch::{Package, Pin, Source};
use tsuba_core::understand::{Analysis, Known, LOCKFILES, Locked, locked};
use tsuba_find::read_regular;

/// A lockfile of more bytes is not read.
const MAX_LOCKFILE_BYTES: u64 = 32 << 20;
/// So many folders upwards a project is looked for.
const UP: usize = 12;
/// So many folders of a package runner's cache are looked through.
const CACHED: usize = 2000;

/// What is known for the documents of an audit.
pub(crate) fn known(analyses: &[Analysis]) -> Known {
    let mut known = Known::of(analyses);
    let mut looking = Looking::default();
    for analysis in analyses {
        let path = analysis.document.path.as_str();
        let plans = analysis.entries.iter().filter_map(|entry| entry.plan.as_ref());
        let open = |package: &&Package| matches!(package.pin, Pin::None | Pin::Range | Pin::Moving);
        for package in plans.flat_map(|plan| plan.packages()).map(|(_, package)| package).filter(open) {
            known.note(path, looking.versions(Path::new(analysis.document.file()), package));
        }
    }
    known
}

#[derive(Default)]
struct Looking {
    /// What each lockfile names.
    files: BTreeMap<PathBuf, Vec<Locked>>,
}

impl Looking {
    fn versions(&mut self, document: &Path, package: &Package) -> Vec<Locked> {
        let Ok(whole) = document.canonicalize() else { return Vec::new() };
        for folder in whole.ancestors().skip(1).take(UP) {
            let found = self.of_folder(folder, package);
            if !found.is_empty() {
                return found;
            }
            // What lies above a project is none of its business.
            if folder.join(".git").exists() {
                break;
            }
        }
        if package.source == Source::Npm { cached(package) } else { Vec::new() }
    }

    fn of_folder(&mut self, folder: &Path, package: &Package) -> Vec<Locked> {
        let mut found = Vec::new();
        for name in LOCKFILES {
            let file = folder.join(name);
            let all = self
                .files
                .entry(file.clone())
                .or_insert_with(|| small(&file).map(|bytes| locked(name, &bytes)).unwrap_or_default());
            found.extend(all.iter().filter(|(source, named, _)| is(package, *source, named)).cloned());
        }
        if found.is_empty() && package.source == Source::Npm {
            found.extend(in_modules(&folder.join("node_modules"), package));
        }
        found
    }
}

fn is(package: &Package, source: Source, name: &str) -> bool {
    use tsuba_core::understand::registry_name;
    let plain = |name: &str| registry_name(source.name(), name);
    package.source == source && plain(name) == plain(&package.name)
}

/// What is installed in a folder of modules.
fn in_modules(modules: &Path, package: &Package) -> Option<Locked> {
    // A name may hold steps upwards; a package's has none.
    if package.name.split('/').any(|part| part.is_empty() || part.starts_with('.')) {
        return None;
    }
    let manifest = small(&modules.join(&package.name).join("package.json"))?;
    tsuba_core::understand::installed(&manifest).filter(|(_, name, _)| *name == package.name)
}

/// What the package runner has fetched before: each version of it.
fn cached(package: &Package) -> Vec<Locked> {
    let Some(home) = std::env::home_dir() else { return Vec::new() };
    let Ok(folders) = fs::read_dir(home.join(".npm/_npx")) else { return Vec::new() };
    let folders = folders.filter_map(Result::ok).take(CACHED);
    folders.filter_map(|folder| in_modules(&folder.path().join("node_modules"), package)).collect()
}

fn small(path: &Path) -> Option<Vec<u8>> {
    read_regular(path, MAX_LOCKFILE_BYTES).ok()
}
