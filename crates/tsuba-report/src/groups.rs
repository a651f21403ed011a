//! Who answers for what: teams where there are any, else repositories, else folders.

use crate::Report;
use crate::model::{Setup, Text};
use std::collections::BTreeMap;

/// What a setup of nobody's is put under.
const NO_TEAM: &str = "no team";
/// The same of files whose account is not known.
const NO_OWNER: &str = "no owner";

/// By what a report's setups are put together.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum GroupKind {
    /// The teams of the configuration, and where it names none, the owners that a repository names.
    Team,
    /// The repositories that were looked at.
    Repository,
    /// The folders below what was looked at.
    Folder,
    /// The accounts that own the files.
    Owner,
}

impl GroupKind {
    /// The head of a column of them.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Team => "team",
            Self::Repository => "repository",
            Self::Folder => "folder",
            Self::Owner => "owner",
        }
    }

    /// Several of them.
    pub(crate) fn plural(self) -> &'static str {
        match self {
            Self::Team => "teams",
            Self::Repository => "repositories",
            Self::Folder => "folders",
            Self::Owner => "owners",
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
        let kind = if report.setups.iter().any(|setup| setup.answers().is_some()) {
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
        let text = |text: Option<&'r Text>, none| text.map_or(none, |text| text.as_str());
        let name = |setup: &'r Setup| match kind {
            GroupKind::Team => text(setup.answers(), NO_TEAM),
            GroupKind::Owner => text(setup.owner.as_ref(), NO_OWNER),
            GroupKind::Repository | GroupKind::Folder => part(report, setup.path.as_str()),
        };
        let by_path = report.setups.iter().map(|setup| (setup.path.as_str(), name(setup)));
        Self { kind, by_path: by_path.collect() }
    }

    /// The group of a setup, by its path.
    pub(crate) fn name(&self, setup: &str) -> &'r str {
        self.by_path.get(setup).copied().unwrap_or(NO_TEAM)
    }

    /// The repository or folder of a path that is no setup's.
    pub(crate) fn of_path<'p>(&self, report: &'p Report, path: &'p str) -> &'p str {
        part(report, path)
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
