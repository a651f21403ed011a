//! Where a report comes from: the tree, its repository and commit, the machine and the account.

use crate::model::{Report, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tsuba_core::text::Redactor;

/// From where what was looked at comes, as it was found out.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Source {
    /// The name of the machine.
    pub host: Option<String>,
    /// The account that looked.
    pub account: Option<String>,
    /// The folder that paths start from, in full; none where files of several folders were looked at.
    pub root: Option<String>,
    /// The parts of that folder that were looked at, by their paths in it; none where all of it was. Where there is no such folder, all that was
    /// looked at, in full.
    pub within: Vec<String>,
    /// The repository whose root that is, as `host/owner/name`.
    pub repository: Option<String>,
    /// The commit that is checked out there.
    pub commit: Option<String>,
    /// The repositories that lie in what was looked at.
    pub repositories: Vec<RepositorySource>,
}

/// A repository that lies in what was looked at.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RepositorySource {
    /// Its root, as paths are written.
    pub path: String,
    /// Where it comes from, as `host/owner/name`.
    pub repository: Option<String>,
    /// The commit that is checked out.
    pub commit: Option<String>,
}

/// From where what was looked at comes. Nothing here is part of an identity: the same tree elsewhere gives the same entries and findings.
#[derive(Clone, Debug, Default, Serialize, Deserialize, JsonSchema)]
pub struct SourceRow {
    /// The name of the machine.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub host: Option<Text>,
    /// The account that looked.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub account: Option<Text>,
    /// The folder that paths start from, in full; left out where files of several folders were looked at.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub root: Option<Text>,
    /// The parts of that folder that were looked at; left out where all of it was. Without such a folder, all that was looked at, in full.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub within: Vec<Text>,
    /// The repository whose root that is, as `host/owner/name`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub repository: Option<Text>,
    /// The commit that is checked out there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub commit: Option<Text>,
    /// The repositories that lie in what was looked at.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub repositories: Vec<RepositoryRow>,
}

/// A repository that lies in what was looked at.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct RepositoryRow {
    /// Its root, as paths are written.
    pub path: Text,
    /// Where it comes from, as `host/owner/name`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub repository: Option<Text>,
    /// The commit that is checked out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub commit: Option<Text>,
}

impl Report {
    /// What was looked at: the repository, else the folder, else the inputs.
    pub(crate) fn title(&self) -> String {
        let own = self.source.as_ref().and_then(|source| source.repository.as_ref().or(source.root.as_ref()));
        let inputs = || self.inputs.iter().map(|input| input.as_str()).collect::<Vec<_>>().join(", ");
        own.map(ToString::to_string).unwrap_or_else(inputs)
    }

    /// Says where what was looked at comes from.
    #[must_use]
    pub fn from(mut self, source: &Source, cleaner: &Redactor) -> Self {
        let clean = |text: &String| Text(cleaner.clean(text));
        let some = |text: &Option<String>| text.as_ref().map(clean);
        let repository = |own: &RepositorySource| RepositoryRow {
            path: clean(&own.path),
            repository: some(&own.repository),
            commit: some(&own.commit),
        };
        self.source = (*source != Source::default()).then(|| SourceRow {
            host: some(&source.host),
            account: some(&source.account),
            root: some(&source.root),
            within: source.within.iter().map(clean).collect(),
            repository: some(&source.repository),
            commit: some(&source.commit),
            repositories: source.repositories.iter().map(repository).collect(),
        });
        self
    }
}
