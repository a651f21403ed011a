//! `tsuba.toml`: the teams, the key file and the policy of a company. Read here and nowhere else; every mistake in it is told with its place.

use anyhow::{Context as _, bail};
use globset::{Glob, GlobBuilder, GlobSet, GlobSetBuilder};
use std::path::{Path, PathBuf};
use tsuba_core::policy::{Policy, PolicyError};
use tsuba_core::read::{Document, Input, Node, read};
use tsuba_core::text::unknown_key;
use tsuba_core::text::{Key, Span};
use tsuba_find::{read_regular, read_regular_text};
use url::Url;

/// A configuration of more bytes is not read.
const MAX_CONFIGURATION: u64 = 4 << 20;
/// Nobody's key is longer (bytes); and the path may come from a folder that is being audited.
const MAX_KEY: u64 = 64 * 1024;

/// The configuration's name in a folder.
pub(crate) const NAME: &str = "tsuba.toml";

/// The configuration of this account, whether or not it is there: `tsuba/tsuba.toml` where its programs keep theirs.
pub(crate) fn of_account() -> Option<PathBuf> {
    let set = |name: &str| std::env::var_os(name).map(PathBuf::from).filter(|path| path.is_absolute());
    let folder = set("XDG_CONFIG_HOME").or_else(|| set("APPDATA"));
    let folder = folder.or_else(|| Some(std::env::home_dir()?.join(".config")))?;
    Some(folder.join("tsuba").join(NAME))
}

/// A configuration, ready to use.
#[derive(Clone, Debug, Default)]
pub(crate) struct Config {
    /// The file it was read from.
    pub(crate) path: Option<PathBuf>,
    /// The company's key for naming credentials, where one is configured.
    pub(crate) key: Option<Key>,
    /// What the company has decided for all.
    pub(crate) policy: Policy,
    /// Folders with published advisories.
    pub(crate) advisories: Vec<PathBuf>,
    /// The company's second reader: the address and the name of a model.
    pub(crate) reader: Option<(Url, String)>,
    /// In the order written.
    teams: Vec<Team>,
    /// The folders whose own configuration and register count.
    trusted: GlobSet,
}

/// A team and the paths it answers for.
#[derive(Clone, Debug)]
struct Team {
    name: String,
    paths: GlobSet,
}

impl Config {
    /// Reads a configuration; without one nothing is configured.
    ///
    /// # Errors
    /// Where it, or its key file, cannot be read; where it is no TOML; and every mistake in it.
    pub(crate) fn load(named: Option<&Path>) -> anyhow::Result<Self> {
        let Some(path) = named else { return Ok(Self::default()) };
        let text = read_regular_text(path, MAX_CONFIGURATION)
            .with_context(|| format!("cannot read the configuration {}", path.display()))?;
        let (config, key_file) = Self::parse(&text).map_err(|mistakes| {
            let message: Vec<String> = mistakes.iter().map(|mistake| format!("{}:{mistake}", path.display())).collect();
            anyhow::anyhow!("{}", message.join("\n       "))
        })?;
        let beside = |folder: PathBuf| path.parent().map_or_else(|| folder.clone(), |own| own.join(&folder));
        let advisories = config.advisories.into_iter().map(beside).collect();
        Ok(Self { path: Some(path.to_owned()), key: key_file.as_deref().map(key).transpose()?, advisories, ..config })
    }

    /// Reads a configuration from its text; the key file is only named.
    fn parse(text: &str) -> Result<(Self, Option<PathBuf>), Vec<PolicyError>> {
        let input = Input { path: NAME.to_owned(), bytes: text.into(), ..Input::default() };
        let document = read(input).map_err(|_| vec![no_toml(text)])?;
        let mut reading = Reading { document: &document, mistakes: Vec::new() };
        let mut config = Self::default();
        let mut key_file = None;
        for member in document.roots.iter().flat_map(Node::members) {
            match member.key.text.as_str() {
                "team" => config.teams = reading.teams(&member.value),
                "key_file" => key_file = reading.text(&member.value, "key_file = \"company.key\"").map(PathBuf::from),
                "trust" => config.trusted = reading.trust(&member.value),
                "reader" => config.reader = reading.reader(&member.value),
                "advisories" => config.advisories = reading.advisories(&member.value),
                key if Policy::KEYS.contains(&key) => {}
                key => reading.wrong(
                    member.key.span,
                    unknown_key(key, &[&["advisories", "key_file", "reader", "team", "trust"], Policy::KEYS].concat()),
                ),
            }
        }
        let mut mistakes = reading.mistakes;
        match Policy::read(text, &tsuba_core::rules::names()) {
            Ok(policy) => config.policy = policy,
            Err(errors) => mistakes.extend(errors),
        }
        mistakes.sort_by_key(|mistake| (mistake.line, mistake.column));
        if mistakes.is_empty() { Ok((config, key_file)) } else { Err(mistakes) }
    }

    /// Do the configuration and the register of this folder, given in full, count by themselves?
    pub(crate) fn trusts(&self, folder: &Path) -> bool {
        self.trusted.is_match(folder)
    }

    /// The team that answers for a path: the first whose patterns match it or its end.
    pub(crate) fn team_of(&self, path: &Path) -> Option<String> {
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

/// Why a text is no TOML: its parser says it best.
fn no_toml(text: &str) -> PolicyError {
    let error = toml::from_str::<toml::Table>(text).err();
    let at = error.as_ref().and_then(toml::de::Error::span).map_or(0, |span| span.start);
    let head = text.get(..at).unwrap_or_default();
    let count = |count: usize| u32::try_from(count).unwrap_or(u32::MAX);
    PolicyError {
        line: count(head.matches('\n').count() + 1),
        column: count(head.rsplit('\n').next().unwrap_or_default().chars().count() + 1),
        why: error.map_or_else(|| "not well-formed TOML".to_owned(), |error| error.message().to_owned()),
    }
}

struct Reading<'d> {
    document: &'d Document,
    mistakes: Vec<PolicyError>,
}

impl Reading<'_> {
    fn wrong(&mut self, at: Span, why: impl Into<String>) {
        let place = self.document.lines.position(&self.document.text, at.start as usize);
        self.mistakes.push(PolicyError { line: place.line, column: place.column, why: why.into() });
    }

    fn text<'n>(&mut self, node: &'n Node, example: &str) -> Option<&'n str> {
        let text = node.text().filter(|text| !text.is_empty());
        if text.is_none() {
            self.wrong(node.span, format!("not a text; write {example}"));
        }
        text
    }

    fn teams(&mut self, list: &Node) -> Vec<Team> {
        if !list.is_list() {
            self.wrong(list.span, "not a list; write [[team]]");
        }
        list.items().iter().filter_map(|team| self.team(team)).collect()
    }

    fn advisories(&mut self, node: &Node) -> Vec<PathBuf> {
        const FOLDERS: &str = "folders = [\"advisories\"]";
        for member in node.members().iter().filter(|member| member.key.text != "folders") {
            self.wrong(member.key.span, unknown_key(&member.key.text, &["folders"]));
        }
        let Some(folders) = node.get("folders").filter(|folders| folders.is_list()) else {
            self.wrong(node.span, format!("no list of folders; write {FOLDERS}"));
            return Vec::new();
        };
        folders.items().iter().filter_map(|folder| self.text(folder, FOLDERS).map(PathBuf::from)).collect()
    }

    fn reader(&mut self, node: &Node) -> Option<(Url, String)> {
        const URL: &str = "url = \"https://reader.example/v1\"";
        const MODEL: &str = "model = \"own-model\"";
        for member in node.members().iter().filter(|member| !["url", "model"].contains(&member.key.text.as_str())) {
            self.wrong(member.key.span, unknown_key(&member.key.text, &["model", "url"]));
        }
        for (key, example) in [("url", URL), ("model", MODEL)] {
            if node.get(key).is_none() {
                self.wrong(node.span, format!("a reader without {key}; write {example}"));
            }
        }
        let model = node.get("model").and_then(|model| self.text(model, MODEL)).map(str::to_owned);
        let url = node.get("url").and_then(|written| {
            let url = self.text(written, URL)?.parse::<Url>().ok();
            let url = url.filter(|url| matches!(url.scheme(), "http" | "https"));
            if url.is_none() {
                self.wrong(written.span, format!("not an http or https address; write {URL}"));
            }
            url
        });
        url.zip(model)
    }

    fn trust(&mut self, node: &Node) -> GlobSet {
        const FOLDERS: &str = "folders = [\"/srv/company\"]";
        for member in node.members().iter().filter(|member| member.key.text != "folders") {
            self.wrong(member.key.span, unknown_key(&member.key.text, &["folders"]));
        }
        let mut builder = GlobSetBuilder::new();
        match node.get("folders").filter(|folders| folders.is_list()) {
            None => self.wrong(node.span, format!("no list of folders; write {FOLDERS}")),
            Some(folders) => {
                for folder in folders.items() {
                    // `~` is the home folder of whoever's configuration this is.
                    let home = || std::env::home_dir().map(|home| home.to_string_lossy().into_owned());
                    let text = folder.text().map(|text| match (text.strip_prefix('~'), home()) {
                        (Some(rest), Some(home)) => format!("{home}{rest}"),
                        _ => text.to_owned(),
                    });
                    let glob = text.filter(|text| Path::new(text).is_absolute() || text.starts_with('*'));
                    match glob.and_then(|text| folder_glob(&text)) {
                        Some(glob) => {
                            builder.add(glob);
                        }
                        None => self.wrong(folder.span, "not a folder in full, as \"/srv/company\" or \"~/work/*\""),
                    }
                }
            }
        }
        builder.build().unwrap_or_default()
    }

    fn team(&mut self, node: &Node) -> Option<Team> {
        const NAME: &str = "name = \"Tickets\"";
        const PATHS: &str = "paths = [\"tickets/**\"]";
        for member in node.members().iter().filter(|member| !["name", "paths"].contains(&member.key.text.as_str())) {
            self.wrong(member.key.span, unknown_key(&member.key.text, &["name", "paths"]));
        }
        for (key, example) in [("name", NAME), ("paths", PATHS)] {
            if node.get(key).is_none() {
                self.wrong(node.span, format!("a team without {key}; write {example}"));
            }
        }
        let name = node.get("name").and_then(|name| self.text(name, NAME));
        let patterns = node.get("paths")?;
        if !patterns.is_list() {
            self.wrong(patterns.span, format!("not a list; write {PATHS}"));
        }
        let mut builder = GlobSetBuilder::new();
        for pattern in patterns.items() {
            match pattern.text().and_then(|text| Glob::new(text).ok()) {
                Some(glob) => {
                    builder.add(glob);
                }
                None => self.wrong(pattern.span, "not a path pattern; write for example \"tickets/**\""),
            }
        }
        let paths = builder.build();
        if paths.is_err() {
            self.wrong(patterns.span, "the path patterns are too large together");
        }
        Some(Team { name: name?.to_owned(), paths: paths.ok()? })
    }
}

/// Folders of a pattern, in which `*` stands for one name.
fn folder_glob(pattern: &str) -> Option<Glob> {
    GlobBuilder::new(pattern.trim_end_matches('/')).literal_separator(true).build().ok()
}

fn key(path: &Path) -> anyhow::Result<Key> {
    let message = || format!("cannot read the key file {}", path.display());
    let bytes = read_regular(path, MAX_KEY).with_context(message)?;
    if bytes.is_empty() {
        bail!("the key file {} is empty: write at least 32 random bytes into it", path.display());
    }
    Ok(Key::new(bytes))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn teams_answer_for_paths() {
        let text = "[[team]]\nname = \"Tickets\"\npaths = [\"tickets/**\"]\n\n[[team]]\nname = \"All\"\npaths = [\"**/shared.json\"]\n";
        let (config, _) = Config::parse(text).unwrap();
        assert_eq!(config.team_of(Path::new("tickets/a/b.json")).as_deref(), Some("Tickets"));
        assert_eq!(config.team_of(Path::new("/srv/company/tickets/b.json")).as_deref(), Some("Tickets"));
        assert_eq!(config.team_of(Path::new("x/shared.json")).as_deref(), Some("All"));
        assert_eq!(config.team_of(Path::new("x/other.json")), None);
    }

    #[test]
    fn every_mistake_is_told_with_its_place() {
        for (text, places) in [
            ("[[team]]\nname = \"A\"\npaths = [\"a[\"]\n", &[(3, 10)][..]),
            ("[[team]]\nname = 1\n", &[(1, 1), (2, 8)]),
            ("a = 1\n", &[(1, 1)]),
            ("[[team]\n", &[(1, 8)]),
            (
                "key_file = 1\ngate = \"loud\"\nb = 2\n[[team]]\nname = \"A\"\nwho = 1\npaths = \"a\"\n",
                &[(1, 12), (2, 8), (3, 1), (6, 1), (7, 9)],
            ),
        ] {
            let mistakes = Config::parse(text).unwrap_err();
            let message: Vec<(u32, u32)> = mistakes.iter().map(|mistake| (mistake.line, mistake.column)).collect();
            assert_eq!(message, places, "{text}: {mistakes:?}");
        }
        let (_, key_file) = Config::parse("key_file = \"k\"\n").unwrap();
        assert_eq!(key_file.as_deref(), Some(Path::new("k")));
    }
}
