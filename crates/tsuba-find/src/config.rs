//! `tsuba.toml`: the teams and the key file; the policy in it is the core's. Mistakes in it are told with their place.

use globset::{Glob, GlobSet, GlobSetBuilder};
use serde::Deserialize;
use std::fmt;
use std::path::{Path, PathBuf};
use tsuba_core::policy::Policy;

/// The configuration, ready to use.
#[derive(Clone, Debug, Default)]
pub struct Config {
    /// The teams in the order written; the first that matches a path answers for it.
    pub teams: Vec<Team>,
    /// The file with the company's key for naming credentials.
    pub key_file: Option<PathBuf>,
}

/// A team and the paths it answers for.
#[derive(Clone, Debug)]
pub struct Team {
    /// Its name.
    pub name: String,
    paths: GlobSet,
}

/// A mistake in the configuration.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ConfigError {
    /// The file.
    pub path: PathBuf,
    /// The line, where known.
    pub line: Option<usize>,
    /// What is wrong, and what would be right.
    pub why: String,
}

impl fmt::Display for ConfigError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.path.display())?;
        if let Some(line) = self.line {
            write!(f, ":{line}")?;
        }
        write!(f, ": {}", self.why)
    }
}

impl std::error::Error for ConfigError {}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    #[serde(default)]
    team: Vec<WrittenTeam>,
    key_file: Option<PathBuf>,
    /// The policy, which the core reads.
    #[serde(rename = "gate")]
    _gate: Option<toml::Value>,
    #[serde(rename = "severity")]
    _severity: Option<toml::Value>,
    #[serde(rename = "allow")]
    _allow: Option<toml::Value>,
    #[serde(rename = "refuse")]
    _refuse: Option<toml::Value>,
    #[serde(rename = "folders")]
    _folders: Option<toml::Value>,
    #[serde(rename = "require")]
    _require: Option<toml::Value>,
    #[serde(rename = "rule")]
    _rule: Option<toml::Value>,
    #[serde(rename = "token")]
    _token: Option<toml::Value>,
    #[serde(rename = "words")]
    _words: Option<toml::Value>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenTeam {
    name: String,
    paths: Vec<toml::Spanned<String>>,
}

impl Config {
    /// Reads a configuration.
    ///
    /// # Errors
    /// Where it is no TOML, has a key that is not known, or a pattern that is none.
    pub fn parse(path: &Path, text: &str) -> Result<Self, ConfigError> {
        let line = |at: usize| Some(text.get(..at).map_or(1, |head| head.matches('\n').count() + 1));
        let written: Written = toml::from_str(text).map_err(|error| ConfigError {
            path: path.to_owned(),
            line: error.span().and_then(|span| line(span.start)),
            why: format!(
                "{}; known are `key_file`, `[[team]]` with `name` and `paths`, and of the policy {}",
                error.message(),
                Policy::KEYS.join(", ")
            ),
        })?;
        let mut teams = Vec::new();
        for team in written.team {
            let mut builder = GlobSetBuilder::new();
            for pattern in &team.paths {
                let glob = Glob::new(pattern.get_ref()).map_err(|_| ConfigError {
                    path: path.to_owned(),
                    line: line(pattern.span().start),
                    why: "not a path pattern; write for example \"tickets/**\"".to_owned(),
                })?;
                builder.add(glob);
            }
            let paths = builder.build().map_err(|_| ConfigError {
                path: path.to_owned(),
                line: None,
                why: "the path patterns are too large together".to_owned(),
            })?;
            teams.push(Team { name: team.name, paths });
        }
        Ok(Self { teams, key_file: written.key_file })
    }

    /// The team that answers for a path: the first whose patterns match it or its end.
    pub fn team_of(&self, path: &Path) -> Option<String> {
        let matches = |team: &&Team| {
            let mut rest = path;
            // `tickets/**` also means `…/tickets/**`: the company's tree may lie anywhere.
            loop {
                if team.paths.is_match(rest) {
                    return true;
                }
                let mut parts = rest.components();
                if parts.next().is_none() {
                    return false;
                }
                rest = parts.as_path();
            }
        };
        self.teams.iter().find(matches).map(|team| team.name.clone())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn teams_answer_for_paths() {
        let config = Config::parse(Path::new("tsuba.toml"), "[[team]]\nname = \"Tickets\"\npaths = [\"tickets/**\"]\n\n[[team]]\nname = \"All\"\npaths = [\"**/shared.json\"]\n").unwrap();
        assert_eq!(config.team_of(Path::new("tickets/a/b.json")).as_deref(), Some("Tickets"));
        assert_eq!(config.team_of(Path::new("/srv/company/tickets/b.json")).as_deref(), Some("Tickets"));
        assert_eq!(config.team_of(Path::new("x/shared.json")).as_deref(), Some("All"));
        assert_eq!(config.team_of(Path::new("x/other.json")), None);
    }

    #[test]
    fn mistakes_are_told_with_their_place() {
        for (text, line) in [
            ("[[team]]\nname = \"A\"\npaths = [\"a[\"]\n", 3),
            ("[[team]]\nname = 1\n", 2),
            ("a = 1\n", 1),
            ("[[team]\n", 1),
        ] {
            let error = Config::parse(Path::new("tsuba.toml"), text).unwrap_err();
            assert_eq!(error.line, Some(line), "{text}: {error}");
        }
    }
}
