//! Where to look, as it is typed.

use crate::naming::Naming;
use anyhow::{Context as _, bail};
use clap::Args;
use globset::{Glob, GlobBuilder, GlobSet, GlobSetBuilder};
use std::path::{Path, PathBuf};

/// Where to look.
#[derive(Clone, Debug, Args)]
pub(crate) struct InputArgs {
    /// Folders and files to scan, or `-` for one document on standard input [default: the current folder]
    #[arg(value_name = "INPUT")]
    pub(crate) inputs: Vec<PathBuf>,
    /// Judge this before it is installed: a command line, an install link, an address, a package with its version, or `-` for
    /// a document on standard input (may be given several times)
    #[arg(long, value_name = "TEXT")]
    pub(crate) candidate: Vec<String>,
    /// Also scan the current user's settings, where programs of Linux, macOS and Windows keep them; private files are not opened
    #[arg(long)]
    pub(crate) home: bool,
    /// Also scan dependency, cache and version-control folders
    #[arg(long)]
    pub(crate) everything: bool,
    /// Leave out files and folders of this pattern, as paths are told: `docs/**`, `**/test/**` (may be given several times)
    #[arg(long, value_name = "PATTERN", value_parser = pattern)]
    pub(crate) exclude: Vec<Glob>,
    /// Threads to use; 0 means one for each core
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) jobs: usize,
    /// Configuration file [default: tsuba.toml in the current folder, else this account's own; one that lies in what is judged only where it is trusted]
    #[arg(long, value_name = "FILE")]
    pub(crate) config: Option<PathBuf>,
    /// Judge packages by published advisories of this folder, in the OSV format (may be given several times)
    #[arg(long, value_name = "FOLDER")]
    pub(crate) advisories: Vec<PathBuf>,
    /// Folders of evidence, in full, and whether they lie in the inputs anyway.
    #[arg(skip)]
    pub(super) evidence: Vec<(PathBuf, bool)>,
}

/// A pattern of paths.
fn pattern(text: &str) -> Result<Glob, String> {
    let glob = GlobBuilder::new(text.trim_start_matches("./")).literal_separator(true).build();
    glob.map_err(|error| format!("not a path pattern ({}); write for example \"docs/**\"", error.kind()))
}

impl InputArgs {
    /// The inputs as given, for the report.
    pub(crate) fn names(&self) -> Vec<String> {
        if !self.candidate.is_empty() && self.inputs.is_empty() {
            // What was pasted may hold a secret; its entry tells what it is.
            return vec!["candidate".to_owned()];
        }
        let home = self.home.then(|| "the home folder".to_owned());
        self.paths().iter().map(|input| input.to_string_lossy().into_owned()).chain(home).collect()
    }

    pub(super) fn paths(&self) -> Vec<PathBuf> {
        let stdin = self.candidate.iter().any(|text| text == "-").then(|| PathBuf::from("-"));
        let none = self.inputs.is_empty() && self.candidate.is_empty() && !self.home;
        let here = none.then(|| PathBuf::from("."));
        self.inputs.iter().cloned().chain(stdin).chain(here).collect()
    }

    /// The folders and files that can be watched.
    pub(crate) fn watched(&self) -> Vec<PathBuf> {
        self.paths()
    }

    /// These folders and files.
    pub(crate) fn inputs(inputs: Vec<PathBuf>, config: Option<PathBuf>) -> Self {
        Self {
            inputs,
            candidate: Vec::new(),
            home: false,
            everything: false,
            exclude: Vec::new(),
            jobs: 0,
            config,
            advisories: Vec::new(),
            evidence: Vec::new(),
        }
    }

    /// One folder as it is.
    pub(crate) fn folder(folder: PathBuf, jobs: usize, config: Option<PathBuf>) -> Self {
        Self { jobs, ..Self::inputs(vec![folder], config) }
    }

    /// What is left out.
    pub(super) fn excluded(&self) -> anyhow::Result<GlobSet> {
        let mut builder = GlobSetBuilder::new();
        for glob in &self.exclude {
            builder.add(glob.clone());
        }
        builder.build().context("--exclude: the path patterns are too large together")
    }

    /// Is this, given in full, a folder of evidence that lies in none of the inputs?
    fn is_beside(&self, whole: &Path) -> bool {
        self.evidence.iter().any(|(folder, within)| !within && folder == whole)
    }

    /// The roots of what is judged, in full: the repositories that the inputs lie in, and the inputs that are folders.
    pub(crate) fn roots(&self) -> Vec<PathBuf> {
        let inputs = self.paths().into_iter().filter_map(|input| input.canonicalize().ok());
        let root = |whole: PathBuf| {
            let folder = if whole.is_dir() { Some(whole.as_path()) } else { whole.parent() };
            let repository = folder.and_then(tsuba_find::root);
            repository.or_else(|| whole.is_dir().then(|| whole.clone()))
        };
        let mut roots: Vec<PathBuf> = inputs.filter(|whole| !self.is_beside(whole)).filter_map(root).collect();
        roots.sort();
        roots.dedup();
        roots
    }

    /// What files are called that are found under the inputs.
    pub(super) fn naming(&self, home: Option<&Path>) -> Naming {
        let beside = |input: &Path| input.canonicalize().is_ok_and(|whole| self.is_beside(&whole));
        let paths = self.paths().into_iter().filter(|path| path.as_os_str() != "-");
        let (evidence, inputs): (Vec<PathBuf>, Vec<PathBuf>) = paths.partition(|path| beside(path));
        Naming::new(&inputs, &evidence, home)
    }

    /// Does a file lie in a folder of evidence, and does that lie in the inputs?
    pub(super) fn evidence(&self, path: &Path) -> Option<bool> {
        if self.evidence.is_empty() {
            return None;
        }
        let path = path.canonicalize().ok()?;
        self.evidence.iter().find(|(folder, _)| path.starts_with(folder)).map(|(_, within)| *within)
    }

    /// With folders of evidence, but for those that lie in the inputs anyway.
    pub(crate) fn with(&self, evidence: &[PathBuf]) -> anyhow::Result<Self> {
        let (mut inputs, mut folders) = (self.paths(), Vec::new());
        let whole = |path: &Path| path.canonicalize().ok();
        let known: Vec<PathBuf> = inputs.iter().filter_map(|input| whole(input)).collect();
        for folder in evidence {
            let Some(path) = whole(folder) else { bail!("--evidence {}: there is no such folder", folder.display()) };
            let within = known.iter().any(|input| path.starts_with(input));
            if !within {
                inputs.push(folder.clone());
            }
            folders.push((path, within));
        }
        Ok(Self { inputs, evidence: folders, ..self.clone() })
    }
}
