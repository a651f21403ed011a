//! Whose word counts. The configuration and the register that lie in what is judged were written by whoever wrote that: they are offered, and
//! taken by themselves only where one's own configuration trusts the folder.

use crate::config::{self, Config};
use crate::gather::InputArgs;
use anyhow::bail;
use std::path::{Path, PathBuf};

/// The folders that are judged, and which of them are trusted.
pub(crate) struct Judged {
    /// The roots of what is judged, in full.
    roots: Vec<PathBuf>,
    /// One's own configuration.
    own: Option<PathBuf>,
    trusted: Config,
}

/// A file that decides, and the option that names it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Deciding {
    pub(crate) name: &'static str,
    pub(crate) option: &'static str,
}

/// Which file is used, and which ones are there and are not.
#[derive(Debug, Default, PartialEq, Eq)]
struct Choice {
    used: Option<PathBuf>,
    offered: Vec<PathBuf>,
}

impl Judged {
    /// For what is looked at. One's own configuration is the one that is named, else the one in the current folder where that is not
    /// itself judged, else the one of this account.
    ///
    /// # Errors
    /// Where that configuration has mistakes.
    pub(crate) fn of(wanted: &InputArgs) -> anyhow::Result<Self> {
        let roots = wanted.roots();
        let here = Path::new(config::NAME);
        let is_judged = root_of(&roots, here).is_some();
        let here = (here.is_file() && !is_judged).then(|| here.to_owned());
        let own = wanted.config.clone().or(here).or_else(|| config::of_account().filter(|path| path.is_file()));
        let trusted = Config::load(own.as_deref())?;
        Ok(Self { roots, own, trusted })
    }

    /// The configuration that is judged with; what is there and is not used is told.
    ///
    /// # Errors
    /// Where it has mistakes.
    pub(crate) fn config(self, named: Option<&Path>) -> anyhow::Result<Config> {
        let file = Deciding { name: config::NAME, option: "--config" };
        let used = self.decides(named, file);
        match used {
            Some(path) if Some(&path) != self.own.as_ref() => Config::load(Some(&path)),
            _ => Ok(self.trusted),
        }
    }

    /// The file that is named, else the one that counts by itself; what is there and is not used is told.
    pub(crate) fn decides(&self, named: Option<&Path>, file: Deciding) -> Option<PathBuf> {
        if let Some(named) = named {
            return Some(named.to_owned());
        }
        let Choice { used, offered } = self.choose(file.name);
        for path in offered {
            let Found { path, folder } = describe(&path);
            let (name, option) = (file.name, file.option);
            crate::output::note(&format!(
                "{name} in {folder} not used, since it belongs to what is judged; {option} {path}"
            ));
        }
        used
    }

    /// The file to write decisions into. One that is there already and belongs to what is judged is built on only by whoever names it.
    ///
    /// # Errors
    /// Where there is one and it is not trusted.
    pub(crate) fn to_write(&self, named: Option<&Path>, file: Deciding) -> anyhow::Result<PathBuf> {
        if let Some(named) = named {
            return Ok(named.to_owned());
        }
        let here = PathBuf::from(file.name);
        let Choice { used, offered } = self.choose(file.name);
        if offered.contains(&here) {
            bail!(
                "{} belongs to what is judged, and may hold anybody's decisions; name it with {} {0}",
                file.name,
                file.option
            );
        }
        if used.is_none() && root_of(&self.roots, Path::new(".")).is_some_and(|root| !self.trusted.trusts(root)) {
            // Where it begins there, it counts for nobody by itself.
            crate::output::note(&format!(
                "{} will lie in what is judged: name it with {} {0} from now on, or trust the folder ([trust] in one's own {})",
                file.name,
                file.option,
                config::NAME
            ));
        }
        Ok(used.unwrap_or(here))
    }

    fn choose(&self, name: &str) -> Choice {
        let mut out = Choice::default();
        let here = PathBuf::from(name);
        if here.is_file() {
            match root_of(&self.roots, &here) {
                Some(root) if !self.trusted.trusts(root) => out.offered.push(here.clone()),
                _ => out.used = Some(here.clone()),
            }
        }
        let same = |other: &Path| here.canonicalize().ok().is_some_and(|here| other == here);
        let theirs = self.roots.iter().map(|root| root.join(name)).filter(|file| file.is_file() && !same(file));
        let is_trusted = |file: &PathBuf| file.parent().is_some_and(|root| self.trusted.trusts(root));
        let (trusted, others): (Vec<PathBuf>, Vec<PathBuf>) = theirs.partition(is_trusted);
        out.offered.extend(others);
        match trusted.as_slice() {
            [only] if out.used.is_none() => out.used = Some(short(only).to_owned()),
            // Of several nobody says which counts for all.
            _ => out.offered.extend(trusted),
        }
        out
    }
}

/// The judged folder that a file lies in: itself, or the link by which it is there, whatever that leads to.
fn root_of<'r>(roots: &'r [PathBuf], file: &Path) -> Option<&'r PathBuf> {
    let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let places = [folder.canonicalize(), file.canonicalize()];
    places.iter().flatten().find_map(|place| roots.iter().find(|root| place.starts_with(root)))
}

/// How a file is told.
struct Found {
    path: String,
    folder: String,
}

/// A path in full, as it would be typed.
fn short(path: &Path) -> &Path {
    let here = std::env::current_dir().and_then(|here| here.canonicalize()).unwrap_or_default();
    path.strip_prefix(&here).unwrap_or(path)
}

fn describe(path: &Path) -> Found {
    let short = short(path);
    let folder = short.parent().filter(|folder| !folder.as_os_str().is_empty());
    let cleaner = tsuba_core::judge::pattern_redactor();
    let clean = |text: &Path| cleaner.clean(&text.display().to_string()).to_string();
    Found {
        path: clean(short),
        folder: folder.map_or_else(|| "this folder".to_owned(), |folder| format!("{}/", clean(folder))),
    }
}
