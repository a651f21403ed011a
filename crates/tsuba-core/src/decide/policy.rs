//! The company's policy (`tsuba.toml`): the gate, severities by rule and path, and which packages, sources and hosts are allowed or refused.

use super::standing::registry_name;
use crate::judge::Severity;
use crate::prelude::*;
use crate::read::{Document, Input, Node, read};
use crate::text::{Position, Span};
use core::fmt;
use globset::{Glob, GlobMatcher};

/// A policy; the default one says nothing.
#[derive(Clone, Debug, Default)]
pub struct Policy {
    /// The gate, where it is set.
    pub gate: Option<Severity>,
    severities: Vec<Weighed>,
    allow: Option<Lists>,
    refuse: Lists,
}

/// A severity for findings of some rules at some paths.
#[derive(Clone, Debug)]
struct Weighed {
    rule: GlobMatcher,
    paths: Vec<GlobMatcher>,
    severity: Severity,
}

/// What is allowed, or refused.
#[derive(Clone, Debug, Default)]
struct Lists {
    packages: Option<Vec<PackagePattern>>,
    hosts: Option<Vec<GlobMatcher>>,
    sources: Option<Vec<String>>,
}

/// `npm:@saltmarsh/*`, `npm:@saltmarsh/tide-table@^2.4`, `image:saltmarsh/*`.
#[derive(Clone, Debug)]
struct PackagePattern {
    source: String,
    name: GlobMatcher,
    versions: Option<Versions>,
}

#[derive(Clone, Debug)]
enum Versions {
    Npm(semver::VersionReq),
    Python(pep440_rs::VersionSpecifiers),
    Exactly(String),
}

/// What the policy says of something.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ruling {
    /// Nothing speaks against it.
    Fine,
    /// There is a list of what is allowed, and it is not on it.
    NotAllowed,
    /// It is refused.
    Refused,
}

/// A mistake in a policy.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PolicyError {
    /// The line, from 1.
    pub line: u32,
    /// The column, from 1.
    pub column: u32,
    /// What is wrong, and what would be right.
    pub why: String,
}

impl fmt::Display for PolicyError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:{}: {}", self.line, self.column, self.why)
    }
}

/// The sources of packages.
const SOURCES: &[&str] = &["npm", "jsr", "pypi", "nuget", "go", "crates", "image", "git", "url"];

impl Policy {
    /// Reads the policy from the text of a configuration; what else stands in that is none of its business.
    ///
    /// # Errors
    /// Every mistake in it, with its place. A text that is no TOML is told by whoever reads the rest of it.
    pub fn read(text: &str) -> Result<Self, Vec<PolicyError>> {
        let input = Input { path: "tsuba.toml".into(), bytes: text.into(), ..Input::default() };
        let Ok(document) = read(input) else { return Ok(Self::default()) };
        let Some(root) = document.roots.first() else { return Ok(Self::default()) };
        let mut reading = Reading { document: &document, errors: Vec::new() };
        let gate = root.get("gate").and_then(|node| reading.severity(node));
        let severities = root.get("severity").map(|node| reading.list(node, "[[severity]]")).unwrap_or_default();
        let severities = severities.iter().filter_map(|node| reading.weighed(node)).collect();
        let allow = root.get("allow").map(|node| reading.lists(node));
        let refuse = root.get("refuse").map(|node| reading.lists(node)).unwrap_or_default();
        if reading.errors.is_empty() { Ok(Self { gate, severities, allow, refuse }) } else { Err(reading.errors) }
    }

    /// The severity of a finding: the last that is set for its rule and path, else its own.
    pub fn severity(&self, rule: &str, path: &str, own: Severity) -> Severity {
        let set = self.severities.iter().rev().find(|weighed| {
            weighed.rule.is_match(rule)
                && (weighed.paths.is_empty() || weighed.paths.iter().any(|pattern| pattern.is_match(path)))
        });
        set.map_or(own, |weighed| weighed.severity)
    }

    /// What it says of a package or image.
    pub fn package(&self, source: &str, name: &str, version: Option<&str>) -> Ruling {
        let meant =
            |lists: &Lists| lists.packages.as_ref().map(|all| all.iter().any(|p| p.is_meant(source, name, version)));
        let from = |lists: &Lists| lists.sources.as_ref().map(|all| all.iter().any(|known| known == source));
        ruling(&self.refuse, self.allow.as_ref(), &[&meant, &from])
    }

    /// What it says of a host.
    pub fn host(&self, host: &str) -> Ruling {
        let meant = |lists: &Lists| lists.hosts.as_ref().map(|all| all.iter().any(|pattern| pattern.is_match(host)));
        ruling(&self.refuse, self.allow.as_ref(), &[&meant])
    }
}

/// Is it on a list? `None` where there is no such list.
type OnList<'a> = &'a dyn Fn(&Lists) -> Option<bool>;

fn ruling(refuse: &Lists, allow: Option<&Lists>, on: &[OnList<'_>]) -> Ruling {
    if on.iter().any(|on| on(refuse) == Some(true)) {
        return Ruling::Refused;
    }
    // Of several lists of what is allowed each has to have it.
    let allowed = allow.is_none_or(|lists| on.iter().all(|on| on(lists) != Some(false)));
    if allowed { Ruling::Fine } else { Ruling::NotAllowed }
}

impl PackagePattern {
    fn is_meant(&self, source: &str, name: &str, version: Option<&str>) -> bool {
        let versions = match (&self.versions, version) {
            (None, _) => true,
            // What names no version may be any: it is not what was meant.
            (Some(_), None) => false,
            (Some(Versions::Exactly(wanted)), Some(version)) => wanted == version,
            (Some(Versions::Npm(wanted)), Some(version)) => {
                semver::Version::parse(version).is_ok_and(|version| wanted.matches(&version))
            }
            (Some(Versions::Python(wanted)), Some(version)) => {
                version.parse::<pep440_rs::Version>().is_ok_and(|version| wanted.contains(&version))
            }
        };
        self.source == source && self.name.is_match(registry_name(source, name)) && versions
    }
}

struct Reading<'d> {
    document: &'d Document,
    errors: Vec<PolicyError>,
}

impl Reading<'_> {
    fn wrong(&mut self, at: Span, why: impl Into<String>) {
        let Position { line, column } = self.document.lines.position(&self.document.text, at.start as usize);
        self.errors.push(PolicyError { line, column, why: why.into() });
    }

    fn severity(&mut self, node: &Node) -> Option<Severity> {
        let found = node.text().and_then(Severity::from_name);
        if found.is_none() {
            self.wrong(node.span, "a severity is critical, high, medium, low or note");
        }
        found
    }

    fn known(&mut self, node: &Node, keys: &[&str]) {
        for member in node.members().iter().filter(|member| !keys.contains(&member.key.text.as_str())) {
            self.wrong(member.key.span, format!("not known here; known are {}", keys.join(", ")));
        }
    }

    fn glob(&mut self, node: &Node) -> Option<GlobMatcher> {
        let found = node.text().filter(|text| !text.is_empty()).and_then(|text| Glob::new(text).ok());
        if found.is_none() {
            self.wrong(node.span, "not a pattern; write for example \"*.saltmarsh-line.example\"");
        }
        found.map(|glob| glob.compile_matcher())
    }

    fn weighed(&mut self, node: &Node) -> Option<Weighed> {
        self.known(node, &["rule", "paths", "severity"]);
        let (Some(rule), Some(severity)) = (node.get("rule"), node.get("severity")) else {
            self.wrong(node.span, "a [[severity]] has a rule, as \"supply/*\", and a severity; it may have paths");
            return None;
        };
        let rules = self.glob(rule);
        let meant = rules.as_ref().is_some_and(|glob| crate::rules::all().iter().any(|rule| glob.is_match(rule.id)));
        if rules.is_some() && !meant {
            self.wrong(rule.span, "no rule is called so; `tsuba explain` lists them");
        }
        let paths = node.get("paths").map(|node| self.list(node, "paths = [\"sandbox/**\"]")).unwrap_or_default();
        let paths = paths.iter().filter_map(|path| self.glob(path)).collect();
        let severity = self.severity(severity)?;
        Some(Weighed { rule: rules?, paths, severity })
    }

    /// The items of what must be a list: of anything else it would seem that nothing was said.
    fn list<'n>(&mut self, node: &'n Node, written: &str) -> &'n [Node] {
        if !node.is_list() {
            self.wrong(node.span, format!("not a list; write {written}"));
        }
        node.items()
    }

    fn lists(&mut self, node: &Node) -> Lists {
        if !node.is_map() {
            self.wrong(node.span, "not a table; write [allow] or [refuse], and below it packages, hosts or sources");
        }
        self.known(node, &["packages", "hosts", "sources"]);
        let mut items = |key: &str| node.get(key).map(|node| self.list(node, &format!("{key} = [\"…\"]")));
        let (packages, hosts, sources) = (items("packages"), items("hosts"), items("sources"));
        let packages = packages.map(|all| all.iter().filter_map(|item| self.package(item)).collect());
        let hosts = hosts.map(|all| all.iter().filter_map(|item| self.glob(item)).collect());
        let sources = sources.map(|all| {
            let mut sources = Vec::new();
            for item in all {
                match item.text().filter(|text| SOURCES.contains(text)) {
                    Some(source) => sources.push(source.to_owned()),
                    None => self.wrong(item.span, format!("sources are {}", SOURCES.join(", "))),
                }
            }
            sources
        });
        Lists { packages, hosts, sources }
    }

    fn package(&mut self, node: &Node) -> Option<PackagePattern> {
        let told = "a package is written as \"npm:@saltmarsh/*\" or \"npm:@saltmarsh/tide-table@^2.4\"";
        let Some((source, rest)) =
            node.text().and_then(|text| text.split_once(':')).filter(|(s, _)| SOURCES.contains(s))
        else {
            self.wrong(node.span, format!("{told}; sources are {}", SOURCES.join(", ")));
            return None;
        };
        let from = usize::from(rest.starts_with('@'));
        let (name, wanted) = match rest.get(from..).and_then(|tail| tail.find('@')) {
            Some(at) => (rest.get(..from + at).unwrap_or(rest), rest.get(from + at + 1..)),
            None => (rest, None),
        };
        let Some(name) = Glob::new(&registry_name(source, name)).ok().filter(|_| !name.is_empty()) else {
            self.wrong(node.span, told);
            return None;
        };
        let versions = match (source, wanted) {
            (_, None) => None,
            ("npm" | "jsr" | "crates", Some(text)) => semver::VersionReq::parse(text).ok().map(Versions::Npm),
            ("pypi", Some(text)) => {
                let wanted =
                    if text.starts_with(|c: char| c.is_ascii_digit()) { format!("=={text}") } else { text.to_owned() };
                wanted.parse().ok().map(Versions::Python)
            }
            (_, Some(text)) => Some(Versions::Exactly(text.to_owned())),
        };
        if wanted.is_some() && versions.is_none() {
            self.wrong(node.span, "no range of versions as this source writes them");
            return None;
        }
        Some(PackagePattern { source: source.to_owned(), name: name.compile_matcher(), versions })
    }
}

#[cfg(test)]
mod tests {
    use super::Ruling::*;
    use super::*;

    #[test]
    fn what_is_allowed_and_refused() {
        let policy = Policy::read(
            r#"gate = "medium"
[allow]
packages = ["npm:@saltmarsh/*", "pypi:saltmarsh-*@>=1.2,<2", "image:saltmarsh/*"]
hosts = ["*.saltmarsh-line.example"]
[refuse]
packages = ["npm:@saltmarsh/part-finder", "npm:@saltmarsh/rota@<2"]
sources = ["url"]
"#,
        )
        .unwrap();
        for (source, name, version, want) in [
            ("npm", "@saltmarsh/tide-table", None, Fine),
            ("npm", "tide-table", Some("1.0.0"), NotAllowed),
            ("npm", "@saltmarsh/part-finder", Some("9.0.0"), Refused),
            ("npm", "@saltmarsh/rota", Some("1.9.0"), Refused),
            ("npm", "@saltmarsh/rota", Some("2.0.0"), Fine),
            ("pypi", "saltmarsh-fares", Some("1.4"), Fine),
            ("pypi", "saltmarsh-fares", Some("2.0"), NotAllowed),
            ("pypi", "saltmarsh-fares", None, NotAllowed),
            ("image", "saltmarsh/quay-files", Some("1"), Fine),
            ("url", "https://x.example/a.tgz", None, Refused),
        ] {
            assert_eq!(policy.package(source, name, version), want, "{source} {name} {version:?}");
        }
        assert_eq!(policy.host("tides.saltmarsh-line.example"), Fine);
        assert_eq!(policy.host("tides.example"), NotAllowed);
        assert_eq!(policy.gate, Some(Severity::Medium));
        assert_eq!(Policy::default().host("tides.example"), Fine);
    }

    #[test]
    fn severities_are_set_by_rule_and_path() {
        let policy = Policy::read(
            r#"[[severity]]
rule = "supply/*"
severity = "low"
[[severity]]
rule = "supply/unpinned"
paths = ["prod/**"]
severity = "critical"
"#,
        )
        .unwrap();
        for (rule, path, want) in [
            ("supply/unpinned", "dev/mcp.json", Severity::Low),
            ("supply/unpinned", "prod/a/mcp.json", Severity::Critical),
            ("power/shell", "prod/a/mcp.json", Severity::High),
        ] {
            assert_eq!(policy.severity(rule, path, Severity::High), want, "{rule} {path}");
        }
    }

    #[test]
    fn every_mistake_is_told_with_its_place() {
        for (text, place, why) in [
            ("gate = \"loud\"", (1, 8), "critical, high"),
            ("[[severity]]\nrule = \"supply/unpined\"\nseverity = \"low\"", (2, 8), "no rule is called so"),
            ("[[severity]]\nrule = \"supply/*\"", (1, 1), "has a rule"),
            ("[allow]\npackages = [\"tide-table\"]", (2, 13), "is written as"),
            ("[allow]\npackages = [\"npm:t@^x\"]", (2, 13), "no range"),
            ("[refuse]\nhost = [\"a\"]", (2, 1), "known are packages, hosts, sources"),
            ("[refuse]\nhosts = [\"a[\"]", (2, 10), "not a pattern"),
            ("[refuse]\nsources = [\"web\"]", (2, 12), "sources are"),
            ("[refuse]\nhosts = \"a.example\"", (2, 9), "not a list"),
            ("refuse = \"a\"", (1, 10), "not a table"),
            ("[severity]\nrule = \"supply/*\"", (1, 1), "not a list"),
            ("[[severity]]\nrule = \"supply/*\"\nseverity = \"low\"\npaths = \"a/**\"", (4, 9), "not a list"),
        ] {
            let errors = Policy::read(text).unwrap_err();
            let [error] = errors.as_slice() else { panic!("{errors:?}") };
            assert_eq!((error.line, error.column), place, "{text}: {error}");
            assert!(error.why.contains(why), "{text}: {error}");
        }
        assert_eq!(Policy::read("gate = \"x\"\n[refuse]\nsources = [1]").unwrap_err().len(), 2);
    }
}
