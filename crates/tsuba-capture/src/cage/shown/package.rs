//! The package of a script: what it was published with, and runs with.

use super::home::Homes;
use std::collections::BTreeSet;
use std::ffi::OsStr;
use std::fs;
use std::path::{Path, PathBuf};

/// Endings of files that a runtime runs.
const SCRIPTS: &[&str] =
    &["cjs", "dll", "jar", "java", "js", "mjs", "mts", "php", "pl", "py", "pyz", "rb", "sh", "ts", "wasm"];
/// Files that make a folder a package.
const MANIFESTS: &[&str] = &["package.json", "pyproject.toml", "Cargo.toml", "go.mod", "deno.json"];
/// A manifest is looked for in so many folders above a script.
const MAX_ABOVE: usize = 4;

/// What a script needs: its package, the nearest folder above it with a manifest; else itself. A file that is no script is not the
/// server's own, whatever the setup says: it may be anybody's key.
pub(super) fn of(file: &Path, homes: &Homes) -> Option<PathBuf> {
    file.extension().and_then(OsStr::to_str).filter(|ending| SCRIPTS.contains(ending))?;
    Some(around(file, homes).unwrap_or_else(|| file.to_path_buf()))
}

/// The package that a file lies in.
pub(super) fn around(file: &Path, homes: &Homes) -> Option<PathBuf> {
    let holds = |folder: &&Path| MANIFESTS.iter().any(|manifest| folder.join(manifest).is_file());
    let above = file.ancestors().skip(1).take(MAX_ABOVE);
    let folder = above.filter(|folder| homes.may_be_shown(folder)).find(holds)?;
    // Packages beside it in one folder of packages are what it runs with.
    let modules = folder.ancestors().find(|above| above.file_name().is_some_and(|name| name == "node_modules"));
    Some(modules.filter(|modules| homes.may_be_shown(modules)).unwrap_or(folder).to_path_buf())
}

/// Hidden names of a project that a server may need to run.
const NEEDED: &[&str] = &[".bin", ".build", ".libs", ".next", ".nuxt", ".output", ".pnpm", ".venv", ".yarn"];
/// Beginnings of such names.
const NEEDED_STARTS: &[&str] = &[".pnp."];
/// Names that are not hidden, and hold keys.
const KEY_ENDINGS: &[&str] = &["key", "p12", "pem", "pfx"];
/// Folders of packages that were installed.
const INSTALLED: &[&str] = &["node_modules", "site-packages"];
/// So many files of a project are looked at, and so deep.
const MAX_FILES: usize = 20_000;
const MAX_DEPTH: usize = 6;

/// What lies in a project and is no part of what it runs: version control, settings, `.env` files, keys. Packages that were installed are as
/// they were published, and are not looked through.
pub(super) fn private_files(project: &Path) -> BTreeSet<PathBuf> {
    let mut out = BTreeSet::new();
    if project.components().any(|part| INSTALLED.iter().any(|name| part.as_os_str() == *name)) {
        return out;
    }
    let mut folders = vec![(project.to_path_buf(), 0)];
    let mut seen = 0;
    while let Some((folder, depth)) = folders.pop() {
        for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
            seen += 1;
            if seen > MAX_FILES {
                return out;
            }
            let (name, is_folder) = (entry.file_name(), entry.file_type().is_ok_and(|kind| kind.is_dir()));
            let name = name.to_string_lossy();
            let needed = NEEDED.contains(&name.as_ref()) || NEEDED_STARTS.iter().any(|start| name.starts_with(start));
            let key = !is_folder && name.rsplit_once('.').is_some_and(|(_, ending)| KEY_ENDINGS.contains(&ending));
            if key || (name.starts_with('.') && !needed) {
                out.insert(entry.path());
            } else if is_folder && !needed && depth < MAX_DEPTH && !INSTALLED.contains(&name.as_ref()) {
                folders.push((entry.path(), depth + 1));
            }
        }
    }
    out
}
