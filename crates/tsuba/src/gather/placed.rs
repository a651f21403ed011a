//! What was found becomes what is judged: with the facts of where each document lies, by names that no other has.

use super::{Found, Gathered, Look, STDIN};
use crate::naming::Naming;
use crate::threads::Threads;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::{Path, PathBuf};
use tsuba_core::judge::{Parallel as _, UnreadFile};
use tsuba_core::read;
use tsuba_core::understand::{Analysis, SetupKind};
use tsuba_find::Facts;
use tsuba_report::{RepositorySource, Source};

impl Look {
    /// What was found, and where it comes from.
    pub(super) fn gathered(&self, found: Found) -> Gathered {
        let gathered = self.placed(found);
        let source = source(&self.naming, &mut Facts::default(), &gathered.analyses);
        Gathered { source, ..gathered }
    }

    /// What was found, once more: ready to be judged, without where it comes from.
    pub(crate) fn copied(&self, found: &Found) -> Gathered {
        let threads = Threads::new(self.wanted.jobs);
        let analyses = threads.spread(&found.analyses, |_, analysis| vec![analysis.clone()]);
        let (unread, problems) = (found.unread.clone(), found.problems.clone());
        self.placed(Found { analyses, unread, problems, ..Found::default() })
    }

    fn placed(&self, found: Found) -> Gathered {
        let Found { mut analyses, unread, problems, .. } = found;
        let mut unread: Vec<UnreadFile> = unread.into_iter().map(|(_, unread)| unread).collect();
        let mut message = HashSet::new();
        for problem in problems {
            let names = self.naming.names(&problem.path);
            if !self.exclude.is_match(&names.path) && message.insert(names.whole) {
                unread.push(UnreadFile { path: names.path, line: None, why: problem.why.to_owned() });
            }
        }
        tell_apart(&mut analyses);
        Gathered { analyses, unread, config: self.config.clone(), source: Source::default() }
    }

    /// Adds the facts of where documents lie.
    pub(super) fn facts(&self, analyses: &mut [Analysis]) {
        let (config, mut facts) = (&self.config, Facts::default());
        let configured = config.path.as_deref().and_then(folder_of);
        for analysis in analyses.iter_mut().filter(|s| s.document.path != STDIN && s.kind != SetupKind::Candidate) {
            let file = analysis.document.file().to_owned();
            // What is packed has the facts of its archive.
            let packed = analysis.document.facts.packed;
            let cut = if packed { tsuba_find::packed_in(&file) } else { None };
            let (outer, inner) = cut.map_or((&*file, None), |(outer, inner)| (outer, Some(inner)));
            let path = Path::new(outer);
            let evidence = self.wanted.evidence(path);
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
            let code_owner =
                repository.zip(inside).and_then(|(repository, inside)| repository.owner(Path::new(&inside)));
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
    }
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
