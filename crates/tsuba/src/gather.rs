//! find, read and understand, for every command that looks at setups.

use crate::advisories;
use crate::config::Config;
use crate::naming::Naming;
use crate::progress::Progress;
use crate::threads::Threads;
use crate::trusted::Judged;
use anyhow::{Context as _, bail};
use clap::Args;
use globset::{Glob, GlobBuilder, GlobSet, GlobSetBuilder};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::ffi::OsStr;
use std::io::{self, Read as _};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use tsuba_core::judge::{Parallel as _, UnreadFile};
use tsuba_core::read::{self, Input, MAX_BYTES};
use tsuba_core::understand::{Analysis, Outcome, SetupKind, analyze, analyze_pasted, credential::Lexicon};
use tsuba_find::{Facts, Walk};
use tsuba_report::{RepositorySource, Source};

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
    evidence: Vec<(PathBuf, bool)>,
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

    fn paths(&self) -> Vec<PathBuf> {
        let stdin = self.candidate.iter().any(|text| text == "-").then(|| PathBuf::from("-"));
        let none = self.inputs.is_empty() && self.candidate.is_empty() && !self.home;
        let here = none.then(|| PathBuf::from("."));
        self.inputs.iter().cloned().chain(stdin).chain(here).collect()
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
    fn excluded(&self) -> anyhow::Result<GlobSet> {
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
    fn naming(&self, home: Option<&Path>) -> Naming {
        let beside = |input: &Path| input.canonicalize().is_ok_and(|whole| self.is_beside(&whole));
        let paths = self.paths().into_iter().filter(|path| path.as_os_str() != "-");
        let (evidence, inputs): (Vec<PathBuf>, Vec<PathBuf>) = paths.partition(|path| beside(path));
        Naming::new(&inputs, &evidence, home)
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
    pub(crate) analyses: Vec<Analysis>,
    pub(crate) unread: Vec<UnreadFile>,
    /// With what the company has configured.
    pub(crate) config: Config,
    /// Where it comes from.
    pub(crate) source: Source,
}

/// Collects from several threads.
struct Collected {
    naming: Naming,
    exclude: GlobSet,
    /// The files that were taken, in full: what two inputs lead to is one file.
    taken: Mutex<HashSet<(PathBuf, bool)>>,
    analyses: Mutex<Vec<Analysis>>,
    unread: Mutex<Vec<UnreadFile>>,
    lexicon: Lexicon,
}

impl Collected {
    fn take(&self, input: Input) {
        let (input, whole) = self.naming.named(input);
        if self.exclude.is_match(&input.path) {
            return;
        }
        // A folder may be called as an archive's inside: a file in it is another one.
        if lock(&self.taken).insert((whole, input.facts.packed)) {
            self.understand(input);
        }
    }

    fn understand(&self, input: Input) {
        let path = input.path.clone();
        // A parser's bug on one file must not lose the others.
        match catch_unwind(AssertUnwindSafe(|| analyze(input, &self.lexicon))) {
            Ok(Outcome::Setup(analysis)) => push(&self.analyses, *analysis),
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
    lock(list).push(item);
}

/// Finds, reads and understands everything that `wanted` names.
pub(crate) fn gather(wanted: &InputArgs) -> anyhow::Result<Gathered> {
    let mut config = Judged::of(wanted)?.config(wanted.config.as_deref())?;
    let folders = [wanted.advisories.as_slice(), &config.advisories].concat();
    if !folders.is_empty() {
        config.policy.advisories = advisories::load(&folders, Threads::new(wanted.jobs))?.into();
    }
    let inputs = wanted.paths();
    let home = wanted.home.then(|| std::env::home_dir().context("--home: this person has no home folder (HOME)"));
    let home = home.transpose()?;
    let collected = Collected {
        naming: wanted.naming(home.as_deref()),
        exclude: wanted.excluded()?,
        taken: Mutex::default(),
        analyses: Mutex::default(),
        unread: Mutex::default(),
        lexicon: Lexicon::with(config.policy.vocabulary.clone()),
    };
    let (stdin, paths): (Vec<PathBuf>, Vec<PathBuf>) =
        inputs.iter().cloned().partition(|input| input.as_os_str() == "-");
    if !stdin.is_empty() {
        let mut input = standard_input()?;
        input.facts.candidate = wanted.candidate.iter().any(|text| text == "-");
        collected.understand(input);
    }
    for text in wanted.candidate.iter().filter(|text| *text != "-") {
        match analyze_pasted(text, &collected.lexicon) {
            Outcome::Setup(analysis) => push(&collected.analyses, *analysis),
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
    if let Some(home) = home {
        let walk = Walk { inputs: vec![home], homes: true, ..walk };
        let (more, worse) = tsuba_find::walk(&walk, &visit);
        dotenv.extend(more);
        problems.extend(worse);
    }
    read_sidecars(&collected, &dotenv, Threads::new(wanted.jobs));
    progress.done();
    let mut analyses = collected.analyses.into_inner().unwrap_or_else(PoisonError::into_inner);
    let mut unread = collected.unread.into_inner().unwrap_or_else(PoisonError::into_inner);
    let mut message = HashSet::new();
    for problem in problems {
        let names = collected.naming.names(&problem.path);
        if !collected.exclude.is_match(&names.path) && message.insert(names.whole) {
            unread.push(UnreadFile { path: names.path, line: None, why: problem.why.to_owned() });
        }
    }
    let mut facts = Facts::default();
    let configured = config.path.as_deref().and_then(folder_of);
    for analysis in analyses.iter_mut().filter(|s| s.document.path != STDIN && s.kind != SetupKind::Candidate) {
        let file = analysis.document.file().to_owned();
        // What is packed has the facts of its archive.
        let packed = analysis.document.facts.packed;
        let cut = if packed { tsuba_find::packed_in(&file) } else { None };
        let (outer, inner) = cut.map_or((&*file, None), |(outer, inner)| (outer, Some(inner)));
        let path = Path::new(outer);
        let evidence = wanted.evidence(path);
        let whole = path.canonicalize().ok().map(|whole| match inner {
            Some(inner) => PathBuf::from(format!("{}!/{inner}", whole.display())),
            None => whole,
        });
        let below = |folder: &Path| {
            let inside = whole.as_deref()?.strip_prefix(folder).ok()?;
            Some(inside.to_string_lossy().replace('\\', "/"))
        };
        let repository = facts.repository(whole.as_deref().unwrap_or(path));
        let inside = repository.and_then(|repository| below(&repository.root));
        let identity = repository.zip(inside.as_ref()).map(|(repository, inside)| {
            repository.remote.as_ref().map_or_else(|| inside.clone(), |remote| format!("{remote}//{inside}"))
        });
        let code_owner = repository.zip(inside).and_then(|(repository, inside)| repository.owner(Path::new(&inside)));
        analysis.document.facts = read::Facts {
            code_owner,
            team: config.team_of(path),
            evidence: evidence.is_some(),
            outside_inputs: evidence == Some(false),
            policy_path: configured.as_deref().and_then(below),
            identity,
            packed,
            file: analysis.document.facts.file.take(),
            ..facts.of(path)
        };
    }
    tell_apart(&mut analyses);
    let source = source(&collected.naming, &mut facts, &analyses);
    Ok(Gathered { analyses, unread, config, source })
}

/// The folder of a file, in full.
fn folder_of(file: &Path) -> Option<PathBuf> {
    file.canonicalize().ok()?.parent().map(Path::to_path_buf)
}

/// Two documents that would be the same for a register are told apart by where they lie: copies of one repository in one tree.
fn tell_apart(analyses: &mut [Analysis]) {
    let mut counts: HashMap<String, usize> = HashMap::new();
    analyses.iter().for_each(|analysis| *counts.entry(analysis.document.identity().to_owned()).or_default() += 1);
    for document in analyses.iter_mut().map(|analysis| &mut analysis.document) {
        if counts.get(document.identity()).is_some_and(|count| *count > 1) {
            document.facts.identity = Some(format!("{}  {}", document.identity(), document.path));
        }
    }
}

/// From where what was looked at comes.
fn source(naming: &Naming, facts: &mut Facts, analyses: &[Analysis]) -> Source {
    let mut out = Source { account: Facts::account(), host: Facts::host(), ..Source::default() };
    let known = |repository: &tsuba_find::Repository| (repository.remote.clone(), repository.commit.clone());
    let mut bases = naming.bases.iter();
    if let (Some(base), None) = (bases.next(), bases.next()) {
        out.root = Some(base.to_string_lossy().into_owned());
        out.within = naming.within(base);
        if let Some(repository) = facts.of_folder(base).filter(|repository| repository.root == *base) {
            (out.repository, out.commit) = known(repository);
        }
    }
    if out.root.is_none() {
        out.within = naming.judged();
    }
    // Those that lie below: what is judged may be a folder full of them.
    let mut below = BTreeMap::new();
    for analysis in analyses.iter().filter(|analysis| !analysis.document.facts.outside_inputs) {
        let Some(repository) = facts.repository(Path::new(analysis.document.file())) else { continue };
        let whole = repository.root.to_string_lossy();
        if out.root.as_deref() == Some(&*whole) {
            continue;
        }
        let Some(path) = naming.of_folder(&repository.root) else { continue };
        below.entry(path).or_insert_with(|| known(repository));
    }
    out.repositories =
        below.into_iter().map(|(path, (repository, commit))| RepositorySource { path, repository, commit }).collect();
    out
}

fn lock<T>(list: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    list.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Dotenv files are read where a setup lies beside them or names them.
fn read_sidecars(collected: &Collected, dotenv: &[PathBuf], threads: Threads) {
    let (mut wanted, known) = {
        let analyses = lock(&collected.analyses);
        let path = |analysis: &Analysis| PathBuf::from(analysis.document.file());
        // By their bytes, since comparing paths part by part takes long for many.
        let folders: HashSet<&OsStr> = analyses
            .iter()
            .filter_map(|analysis| Path::new(analysis.document.file()).parent())
            .map(Path::as_os_str)
            .collect();
        let lies_beside = |file: &&PathBuf| file.parent().is_some_and(|parent| folders.contains(parent.as_os_str()));
        let mut wanted: Vec<PathBuf> = dotenv.iter().filter(lies_beside).cloned().collect();
        for analysis in analyses.iter() {
            let folder = Path::new(analysis.document.file()).parent().unwrap_or(Path::new(""));
            for named in analysis.entries.iter().flat_map(|entry| &entry.env_files) {
                let text = named.text.replace("${workspaceFolder}/", "");
                if !text.contains(['$', '%', '{']) {
                    wanted.push(folder.join(text.strip_prefix("./").unwrap_or(&text)));
                }
            }
        }
        (wanted, analyses.iter().map(path).collect::<HashSet<PathBuf>>())
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

const STDIN: &str = "-";

fn standard_input() -> anyhow::Result<Input> {
    let mut bytes = Vec::new();
    io::stdin().lock().take(MAX_BYTES as u64 + 1).read_to_end(&mut bytes).context("cannot read standard input")?;
    Ok(Input { path: STDIN.to_owned(), bytes, ..Input::default() })
}
