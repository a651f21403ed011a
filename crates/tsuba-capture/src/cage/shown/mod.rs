//! What a server sees of the machine, beside the system's folders: its program, the interpreter and the libraries that names, and its
//! package. In goes what a setup says, which is hostile; out come paths, each of a kind that is known to be code.

mod elf;
mod home;
mod package;

use super::files::SYSTEM;
use home::Homes;
use std::collections::BTreeSet;
use std::ffi::OsStr;
use std::fs::{self, File};
use std::io::{self, Read as _};
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};

/// What may be read inside.
#[derive(Debug, Default)]
pub(super) struct Shown {
    /// Files, folders and links, each at its own place.
    pub(super) paths: BTreeSet<PathBuf>,
    /// What lies in those folders and stays hidden.
    hidden: BTreeSet<PathBuf>,
    homes: Homes,
}

/// A script's interpreter may be a script, so many times.
const MAX_INTERPRETERS: usize = 4;
/// A link may lead to a link, so many times.
const MAX_LINKS: usize = 16;
/// The first line of a script is looked for in so many bytes (the kernel reads 256).
const MAX_FIRST_LINE: u64 = 512;

impl Shown {
    /// Shows a program, and answers it as it is to be started: by the name it is called, since a runtime may look where that lies.
    pub(super) fn program(&mut self, program: &Path, search: &OsStr) -> io::Result<PathBuf> {
        let named = at_its_place(program)?;
        self.executable(&named, search, MAX_INTERPRETERS);
        Ok(named)
    }

    /// Shows a script that a runtime is given, with its package.
    pub(super) fn script(&mut self, script: &Path) {
        let Ok(real) = script.canonicalize() else { return };
        let Some(package) = package::of(&real, &self.homes) else { return };
        self.links(script);
        self.folder(package);
    }

    /// Shows a folder that this program itself has filled.
    pub(super) fn own(&mut self, folder: &Path) {
        self.paths.extend(folder.canonicalize());
    }

    /// What stays hidden, but for what was asked for by its name.
    pub(super) fn hidden(&self) -> Vec<PathBuf> {
        let asked = |hidden: &&PathBuf| self.paths.iter().any(|shown| shown.starts_with(hidden));
        self.hidden.iter().filter(|hidden| !asked(hidden)).cloned().collect()
    }

    /// May a server be started in a folder? Only where it is shown itself, or is on the way to something that is.
    pub(super) fn leads_to(&self, folder: &Path) -> bool {
        self.paths.iter().any(|shown| folder.starts_with(shown) || shown.starts_with(folder))
    }

    fn folder(&mut self, folder: PathBuf) {
        if folder.is_dir() {
            self.hidden.extend(package::private_files(&folder));
        }
        self.paths.insert(folder);
    }

    /// A file that the system would run: anything else, a key say, is not shown, whatever a setup calls it.
    fn executable(&mut self, named: &Path, search: &OsStr, deeper: usize) {
        let Ok(real) = named.canonicalize() else { return };
        let runs = real.metadata().is_ok_and(|facts| facts.is_file() && facts.permissions().mode() & 0o111 != 0);
        let Some(head) = runs.then(|| head(&real)).flatten() else { return };
        let code = elf::is_elf(&head);
        if !code && !head.starts_with(b"#!") {
            return;
        }
        self.links(named);
        self.environment(named, search, deeper);
        if let Some(package) = package::around(&real, &self.homes) {
            self.folder(package);
        }
        if code {
            let libraries = elf::libraries(&real);
            libraries.iter().for_each(|library| self.links(library));
        } else {
            let interpreter = interpreter(&head, search);
            if let Some(interpreter) = interpreter.filter(|_| deeper > 0) {
                self.executable(&interpreter, search, deeper - 1);
            }
        }
        self.runtime(&real);
    }

    /// A virtual environment of Python, where a program lies in one: the packages in it, and the Python that it was made from (PEP 405).
    fn environment(&mut self, named: &Path, search: &OsStr, deeper: usize) {
        let Some(prefix) = named.parent().and_then(Path::parent) else { return };
        let Some(settings) = text(&prefix.join("pyvenv.cfg")) else { return };
        if !self.homes.may_be_shown(prefix) {
            return;
        }
        self.paths.insert(prefix.to_path_buf());
        let home = settings.lines().filter_map(|line| line.split_once('=')).find(|(key, _)| key.trim() == "home");
        if let Some((_, home)) = home.filter(|_| deeper > 0) {
            for name in ["python3", "python"] {
                self.executable(&Path::new(home.trim()).join(name), search, deeper - 1);
            }
        }
    }

    /// What a runtime brings along, by its kind: never the folder that its `bin` is in as a whole.
    fn runtime(&mut self, real: &Path) {
        let Some(name) = real.file_name().and_then(OsStr::to_str) else { return };
        let Some(folder) = real.parent() else { return };
        let prefix = folder.parent().filter(|_| folder.file_name().is_some_and(|name| name == "bin"));
        let kind = name.trim_end_matches(|c: char| c.is_ascii_digit() || c == '.');
        let (from, brings): (&Path, &[&str]) = match (kind, prefix) {
            ("python" | "pypy", Some(prefix)) => {
                (prefix, &["lib/python3*", "lib/pypy3*", "lib/libpython*", "lib/libpypy*"])
            }
            ("node", Some(prefix)) => (prefix, &["lib/node_modules", "lib/libnode*"]),
            ("ruby", Some(prefix)) => (prefix, &["lib/ruby", "lib/libruby*"]),
            ("perl", Some(prefix)) => (prefix, &["lib/perl5"]),
            ("php", Some(prefix)) => (prefix, &["lib/php", "etc/php.ini"]),
            ("java", Some(prefix)) if prefix.join("lib/modules").is_file() => (prefix, &["lib", "conf", "release"]),
            ("dotnet", _) => (folder, &["host", "shared"]),
            _ => return,
        };
        for pattern in brings {
            self.paths.extend(matching(from, pattern));
        }
        if kind == "java" {
            // Some systems keep its settings beside their own, and link to them.
            self.paths.extend(matching(Path::new("/etc"), "java-*"));
        }
    }

    /// A path, and every link on the way to what it leads to.
    fn links(&mut self, path: &Path) {
        let mut next = path.to_path_buf();
        for _ in 0..MAX_LINKS {
            let Ok(named) = at_its_place(&next) else { return };
            let target = fs::read_link(&named).ok();
            let folder = named.parent().map(Path::to_path_buf).unwrap_or_default();
            if !is_of_the_system(&named) {
                self.paths.insert(named);
            }
            match target {
                Some(target) => next = folder.join(target),
                None => return,
            }
        }
    }
}

/// Where a program is, as a shell would find it. The folders of version managers hold scripts that look for the real one elsewhere.
pub(super) fn found(program: &OsStr, cwd: Option<&Path>, search: &OsStr) -> io::Result<PathBuf> {
    let named = Path::new(program);
    if named.components().count() > 1 {
        return std::path::absolute(cwd.unwrap_or(Path::new(".")).join(named));
    }
    let is_shim = |place: &Path| place.parent().and_then(Path::file_name).is_some_and(|folder| folder == "shims");
    let places: Vec<PathBuf> = std::env::split_paths(search)
        .filter(|folder| folder.is_absolute())
        .map(|folder| folder.join(named))
        .filter(|place| place.is_file())
        .collect();
    let place = places.iter().find(|place| !is_shim(place)).or(places.first());
    place.cloned().ok_or_else(|| io::Error::new(io::ErrorKind::NotFound, "there is no such program"))
}

/// A path whose folder is the real one, and whose name is as it was given.
fn at_its_place(path: &Path) -> io::Result<PathBuf> {
    match (path.parent(), path.file_name()) {
        (Some(folder), Some(name)) => {
            let named = folder.canonicalize()?.join(name);
            named.symlink_metadata().map(|_| named)
        }
        _ => path.canonicalize(),
    }
}

fn is_of_the_system(path: &Path) -> bool {
    SYSTEM.iter().any(|folder| path.starts_with(folder))
}

/// The interpreter of a script's first line; what `env` would find, where it is left to look.
fn interpreter(head: &[u8], search: &OsStr) -> Option<PathBuf> {
    let line = head.strip_prefix(b"#!")?.split(|byte| *byte == b'\n').next()?;
    let line = std::str::from_utf8(line).ok()?;
    let mut words = line.split_whitespace();
    let first = Path::new(words.next()?);
    if first.file_name()? != "env" {
        return Some(first.to_path_buf());
    }
    let name = words.find(|word| !word.starts_with('-') && !word.contains('='))?;
    found(OsStr::new(name), None, search).ok()
}

fn head(path: &Path) -> Option<Vec<u8>> {
    let mut out = Vec::new();
    File::open(path).ok()?.take(MAX_FIRST_LINE).read_to_end(&mut out).ok()?;
    Some(out)
}

/// A small file of text.
fn text(path: &Path) -> Option<String> {
    const MAX_BYTES: u64 = 64 << 10;
    let facts = path.metadata().ok()?;
    (facts.is_file() && facts.len() <= MAX_BYTES).then(|| fs::read_to_string(path).ok()).flatten()
}

/// What lies in a folder by a relative path, whose last name may end in a star.
fn matching(folder: &Path, pattern: &str) -> Vec<PathBuf> {
    let place = folder.join(pattern);
    let (Some(within), Some(name)) = (place.parent(), place.file_name().and_then(OsStr::to_str)) else {
        return Vec::new();
    };
    let Some(start) = name.strip_suffix('*') else {
        return place.exists().then_some(place).into_iter().collect();
    };
    let all = fs::read_dir(within).into_iter().flatten().flatten();
    let fits = all.filter(|entry| entry.file_name().to_str().is_some_and(|name| name.starts_with(start)));
    // A link is shown as what it leads to only where that lies beside it.
    fits.map(|entry| entry.path())
        .filter(|path| path.canonicalize().is_ok_and(|real| real.starts_with(within)))
        .collect()
}

#[cfg(test)]
mod tests;
