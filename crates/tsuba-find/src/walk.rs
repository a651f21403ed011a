//! The walk: parallel, hidden and ignored files included, dependency and cache folders left out.

use crate::archive;
use crate::candidate::{AGAIN, AT_ONCE, HEAD, Name, OPEN_LIMIT, Prefilter, by_name};
use crate::home::is_looked_at;
use crate::regular::{open_regular, open_seen};
use aho_corasick::AhoCorasick;
use ignore::{WalkBuilder, WalkState};
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use tsuba_core::read::{Input, MAX_BYTES};

/// Folders that hold other people's code, caches, or version control's own data.
const LEFT_OUT: &[&str] = &[
    "node_modules",
    ".git",
    ".hg",
    ".svn",
    ".jj",
    "__pycache__",
    ".venv",
    "venv",
    "site-packages",
    ".tox",
    ".nox",
    ".mypy_cache",
    ".ruff_cache",
    ".pytest_cache",
    "bower_components",
    ".cache",
    "Caches",
    ".gradle",
    ".m2",
    ".cargo",
    ".rustup",
    ".npm",
    ".pnpm-store",
    ".yarn",
    ".terraform",
    ".next",
    ".nuxt",
    ".parcel-cache",
    ".turbo",
    ".bundle",
    "Pods",
    "DerivedData",
    ".eggs",
    ".ivy2",
    ".sbt",
    ".dart_tool",
    ".nuget",
];

/// What the walk is told.
#[derive(Clone, Debug, Default)]
pub struct Walk {
    /// Folders and files to start from.
    pub inputs: Vec<PathBuf>,
    /// Leave out nothing.
    pub everything: bool,
    /// Threads; 0 means as many as the machine has.
    pub jobs: usize,
    /// The inputs are homes: only what programs keep their settings in is looked at, and nothing private.
    pub homes: bool,
    /// Only what lies in the inputs themselves is looked at, and not what lies in their folders.
    pub shallow: bool,
}

/// Something that could not be looked at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Problem {
    /// The file or folder.
    pub path: PathBuf,
    /// Why it could not be read, for people.
    pub why: &'static str,
}

/// Walks the inputs and hands every file that may be a setup to `visit`, from several threads at once.
/// Returns the dotenv files met (unread), and what could not be looked at, both sorted.
pub fn walk(walk: &Walk, visit: &(dyn Fn(Input) + Sync)) -> (Vec<PathBuf>, Vec<Problem>) {
    let dotenv = Mutex::new(Vec::new());
    let problems = Mutex::new(Vec::new());
    let Some(prefilter) = Prefilter::new() else { return (Vec::new(), Vec::new()) };
    let Some((first, rest)) = walk.inputs.split_first() else { return (Vec::new(), Vec::new()) };
    let mut builder = WalkBuilder::new(first);
    rest.iter().for_each(|input| {
        builder.add(input);
    });
    // The others would only wait for the one that has work.
    let threads = if is_small(&walk.inputs) { 1 } else { walk.jobs };
    builder.standard_filters(false).follow_links(false).threads(threads);
    builder.max_depth(walk.shallow.then_some(1));
    let (everything, homes) = (walk.everything, walk.homes);
    let roots: Vec<PathBuf> = walk.inputs.iter().filter_map(|input| input.canonicalize().ok()).collect();
    builder.filter_entry(move |entry| {
        let left_out = !everything
            && entry.depth() > 0
            && entry.file_type().is_some_and(|t| t.is_dir())
            && entry.file_name().to_str().is_some_and(is_left_out);
        !left_out && (!homes || is_looked_at(entry))
    });
    builder.build_parallel().run(|| {
        let (mut room, dotenv, problems, prefilter, roots) = (Vec::new(), &dotenv, &problems, &prefilter, &roots);
        Box::new(move |entry| {
            match entry {
                Ok(entry) => {
                    let Some(kind) = entry.file_type().filter(|kind| !kind.is_dir()) else {
                        return WalkState::Continue;
                    };
                    let name = match by_name(&entry.file_name().to_string_lossy()) {
                        // What a person names is looked at whatever it is called.
                        Name::Other if entry.depth() == 0 => Name::Open,
                        Name::Other => return WalkState::Continue,
                        Name::Sidecar if entry.depth() > 0 => {
                            // A link in a folder of somebody else's may lead to anybody's settings.
                            if !kind.is_symlink() || leads_inside(entry.path(), roots) {
                                push(dotenv, plain(entry.into_path()));
                            } else {
                                push(problems, Problem { path: plain(entry.into_path()), why: LEADS_OUT });
                            }
                            return WalkState::Continue;
                        }
                        name => name,
                    };
                    // Pipes, sockets and devices are never opened; a link is followed only to a regular file.
                    let regular =
                        kind.is_file() || (kind.is_symlink() && entry.path().metadata().is_ok_and(|m| m.is_file()));
                    if !regular {
                        if entry.depth() == 0 && !kind.is_file() {
                            push(problems, Problem { path: plain(entry.into_path()), why: "not a regular file" });
                        }
                        return WalkState::Continue;
                    }
                    let named = entry.depth() == 0;
                    let path = entry.path();
                    let read = match read_candidate(path, name, named, prefilter, &mut room) {
                        Ok(Candidate::File(input)) => {
                            visit(*input);
                            Ok(())
                        }
                        Ok(Candidate::Archive(file, kind)) => {
                            archive::read(&shown(path), file, kind, everything, prefilter, visit)
                        }
                        Ok(Candidate::Other) => Ok(()),
                        Err(why) => Err(why),
                    };
                    match read {
                        // One that only happens to be packed is no matter of anybody's, unless it is named.
                        Err(_) if name == Name::Open && !named => {}
                        Ok(()) => {}
                        Err(why) => push(problems, Problem { path: plain(entry.into_path()), why }),
                    }
                }
                Err(error) => {
                    let why = if error.io_error().is_some_and(|e| e.kind() == std::io::ErrorKind::PermissionDenied) {
                        "permission denied"
                    } else {
                        "cannot be accessed"
                    };
                    push(problems, Problem { path: plain(path_of(&error)), why });
                }
            }
            WalkState::Continue
        })
    });
    let mut dotenv = dotenv.into_inner().unwrap_or_default();
    dotenv.sort();
    let mut problems = problems.into_inner().unwrap_or_default();
    problems.sort_by(|a, b| a.path.cmp(&b.path));
    (dotenv, problems)
}

/// So many files are read by one thread as fast as by several,
const FEW_FILES: usize = 16;
/// where they have no more together (bytes).
const FEW_BYTES: u64 = 1 << 20;

/// Are the inputs few small files together, and folders of such without folders in them?
fn is_small(inputs: &[PathBuf]) -> bool {
    let (mut files, mut bytes) = (0, 0);
    let mut fits = |metadata: std::io::Result<std::fs::Metadata>| {
        let Ok(metadata) = metadata else { return false };
        files += 1;
        bytes += metadata.len();
        !metadata.is_dir() && files <= FEW_FILES && bytes <= FEW_BYTES
    };
    inputs.iter().all(|input| match std::fs::read_dir(input) {
        Ok(mut entries) => entries.all(|entry| fits(entry.and_then(|entry| entry.metadata()))),
        Err(_) => fits(input.metadata()),
    })
}

/// The folders that a walk goes through, the inputs that are folders first.
pub fn folders(walk: &Walk) -> Vec<PathBuf> {
    let inputs = walk.inputs.iter().filter(|input| input.is_dir());
    let below = |folder: &PathBuf| {
        let everything = walk.everything;
        let mut builder = WalkBuilder::new(folder);
        builder.standard_filters(false).follow_links(false);
        builder.filter_entry(move |entry| {
            let folder = entry.file_type().is_some_and(|kind| kind.is_dir());
            folder && (everything || entry.depth() == 0 || !entry.file_name().to_str().is_some_and(is_left_out))
        });
        builder.build().flatten().map(ignore::DirEntry::into_path).collect::<Vec<_>>()
    };
    inputs.flat_map(below).collect()
}

/// Does a folder of this name hold other people's code, caches, or version control's own data?
pub fn is_left_out(name: &str) -> bool {
    LEFT_OUT.contains(&name)
}

/// Why a link to settings is not followed.
const LEADS_OUT: &str = "a link that leads out of what is looked at; not followed";

/// Does a link lead to something in the folders that are looked at?
fn leads_inside(link: &Path, roots: &[PathBuf]) -> bool {
    link.canonicalize().is_ok_and(|target| roots.iter().any(|root| target.starts_with(root)))
}

/// A path without the `./` that a walk of the current folder puts in front.
fn plain(path: PathBuf) -> PathBuf {
    path.strip_prefix("./").map_or_else(|_| path.clone(), Path::to_path_buf)
}

fn push<T>(list: &Mutex<Vec<T>>, item: T) {
    // A poisoned list only means that another thread's visit panicked; what it holds is still whole.
    list.lock().unwrap_or_else(std::sync::PoisonError::into_inner).push(item);
}

fn path_of(error: &ignore::Error) -> PathBuf {
    match error {
        ignore::Error::WithPath { path, .. } => path.clone(),
        ignore::Error::WithDepth { err, .. } | ignore::Error::WithLineNumber { err, .. } => path_of(err),
        ignore::Error::Loop { child, .. } => child.clone(),
        _ => PathBuf::new(),
    }
}

/// A thread keeps at most so much room (bytes) for the next file.
const MOST_ROOM: usize = 4 << 20;

/// What a file is.
enum Candidate {
    /// One that may be a setup.
    File(Box<Input>),
    /// An archive, not yet looked through.
    Archive(File, archive::Kind),
    /// Something else.
    Other,
}

/// Reads a file that may be a setup, into `room` first: most are not, and room that is taken anew for each has to be cleared for each.
fn read_candidate(
    path: &Path,
    name: Name,
    named: bool,
    prefilter: &Prefilter,
    room: &mut Vec<u8>,
) -> Result<Candidate, &'static str> {
    let (mut file, facts) = open_seen(path).map_err(reason)?;
    let length = facts.len();
    if matches!(name, Name::Bundle | Name::Archive | Name::Open) {
        match archive::kind(&mut file).map_err(reason)? {
            Some(kind) => return Ok(Candidate::Archive(file, kind)),
            // An empty file has its name only.
            None if name != Name::Open && length > 0 => return Err("not a whole archive"),
            None => {}
        }
    }
    if matches!(name, Name::Open | Name::Prose | Name::Guide | Name::Script | Name::Shell | Name::Token)
        && length > OPEN_LIMIT
        && !named
    {
        return Ok(Candidate::Other);
    }
    // A table is data more often than not, and may be long: its first line decides.
    if name == Name::Table && !named {
        let mut head = Vec::with_capacity(HEAD);
        (&file).take(HEAD as u64).read_to_end(&mut head).map_err(reason)?;
        if !prefilter.passes(&head, name) {
            return Ok(Candidate::Other);
        }
        file.rewind().map_err(reason)?;
    }
    if length > MAX_BYTES as u64 {
        return if named || name == Name::Table || mentions_servers(&file) {
            Err("larger than 32 MiB, not read")
        } else {
            Ok(Candidate::Other)
        };
    }
    // What is long is data more often than not: it is looked through piece by piece, and read whole only where it is more.
    if name == Name::Notation && length > AT_ONCE as u64 && !named {
        if !may_pass(&mut file, prefilter, room).map_err(reason)? {
            return Ok(Candidate::Other);
        }
        file.rewind().map_err(reason)?;
        let mut bytes = Vec::new();
        read_bounded(&mut file, length, &mut bytes)?;
        let passes = prefilter.passes(&bytes, name);
        if !passes {
            return Ok(Candidate::Other);
        }
        return Ok(Candidate::File(Box::new(Input { path: shown(path), bytes, ..Input::default() })));
    }
    if room.capacity() > MOST_ROOM {
        *room = Vec::new();
    }
    read_bounded(&mut file, length, room)?;
    if name != Name::Sidecar && !named && !prefilter.passes(room, name) {
        return Ok(Candidate::Other);
    }
    Ok(Candidate::File(Box::new(Input { path: shown(path), bytes: room.clone(), ..Input::default() })))
}

/// Does the filter let any piece of a file through? Of each piece the end is looked at again with the next one.
fn may_pass(file: &mut File, prefilter: &Prefilter, room: &mut Vec<u8>) -> std::io::Result<bool> {
    room.clear();
    let mut left = MAX_BYTES as u64;
    loop {
        let kept = room.len();
        let read = (&mut *file).take(left.min(AT_ONCE as u64)).read_to_end(room)?;
        if read == 0 {
            return Ok(false);
        }
        if prefilter.passes(room, Name::Notation) {
            return Ok(true);
        }
        left = left.saturating_sub(read as u64);
        room.drain(..(kept + read).saturating_sub(AGAIN));
    }
}

/// Reads as much as the file held when it was opened, and never more than one byte over what the core takes, so that it is
/// refused there. What says it is empty may still have content (files of a system's own making): it is read up to that bound.
fn read_bounded(file: &mut File, length: u64, room: &mut Vec<u8>) -> Result<(), &'static str> {
    const MAX_READ_BYTES: u64 = MAX_BYTES as u64 + 1;
    let bound = if length == 0 { MAX_READ_BYTES } else { length.min(MAX_READ_BYTES) };
    room.clear();
    room.reserve(usize::try_from(length.min(MAX_READ_BYTES)).unwrap_or(0));
    file.take(bound).read_to_end(room).map_err(reason)?;
    Ok(())
}

fn reason(error: std::io::Error) -> &'static str {
    match error.kind() {
        std::io::ErrorKind::PermissionDenied => "permission denied",
        std::io::ErrorKind::NotFound => "not found",
        std::io::ErrorKind::InvalidInput => "not a regular file",
        _ => "cannot be read",
    }
}

/// Searches the beginning and the end of a large file, together as much as one that is read may have, for the word that names servers.
fn mentions_servers(mut file: &File) -> bool {
    const HALF: u64 = MAX_BYTES as u64 / 2;
    let Ok(word) = AhoCorasick::new(["mcpServers", "\"tsuba-evidence/"]) else { return false };
    let mut found =
        |from: SeekFrom| file.seek(from).is_ok() && word.stream_find_iter((&mut file).take(HALF)).next().is_some();
    found(SeekFrom::Start(0)) || found(SeekFrom::End(-i64::try_from(HALF).unwrap_or(i64::MAX)))
}

/// Reads one file that is named rather than found.
///
/// # Errors
/// Why it cannot be read.
pub fn read_file(path: &Path) -> Result<Input, &'static str> {
    let mut file = open_regular(path).map_err(reason)?;
    let length = file.metadata().map_err(reason)?.len();
    let mut bytes = Vec::new();
    read_bounded(&mut file, length, &mut bytes)?;
    Ok(Input { path: shown(path), bytes, ..Input::default() })
}

/// A path as it is shown: `./` in front is left out.
fn shown(path: &Path) -> String {
    let text = path.to_string_lossy();
    text.strip_prefix("./").unwrap_or(&text).to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_much_is_read_by_several() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let small = |inputs: &[PathBuf]| is_small(inputs);
        for number in 0..FEW_FILES {
            std::fs::write(at(&format!("{number}.json")), "{}").unwrap();
        }
        let inputs = [folder.path().to_owned()];
        assert!(small(&inputs) && small(&[at("0.json")]) && small(&[]));
        assert!(!small(&[at("0.json"), folder.path().to_owned()]));
        assert!(!small(&[at("none.json")]));
        // Each of these alone is too much.
        std::fs::write(at("0.json"), vec![b' '; 1 << 20]).unwrap();
        assert!(!small(&inputs));
        std::fs::remove_file(at("0.json")).unwrap();
        assert!(small(&inputs));
        std::fs::create_dir(at("below")).unwrap();
        assert!(!small(&inputs));
    }
}
