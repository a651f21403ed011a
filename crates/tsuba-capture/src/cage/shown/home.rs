//! Which folders may be shown as a whole, as far as people's homes go.

use std::path::{Component, Path, PathBuf};

/// The homes of this machine.
#[derive(Debug)]
pub(super) struct Homes(Vec<PathBuf>);

/// Folders of a home that hold credentials, or what a person has said and read: nothing below them is anybody's package.
const PRIVATE: &[&str] =
    &[".aws", ".azure", ".docker", ".gnupg", ".kube", ".mozilla", ".password-store", ".pki", ".ssh", ".thunderbird"];
/// A hidden folder of a home is everybody's who ever installed something: what is one package begins so many names below the home.
const MIN_DEPTH_IN_HIDDEN: usize = 3;

impl Default for Homes {
    fn default() -> Self {
        let home = std::env::var_os("HOME").map(PathBuf::from).filter(|home| home.is_absolute());
        let real = home.as_ref().and_then(|home| home.canonicalize().ok());
        Self(home.into_iter().chain(real).chain([PathBuf::from("/root")]).collect())
    }
}

impl Homes {
    #[cfg(test)]
    pub(super) fn of(homes: &[&Path]) -> Self {
        Self(homes.iter().map(|home| home.to_path_buf()).collect())
    }

    /// May a folder be shown as a whole? Never a home, nor what holds one, nor a hidden folder of one that many share.
    pub(super) fn may_be_shown(&self, folder: &Path) -> bool {
        if folder.components().count() <= 3 || self.0.iter().any(|home| home.starts_with(folder)) {
            return false;
        }
        let Some(below) = self.below_home(folder) else { return true };
        let names: Vec<_> = below.components().filter_map(|part| part.as_os_str().to_str()).collect();
        match names.first() {
            None => false,
            Some(first) if PRIVATE.contains(first) => false,
            Some(first) if first.starts_with('.') || ["Library", "snap"].contains(first) => {
                names.len() >= MIN_DEPTH_IN_HIDDEN
            }
            Some(_) => true,
        }
    }

    /// The rest of a path below the home it is in.
    fn below_home<'p>(&self, path: &'p Path) -> Option<&'p Path> {
        let known = self.0.iter().filter_map(|home| path.strip_prefix(home).ok());
        // Those of other people lie where homes usually do.
        let mut parts = path.components();
        let usual = match (parts.next(), parts.next(), parts.next()) {
            (Some(Component::RootDir), Some(homes), Some(Component::Normal(_)))
                if homes.as_os_str() == "home" || homes.as_os_str() == "Users" =>
            {
                Some(parts.as_path())
            }
            _ => None,
        };
        known.chain(usual).min_by_key(|rest| rest.components().count())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_home_and_its_shared_folders_are_never_shown() {
        let homes = Homes::of(&[Path::new("/srv/people/crew"), Path::new("/root")]);
        for (folder, want) in [
            ("/", false),
            ("/opt", false),
            ("/home", false),
            ("/home/crew", false),
            ("/srv/people", false),
            ("/srv/people/crew", false),
            ("/srv/people/crew/.local", false),
            ("/srv/people/crew/.local/share", false),
            ("/srv/people/crew/.config", false),
            ("/srv/people/crew/.config/tides", false),
            ("/srv/people/crew/.cache", false),
            ("/srv/people/crew/.ssh/a/b/c", false),
            ("/home/crew/.gnupg/a/b/c", false),
            ("/home/mate/.local/lib", false),
            ("/root/.nvm", false),
            ("/home/mate/.local/share/tides", true),
            ("/srv/people/crew/.local/share/tools/tides", true),
            ("/srv/people/crew/.nvm/versions/22", true),
            ("/srv/people/crew/boats", true),
            ("/home/crew/boats/tide-table", true),
            ("/opt/saltmarsh/runtimes/22", true),
        ] {
            assert_eq!(homes.may_be_shown(Path::new(folder)), want, "{folder}");
        }
    }
}
