//! What the file system and version control say about a file.

use crate::regular::read_regular;
use crate::repository::{Repository, is_root, version_control};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tsuba_core::read;

/// Looks facts up, and remembers what is costly: folders, indexes of repositories, names of accounts.
#[derive(Debug, Default)]
pub struct Facts {
    repositories: HashMap<Arc<Path>, Option<gix_index::State>>,
    folders: HashMap<PathBuf, Folder>,
    owners: HashMap<u32, Option<String>>,
    known: HashMap<Arc<Path>, Repository>,
}

/// What is known of a folder.
#[derive(Clone, Debug, Default)]
struct Folder {
    /// The repository it lies in.
    repository: Option<Arc<Path>>,
    /// May other accounts come as far as this folder?
    reachable: bool,
}

/// Indexes larger than this (bytes) are not read.
const MAX_INDEX: u64 = 256 * 1024 * 1024;

impl Facts {
    /// The facts about one file; which team answers for it is not known here.
    pub fn of(&mut self, path: &Path) -> read::Facts {
        let mut facts = read::Facts::default();
        let Ok(path) = std::path::absolute(path) else { return facts };
        let folder = path.parent().map(|parent| self.folder(parent)).unwrap_or_default();
        facts.tracked = folder.repository.and_then(|root| self.tracked(&root, &path));
        #[cfg(unix)]
        if let Ok(metadata) = path.metadata() {
            use std::os::unix::fs::MetadataExt as _;
            facts.others_read = Some(metadata.mode() & 0o004 != 0 && folder.reachable);
            facts.others_write = Some(metadata.mode() & 0o002 != 0);
            facts.owner = self.owner(metadata.uid());
        }
        facts
    }

    /// The account that looks.
    pub fn account() -> Option<String> {
        #[cfg(unix)]
        return uzers::get_current_username().map(|name| name.to_string_lossy().into_owned());
        #[cfg(not(unix))]
        std::env::var("USERNAME").ok()
    }

    /// The name of this machine.
    pub fn host() -> Option<String> {
        #[cfg(unix)]
        return Some(rustix::system::uname().nodename().to_string_lossy().into_owned());
        #[cfg(not(unix))]
        std::env::var("COMPUTERNAME").ok()
    }

    /// The repository that a file lies in.
    pub fn repository(&mut self, path: &Path) -> Option<&Repository> {
        self.of_folder(std::path::absolute(path).ok()?.parent()?)
    }

    /// The repository that a folder lies in, or is the root of.
    pub fn of_folder(&mut self, folder: &Path) -> Option<&Repository> {
        let root = self.folder(folder).repository?;
        Some(self.known.entry(root.clone()).or_insert_with(|| Repository::at(&root)))
    }

    /// What is known of a folder: from its own entry and, once, from the folder above.
    fn folder(&mut self, path: &Path) -> Folder {
        if let Some(known) = self.folders.get(path) {
            return known.clone();
        }
        let above = path.parent().map_or(Folder { repository: None, reachable: true }, |parent| self.folder(parent));
        let repository = if is_root(path) { Some(path.into()) } else { above.repository };
        let folder = Folder { repository, reachable: above.reachable && is_open(path) };
        self.folders.insert(path.to_owned(), folder.clone());
        folder
    }

    #[cfg(unix)]
    fn owner(&mut self, uid: u32) -> Option<String> {
        let name = || uzers::get_user_by_uid(uid).map(|user| user.name().to_string_lossy().into_owned());
        self.owners.entry(uid).or_insert_with(name).clone()
    }

    /// Is the file in the index of its repository? `None` where the index cannot be read.
    fn tracked(&mut self, root: &Arc<Path>, path: &Path) -> Option<bool> {
        let inside = path.strip_prefix(root).ok()?.to_string_lossy().replace('\\', "/");
        let index = self.repositories.entry(root.clone()).or_insert_with(|| index(root));
        index.as_ref().map(|index| index.entry_range(inside.as_bytes().into()).is_some())
    }
}

/// May other accounts pass through this folder? A closed one (a home folder of mode 700) keeps them out.
fn is_open(folder: &Path) -> bool {
    #[cfg(unix)]
    {
        use std::os::unix::fs::MetadataExt as _;
        folder.metadata().map_or(true, |m| m.mode() & 0o001 != 0)
    }
    #[cfg(not(unix))]
    {
        let _ = folder;
        true
    }
}

/// The index of a repository: the paths that it tracks.
fn index(root: &Path) -> Option<gix_index::State> {
    let file = version_control(root)?.join("index");
    if !file.is_file() || file.metadata().ok()?.len() > MAX_INDEX {
        return (!file.exists()).then(|| gix_index::State::new(gix_index::hash::Kind::Sha1));
    }
    // Read whole rather than mapped: a file cut short by somebody else must not end this program.
    let bytes = read_regular(&file, MAX_INDEX).ok()?;
    let written = filetime::FileTime::from_last_modification_time(&file.metadata().ok()?);
    let (index, _) = gix_index::State::from_bytes(
        &bytes,
        written,
        gix_index::hash::Kind::Sha1,
        gix_index::decode::Options::default(),
    )
    .ok()?;
    Some(index)
}
