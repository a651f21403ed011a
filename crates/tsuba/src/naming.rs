//! What files are called: from the root of their repository, else from the input that they lie in, so that it depends neither on how an input
//! was typed nor on where the tree lies.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::{Component, Path, PathBuf};
use tsuba_core::read::{self, Input};

/// Knows for every input from where its files are named.
#[derive(Debug, Default)]
pub(crate) struct Naming {
    /// By the input as it is typed.
    inputs: HashMap<PathBuf, Named>,
    /// The folders from which what is judged is named.
    pub(crate) bases: BTreeSet<PathBuf>,
    /// What is judged, in full.
    judged: BTreeSet<PathBuf>,
}

/// An input, and from where it is named.
#[derive(Clone, Debug)]
struct Named {
    /// The input in full.
    whole: PathBuf,
    /// The folder that its files are named from.
    base: PathBuf,
    /// What stands before their names, where files of several folders are named.
    lead: String,
}

/// A file's names.
pub(crate) struct Names {
    /// As it is shown.
    pub(crate) path: String,
    /// In full.
    pub(crate) whole: PathBuf,
}

impl Naming {
    /// For inputs, and for folders of evidence that lie in none of them: those are called as they are typed.
    pub(crate) fn new(inputs: &[PathBuf], evidence: &[PathBuf], home: Option<&Path>) -> Self {
        let mut out = Self::default();
        for input in inputs {
            let Ok(whole) = input.canonicalize() else { continue };
            let folder = if whole.is_dir() { whole.clone() } else { parent(&whole) };
            let base = tsuba_find::root(&folder).unwrap_or(folder);
            out.bases.insert(base.clone());
            out.judged.insert(whole.clone());
            out.inputs.insert(plain(input), Named { whole, base, lead: String::new() });
        }
        if out.bases.len() > 1 {
            let leads = leads(&out.bases);
            for named in out.inputs.values_mut() {
                named.lead = leads.get(&named.base).cloned().unwrap_or_default();
            }
        }
        for folder in evidence {
            let Ok(whole) = folder.canonicalize() else { continue };
            let lead = text(&plain(folder));
            out.inputs.entry(plain(folder)).or_insert(Named { base: whole.clone(), whole, lead });
        }
        if let Some(home) = home {
            let whole = home.canonicalize().unwrap_or_else(|_| home.to_owned());
            // Where the home folder is an input itself, that is how it is named.
            let named = Named { base: whole.clone(), whole, lead: "~".to_owned() };
            out.inputs.entry(home.to_owned()).or_insert(named);
        }
        out
    }

    /// The parts of a folder that are judged, by their paths in it; none where all of it is.
    pub(crate) fn within(&self, base: &Path) -> Vec<String> {
        let inside = self.judged.iter().filter_map(|whole| whole.strip_prefix(base).ok()).map(text);
        let parts: Vec<String> = inside.collect();
        if parts.iter().any(String::is_empty) { Vec::new() } else { parts }
    }

    /// All that is judged, in full.
    pub(crate) fn judged(&self) -> Vec<String> {
        self.judged.iter().map(|whole| text(whole)).collect()
    }

    /// What a file is called that was found under one of the inputs.
    pub(crate) fn names(&self, file: &Path) -> Names {
        // Below the innermost input that leads to it.
        let found = file.ancestors().find_map(|above| Some((above, self.inputs.get(above)?)));
        let Some((typed, named)) = found else {
            return Names { path: text(file), whole: file.canonicalize().unwrap_or_else(|_| file.to_owned()) };
        };
        let rest = file.strip_prefix(typed).unwrap_or(Path::new(""));
        let leads_up = rest.components().any(|part| part == Component::ParentDir);
        let whole = if rest.as_os_str().is_empty() { named.whole.clone() } else { named.whole.join(rest) };
        let whole = if leads_up { whole.canonicalize().unwrap_or(whole) } else { whole };
        let path = match whole.strip_prefix(&named.base) {
            Ok(inside) if named.lead.is_empty() && !inside.as_os_str().is_empty() => text(inside),
            Ok(inside) => text(&Path::new(&named.lead).join(inside)),
            Err(_) => text(file),
        };
        Names { path: path.trim_end_matches('/').to_owned(), whole }
    }

    /// What a folder is called, given in full; `None` where it lies in no input.
    pub(crate) fn of_folder(&self, whole: &Path) -> Option<String> {
        let below = |named: &&Named| whole.starts_with(&named.base) && whole != named.base;
        let named = self.inputs.values().filter(below).max_by_key(|named| named.base.as_os_str().len())?;
        Some(text(&Path::new(&named.lead).join(whole.strip_prefix(&named.base).ok()?)))
    }

    /// Calls a file by its names.
    pub(crate) fn named(&self, input: Input) -> (Input, PathBuf) {
        let Names { path, whole } = self.names(Path::new(&input.path));
        let file = (path != input.path).then_some(input.path);
        (Input { path, bytes: input.bytes, facts: read::Facts { file, ..input.facts } }, whole)
    }
}

/// The last parts of each folder's path that no other has.
fn leads(bases: &BTreeSet<PathBuf>) -> BTreeMap<PathBuf, String> {
    let tail = |base: &Path, parts: usize| {
        let all: Vec<String> = base.iter().map(|part| part.to_string_lossy().into_owned()).collect();
        all.get(all.len().saturating_sub(parts)..).unwrap_or_default().join("/")
    };
    let longest = bases.iter().map(|base| base.iter().count()).max().unwrap_or(1);
    let mut out = BTreeMap::new();
    for parts in 1..=longest {
        let open = || bases.iter().filter(|base| !out.contains_key(*base));
        let mut counts: BTreeMap<String, usize> = BTreeMap::new();
        open().for_each(|base| *counts.entry(tail(base, parts)).or_default() += 1);
        let own: Vec<(PathBuf, String)> = open()
            .map(|base| (base.clone(), tail(base, parts)))
            .filter(|(_, tail)| counts.get(tail).is_some_and(|count| *count == 1))
            .collect();
        out.extend(own);
    }
    out
}

fn parent(path: &Path) -> PathBuf {
    path.parent().map(Path::to_path_buf).unwrap_or_default()
}

/// As files are told that lie under it: without `./`, and nothing for the current folder.
fn plain(input: &Path) -> PathBuf {
    input.components().filter(|part| *part != Component::CurDir).collect()
}

fn text(path: &Path) -> String {
    path.to_string_lossy().replace('\\', "/")
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn a_file_is_called_the_same_however_its_input_is_typed() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().canonicalize().unwrap();
        for path in ["repo/.git", "repo/sub/deep", "plain/sub", "x/same", "y/same", "evidence", "ines"] {
            fs::create_dir_all(root.join(path)).unwrap();
        }
        for path in ["repo/sub/mcp.json", "plain/sub/mcp.json", "x/same/mcp.json", "y/same/mcp.json"] {
            fs::write(root.join(path), "{}").unwrap();
        }
        for (inputs, file, want) in [
            (&["repo"][..], "repo/sub/mcp.json", "sub/mcp.json"),
            (&["repo/sub"], "repo/sub/mcp.json", "sub/mcp.json"),
            (&["repo/sub/mcp.json"], "repo/sub/mcp.json", "sub/mcp.json"),
            (&["repo/sub/deep/.."], "repo/sub/deep/../mcp.json", "sub/mcp.json"),
            (&["repo", "repo/sub"], "repo/sub/mcp.json", "sub/mcp.json"),
            (&["plain"], "plain/sub/mcp.json", "sub/mcp.json"),
            (&["plain/sub/mcp.json"], "plain/sub/mcp.json", "mcp.json"),
            (&[""], "repo/sub/mcp.json", "repo/sub/mcp.json"),
            (&["plain", "repo"], "repo/sub/mcp.json", "repo/sub/mcp.json"),
            (&["x/same", "y/same"], "y/same/mcp.json", "y/same/mcp.json"),
            (&["plain"], "plain/sub/../../repo/sub/mcp.json", "plain/sub/../../repo/sub/mcp.json"),
            (&["plain"], "evidence/tide.json", "evidence/tide.json"),
            (&["plain"], "ines/.config/mcp.json", "~/.config/mcp.json"),
        ] {
            let inputs: Vec<PathBuf> = inputs.iter().map(|input| root.join(input)).collect();
            let home = root.join("ines");
            let naming = Naming::new(&inputs, &[root.join("evidence")], Some(&home));
            let path = naming.names(&root.join(file)).path;
            let path = path.strip_prefix(&format!("{}/", root.display())).unwrap_or(&path);
            assert_eq!(path, want, "{inputs:?}");
        }
    }
}
