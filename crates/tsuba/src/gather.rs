//! find, read and understand, for every command that looks at setups.

use crate::config::Config;
use crate::progress::Progress;
use crate::threads::Threads;
use anyhow::{Context as _, bail};
use clap::Args;
use std::collections::{BTreeSet, HashSet};
use std::ffi::OsStr;
use std::io::{self, Read as _};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use tsuba_core::judge::{Spread as _, UnreadFile};
use tsuba_core::read::{self, Input, MAX_BYTES};
use tsuba_core::understand::{Outcome, SetupKind, Study, credential::Lexicon, study, study_pasted};
use tsuba_find::{Facts, Walk};

/// Where to look.
#[derive(Clone, Debug, Args)]
pub(crate) struct Where {
    /// Folders and files to look at, or `-` for one document on standard input; none means the current folder
    #[arg(value_name = "INPUT")]
    pub(crate) inputs: Vec<PathBuf>,
    /// Judge this before it is installed: a command line, an install link, an address, a package with its version, or `-` for
    /// a document on standard input (may be given several times)
    #[arg(long, value_name = "TEXT")]
    pub(crate) candidate: Vec<String>,
    /// Also look at this person's own settings, where programs of Linux, macOS and Windows keep them; nothing private is opened
    #[arg(long)]
    pub(crate) home: bool,
    /// Also look into dependency, cache and version-control folders
    #[arg(long)]
    pub(crate) everything: bool,
    /// Threads to use; 0 means one for each core
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) jobs: usize,
    /// Configuration file [default: tsuba.toml in the current folder, where there is one]
    #[arg(long, value_name = "FILE")]
    pub(crate) config: Option<PathBuf>,
    /// Folders of evidence, in full, and whether they lie in the inputs anyway.
    #[arg(skip)]
    evidence: Vec<(PathBuf, bool)>,
}

impl Where {
    /// The inputs as given, for the report.
    pub(crate) fn names(&self) -> Vec<String> {
        if !self.candidate.is_empty() && self.inputs.is_empty() {
            // What was pasted may hold a secret; its entry tells what it is.
            return vec!["candidate".to_owned()];
        }
        let home = self.home.then(|| "the home folder".to_owned());
        self.paths().iter().map(|input| input.to_string_lossy().into_owned()).chain(home).collect()
    }

    fn paths(&self) -> Vec<PathBuf> {
        let stdin = self.candidate.iter().any(|text| text == "-").then(|| PathBuf::from("-"));
        let none = self.inputs.is_empty() && self.candidate.is_empty() && !self.home;
        let here = none.then(|| PathBuf::from("."));
        self.inputs.iter().cloned().chain(stdin).chain(here).collect()
    }

    /// These folders and files.
    pub(crate) fn inputs(inputs: Vec<PathBuf>, config: Option<PathBuf>) -> Self {
        Self { inputs, candidate: Vec::new(), home: false, everything: false, jobs: 0, config, evidence: Vec::new() }
    }

    /// One folder as it is.
    pub(crate) fn folder(folder: PathBuf, jobs: usize, config: Option<PathBuf>) -> Self {
        Self { jobs, ..Self::inputs(vec![folder], config) }
    }

    /// Does a file lie in a folder of evidence, and does that lie in the inputs?
    fn evidence(&self, path: &Path) -> Option<bool> {
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

/// What was found and understood.
pub(crate) struct Gathered {
    pub(crate) studies: Vec<Study>,
    pub(crate) unread: Vec<UnreadFile>,
    /// With what the company has configured.
    pub(crate) config: Config,
}

/// Collects from several threads.
struct Collected {
    studies: Mutex<Vec<Study>>,
    unread: Mutex<Vec<UnreadFile>>,
    lexicon: Lexicon,
}

impl Collected {
    fn take(&self, input: Input) {
        let path = input.path.clone();
        // A parser's bug on one file must not lose the others.
        match catch_unwind(AssertUnwindSafe(|| study(input, &self.lexicon))) {
            Ok(Outcome::Setup(study)) => push(&self.studies, *study),
            Ok(Outcome::Other) => {}
            Ok(Outcome::Unread(unreadable, line)) => {
                push(&self.unread, UnreadFile { path, line, why: unreadable.why.to_string() })
            }
            Err(_) => push(
                &self.unread,
                UnreadFile { path, line: None, why: "an internal error while reading it".to_owned() },
            ),
        }
    }
}

fn push<T>(list: &Mutex<Vec<T>>, item: T) {
    list.lock().unwrap_or_else(PoisonError::into_inner).push(item);
}

/// Finds, reads and understands everything that `wanted` names; `base` is cut from the paths that are shown.
pub(crate) fn gather(wanted: &Where, base: Option<&Path>) -> anyhow::Result<Gathered> {
    let config = Config::load(wanted.config.as_deref())?;
    let inputs = wanted.paths();
    let collected = Collected {
        studies: Mutex::default(),
        unread: Mutex::default(),
        lexicon: Lexicon::with(config.policy.vocabulary.clone()),
    };
    let (stdin, paths): (Vec<PathBuf>, Vec<PathBuf>) =
        inputs.iter().cloned().partition(|input| input.as_os_str() == "-");
    if !stdin.is_empty() {
        collected.take(standard_input()?);
    }
    for text in wanted.candidate.iter().filter(|text| *text != "-") {
        match study_pasted(text, &collected.lexicon) {
            Outcome::Setup(study) => push(&collected.studies, *study),
            Outcome::Other | Outcome::Unread(..) if text.contains("://") => bail!(
                "--candidate: the link carries no configuration that can be read (it may be cut off); paste it whole, or the configuration itself"
            ),
            Outcome::Other | Outcome::Unread(..) => bail!(
                "--candidate: neither a command line, an install link, an address nor a package; write a package as npm:NAME@VERSION, pypi:NAME==VERSION or image:NAME:TAG"
            ),
        }
    }
    for path in &paths {
        if path.symlink_metadata().is_err() {
            bail!("{}: there is no such file or folder", path.display());
        }
    }
    let progress = Progress::new();
    let visit = |input| {
        progress.step();
        collected.take(input);
    };
    let walk = Walk { inputs: paths, everything: wanted.everything, jobs: wanted.jobs, homes: false };
    let (mut dotenv, mut problems) = tsuba_find::walk(&walk, &visit);
    if wanted.home {
        let home = std::env::home_dir().context("--home: this person has no home folder (HOME)")?;
        let seen: BTreeSet<String> = lock(&collected.studies).iter().map(|s| s.document.path.clone()).collect();
        let walk = Walk { inputs: vec![home], homes: true, ..walk };
        // What lies in the inputs too is looked at once.
        let (more, worse) = tsuba_find::walk(&walk, &|input: Input| {
            if !seen.contains(&input.path) {
                visit(input);
            }
        });
        dotenv.extend(more);
        problems.extend(worse);
    }
    beside(&collected, &dotenv, Threads::new(wanted.jobs));
    progress.done();
    let mut studies = collected.studies.into_inner().unwrap_or_else(PoisonError::into_inner);
    let mut unread = collected.unread.into_inner().unwrap_or_else(PoisonError::into_inner);
    unread.extend(problems.into_iter().map(|p| UnreadFile {
        path: p.path.to_string_lossy().into_owned(),
        line: None,
        why: p.why.to_owned(),
    }));
    let mut facts = Facts::default();
    for study in studies.iter_mut().filter(|s| s.document.path != STDIN && s.kind != SetupKind::Candidate) {
        let path = Path::new(&study.document.path);
        let evidence = wanted.evidence(path);
        study.document.facts = read::Facts {
            team: config.team_of(path),
            evidence: evidence.is_some(),
            beside: evidence == Some(false),
            ..facts.of(path)
        };
        shorten(&mut study.document.path, base);
    }
    unread.iter_mut().for_each(|u| shorten(&mut u.path, base));
    Ok(Gathered { studies, unread, config })
}

fn lock<T>(list: &Mutex<Vec<T>>) -> std::sync::MutexGuard<'_, Vec<T>> {
    list.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Dotenv files are read where a setup lies beside them or names them.
fn beside(collected: &Collected, dotenv: &[PathBuf], threads: Threads) {
    let (mut wanted, known) = {
        let studies = lock(&collected.studies);
        let path = |study: &Study| PathBuf::from(&study.document.path);
        // By their bytes, since comparing paths part by part takes long for many.
        let folders: HashSet<&OsStr> =
            studies.iter().filter_map(|study| Path::new(&study.document.path).parent()).map(Path::as_os_str).collect();
        let lies_beside = |file: &&PathBuf| file.parent().is_some_and(|parent| folders.contains(parent.as_os_str()));
        let mut wanted: Vec<PathBuf> = dotenv.iter().filter(lies_beside).cloned().collect();
        for study in studies.iter() {
            let folder = Path::new(&study.document.path).parent().unwrap_or(Path::new(""));
            for named in study.entries.iter().flat_map(|entry| &entry.env_files) {
                let text = named.text.replace("${workspaceFolder}/", "");
                if !text.contains(['$', '%', '{']) {
                    wanted.push(folder.join(text.strip_prefix("./").unwrap_or(&text)));
                }
            }
        }
        (wanted, studies.iter().map(path).collect::<HashSet<PathBuf>>())
    };
    wanted.sort();
    wanted.dedup();
    wanted.retain(|file| !known.contains(file));
    threads.spread(&wanted, |_, file| {
        // A named file that is not there is no setup of ours to read.
        if let Ok(input) = tsuba_find::read_file(file) {
            collected.take(input);
        }
        Vec::<()>::new()
    });
}

fn shorten(path: &mut String, base: Option<&Path>) {
    if let Some(short) = base.and_then(|base| Path::new(path.as_str()).strip_prefix(base).ok()) {
        *path = short.to_string_lossy().into_owned();
    }
}

const STDIN: &str = "-";

fn standard_input() -> anyhow::Result<Input> {
    let mut bytes = Vec::new();
    io::stdin().lock().take(MAX_BYTES as u64 + 1).read_to_end(&mut bytes).context("cannot read standard input")?;
    Ok(Input { path: STDIN.to_owned(), bytes, ..Input::default() })
}
