//! Who answers for what: teams where there are any, else repositories, else folders.

use crate::Report;
use std::collections::BTreeMap;

/// What a setup of nobody's is put under.
const NO_TEAM: &str = "no team";

/// By what a report's setups are put together.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum GroupKind {
    /// The teams of the configuration.
    Team,
    /// The repositories that were looked at.
    Repository,
    /// The folders below what was looked at.
    Folder,
}

impl GroupKind {
    /// The head of a column of them.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Team => "team",
            Self::Repository => "repository",
            Self::Folder => "folder",
        }
    }

    /// Several of them.
    pub(crate) fn plural(self) -> &'static str {
        match self {
            Self::Team => "teams",
            Self::Repository => "repositories",
            Self::Folder => "folders",
        }
    }
}

/// The group of each setup.
#[derive(Debug)]
pub(crate) struct Groups<'r> {
    pub(crate) kind: GroupKind,
    by_path: BTreeMap<&'r str, &'r str>,
}

impl<'r> Groups<'r> {
    /// The groups of a report that tell most of its reader: teams, if there is one.
    pub(crate) fn of(report: &'r Report) -> Self {
        let repositories = report.source.as_ref().is_some_and(|source| !source.repositories.is_empty());
        let kind = if report.setups.iter().any(|setup| setup.team.is_some()) {
            GroupKind::Team
        } else if repositories {
            GroupKind::Repository
        } else {
            GroupKind::Folder
        };
        Self::by(report, kind)
    }

    /// The groups of a kind.
    pub(crate) fn by(report: &'r Report, kind: GroupKind) -> Self {
        let name = |path: &'r str, team: Option<&'r str>| match kind {
            GroupKind::Team => team.unwrap_or(NO_TEAM),
            GroupKind::Repository | GroupKind::Folder => part(report, path),
        };
        let setups = report.setups.iter();
        let by_path = setups.map(|setup| {
            let path = setup.path.as_str();
            (path, name(path, setup.team.as_ref().map(|team| team.as_str())))
        });
        Self { kind, by_path: by_path.collect() }
    }

    /// The group of a setup, by its path.
    pub(crate) fn name(&self, setup: &str) -> &'r str {
        self.by_path.get(setup).copied().unwrap_or(NO_TEAM)
    }
}

/// The repository that a path lies in, else its first folder.
fn part<'r>(report: &'r Report, path: &'r str) -> &'r str {
    let below = report.source.iter().flat_map(|source| &source.repositories);
    let own = below.filter(|row| path.strip_prefix(row.path.as_str()).is_some_and(|rest| rest.starts_with('/')));
    match own.max_by_key(|row| row.path.as_str().len()) {
        Some(row) => row.path.as_str(),
        None => path.split_once('/').map_or(".", |(folder, _)| folder),
    }
}
