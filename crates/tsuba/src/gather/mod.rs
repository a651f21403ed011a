//! find, read and understand, for every command that looks at setups.

mod inputs;
mod placed;

pub(crate) use inputs::InputArgs;

use crate::advisories;
use crate::config::Config;
use crate::naming::Naming;
use crate::progress::Progress;
use crate::threads::Threads;
use crate::trusted::Judged;
use anyhow::{Context as _, bail};
use globset::GlobSet;
use std::collections::HashSet;
use std::ffi::OsStr;
use std::io::{self, Read as _};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use tsuba_core::judge::{Parallel as _, UnreadFile};
use tsuba_core::read::{Input, MAX_BYTES};
use tsuba_core::understand::{Analysis, Outcome, analyze, analyze_pasted, credential::Lexicon};
use tsuba_find::{Problem, Walk};
use tsuba_report::Source;

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
struct Collected<'l> {
    look: &'l Look,
    /// The files that were taken, in full: what two inputs lead to is one file.
    taken: Mutex<HashSet<(PathBuf, bool)>>,
    analyses: Mutex<Vec<Analysis>>,
    unread: Mutex<Vec<(PathBuf, UnreadFile)>>,
}

impl Collected<'_> {
    fn take(&self, input: Input) {
        let (input, whole) = self.look.naming.named(input);
        if self.look.exclude.is_match(&input.path) {
            return;
        }
        // A folder may be called as an archive's inside: a file in it is another one.
        if lock(&self.taken).insert((whole.clone(), input.facts.packed)) {
            self.understand(input, whole);
        }
    }

    fn understand(&self, input: Input, whole: PathBuf) {
        let path = input.path.clone();
        // A parser's bug on one file must not lose the others.
        match catch_unwind(AssertUnwindSafe(|| analyze(input, &self.look.lexicon))) {
            Ok(Outcome::Setup(analysis)) => push(&self.analyses, *analysis),
            Ok(Outcome::Other) => {}
            Ok(Outcome::Unread(unreadable, line)) => {
                push(&self.unread, (whole, UnreadFile { path, line, why: unreadable.why.to_string() }))
            }
            Err(_) => push(
                &self.unread,
                (whole, UnreadFile { path, line: None, why: "an internal error while reading it".to_owned() }),
            ),
        }
    }

    fn into(self, found: &mut Found) {
        found.analyses = self.analyses.into_inner().unwrap_or_else(PoisonError::into_inner);
        found.unread = self.unread.into_inner().unwrap_or_else(PoisonError::into_inner);
    }
}

fn push<T>(list: &Mutex<Vec<T>>, item: T) {
    lock(list).push(item);
}

/// What was found: whoever watches looks again at parts of it.
#[derive(Default)]
pub(crate) struct Found {
    analyses: Vec<Analysis>,
    /// With where each lies, in full.
    unread: Vec<(PathBuf, UnreadFile)>,
    problems: Vec<Problem>,
    /// Dotenv and key files: read where a setup lies beside them or names them.
    sidecars: Vec<PathBuf>,
    /// Those that were read.
    read: HashSet<PathBuf>,
}

/// A part of the inputs.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Part {
    /// A folder, without what lies in its folders.
    Folder(PathBuf),
    /// A folder, with all that lies below.
    Tree(PathBuf),
    /// A file that is an input itself.
    File(PathBuf),
}

impl Part {
    /// As it is typed.
    pub(crate) fn path(&self) -> &Path {
        match self {
            Self::Folder(path) | Self::Tree(path) | Self::File(path) => path,
        }
    }

    /// Does a file lie in it? Both in full.
    fn has(&self, file: &Path, own: &Path) -> bool {
        match self {
            Self::Folder(_) => file.parent() == Some(own),
            Self::Tree(_) => file.starts_with(own),
            Self::File(_) => file == own,
        }
    }
}

/// Finds, reads and understands everything that `wanted` names.
pub(crate) fn gather(wanted: &InputArgs) -> anyhow::Result<Gathered> {
    let look = Look::of(wanted)?;
    let found = look.all()?;
    Ok(look.gathered(found))
}

/// How it is looked at inputs.
pub(crate) struct Look {
    wanted: InputArgs,
    config: Config,
    naming: Naming,
    exclude: GlobSet,
    home: Option<PathBuf>,
    lexicon: Lexicon,
}

impl Look {
    pub(crate) fn of(wanted: &InputArgs) -> anyhow::Result<Self> {
        let mut config = Judged::of(wanted)?.config(wanted.config.as_deref())?;
        let folders = [wanted.advisories.as_slice(), &config.advisories].concat();
        if !folders.is_empty() {
            config.policy.advisories = advisories::load(&folders, Threads::new(wanted.jobs))?.into();
        }
        let home = wanted.home.then(|| std::env::home_dir().context("--home: this person has no home folder (HOME)"));
        let home = home.transpose()?;
        Ok(Self {
            naming: wanted.naming(home.as_deref()),
            exclude: wanted.excluded()?,
            lexicon: Lexicon::with(config.policy.vocabulary.clone()),
            wanted: wanted.clone(),
            config,
            home,
        })
    }

    /// The configuration that it is looked with.
    pub(crate) fn config(&self) -> &Config {
        &self.config
    }

    /// The documents that were found: as they are told, and in full.
    pub(crate) fn paths(&self, found: &Found) -> Vec<(String, PathBuf)> {
        let path =
            |analysis: &Analysis| (analysis.document.path.clone(), self.whole(Path::new(analysis.document.file())));
        found.analyses.iter().map(path).collect()
    }

    /// Where something lies, in full.
    pub(crate) fn whole(&self, path: &Path) -> PathBuf {
        self.naming.names(path).whole
    }

    fn collected(&self) -> Collected<'_> {
        Collected { look: self, taken: Mutex::default(), analyses: Mutex::default(), unread: Mutex::default() }
    }

    /// Looks at everything.
    pub(crate) fn all(&self) -> anyhow::Result<Found> {
        let wanted = &self.wanted;
        let inputs = wanted.paths();
        let collected = self.collected();
        let (stdin, paths): (Vec<PathBuf>, Vec<PathBuf>) =
            inputs.iter().cloned().partition(|input| input.as_os_str() == "-");
        if !stdin.is_empty() {
            let mut input = standard_input()?;
            input.facts.candidate = wanted.candidate.iter().any(|text| text == "-");
            collected.understand(input, PathBuf::from(STDIN));
        }
        for text in wanted.candidate.iter().filter(|text| *text != "-") {
            match analyze_pasted(text, &self.lexicon) {
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
        let walk = Walk { inputs: paths, everything: wanted.everything, jobs: wanted.jobs, ..Walk::default() };
        let (mut sidecars, mut problems) = tsuba_find::walk(&walk, &visit);
        if let Some(home) = &self.home {
            let walk = Walk { inputs: vec![home.clone()], homes: true, ..walk };
            let (more, worse) = tsuba_find::walk(&walk, &visit);
            sidecars.extend(more);
            problems.extend(worse);
        }
        let mut found = Found { sidecars, problems, ..Found::default() };
        found.read = read_sidecars(&collected, &found.sidecars, Threads::new(wanted.jobs));
        progress.done();
        collected.into(&mut found);
        self.facts(&mut found.analyses);
        Ok(found)
    }

    /// Looks again at parts of what was looked at: what was found there before is forgotten.
    pub(crate) fn again(&self, found: &mut Found, parts: &[Part]) {
        let parts: Vec<(&Part, PathBuf)> =
            parts.iter().map(|part| (part, self.naming.names(part.path()).whole)).collect();
        let stays = |file: &Path| !parts.iter().any(|(part, whole)| part.has(outer(file), whole));
        let whole = |file: &Path| self.naming.names(file).whole;
        found.analyses.retain(|analysis| stays(&whole(Path::new(analysis.document.file()))));
        found.unread.retain(|(whole, _)| stays(whole));
        found.problems.retain(|problem| stays(&whole(&problem.path)));
        found.sidecars.retain(|file| stays(&whole(file)));
        let collected = self.collected();
        let kept = found.analyses.len();
        *lock(&collected.analyses) = std::mem::take(&mut found.analyses);
        *lock(&collected.unread) = std::mem::take(&mut found.unread);
        for (part, _) in parts {
            // What is gone is gone.
            if part.path().symlink_metadata().is_err() {
                continue;
            }
            let walk = Walk {
                inputs: vec![part.path().to_owned()],
                everything: self.wanted.everything,
                jobs: if matches!(part, Part::Tree(_)) { self.wanted.jobs } else { 1 },
                shallow: matches!(part, Part::Folder(_)),
                ..Walk::default()
            };
            let (sidecars, problems) = tsuba_find::walk(&walk, &|input| collected.take(input));
            found.sidecars.extend(sidecars);
            found.problems.extend(problems);
        }
        let read = read_sidecars(&collected, &found.sidecars, Threads::new(self.wanted.jobs));
        collected.into(found);
        self.facts(found.analyses.get_mut(kept..).unwrap_or_default());
        // Whether a dotenv file counts depends on what lies beside it or names it.
        let before = std::mem::replace(&mut found.read, read);
        if before.iter().any(|file| !found.read.contains(file)) {
            let counts = |whole: &PathBuf| found.read.contains(whole) || !before.contains(whole);
            found.analyses.retain(|analysis| counts(&whole(Path::new(analysis.document.file()))));
            found.unread.retain(|(whole, _)| counts(whole));
        }
    }
}

/// The file that a part of an archive lies in: of `a.zip!/b.tar!/mcp.json` the first.
fn outer(file: &Path) -> &Path {
    let archive = |above: &&Path| above.to_string_lossy().ends_with('!') && !above.is_dir();
    let inside = file.ancestors().skip(1).filter(archive).last();
    let outer = inside.and_then(|inside| inside.to_str()?.strip_suffix('!'));
    outer.map_or(file, Path::new)
}

fn lock<T>(list: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    list.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Dotenv files are read where a setup lies beside them or names them. Answers which those are, in full.
fn read_sidecars(collected: &Collected<'_>, dotenv: &[PathBuf], threads: Threads) -> HashSet<PathBuf> {
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
    let all = wanted.iter().map(|file| collected.look.naming.names(file).whole).collect();
    wanted.retain(|file| !known.contains(file));
    threads.spread(&wanted, |_, file| {
        // A named file that is not there is no setup of ours to read.
        if let Ok(input) = tsuba_find::read_file(file) {
            collected.take(input);
        }
        Vec::<()>::new()
    });
    all
}

const STDIN: &str = "-";

fn standard_input() -> anyhow::Result<Input> {
    let mut bytes = Vec::new();
    io::stdin().lock().take(MAX_BYTES as u64 + 1).read_to_end(&mut bytes).context("cannot read standard input")?;
    Ok(Input { path: STDIN.to_owned(), bytes, ..Input::default() })
}

#[cfg(test)]
mod tests;
