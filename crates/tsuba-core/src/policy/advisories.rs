//! Published advisories in the open format OSV (schema 1.7): which versions of which packages are known to be bad. Read offline; what an advisory says
//! of other ecosystems than those that tool servers are started from is passed over.

use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::launch::Source;
use core::cmp::Ordering;
use serde::Deserialize;

/// Advisories by the package that they are about.
#[derive(Clone, Debug, Default)]
pub struct Advisories {
    by_package: BTreeMap<(&'static str, String), Vec<Arc<Advisory>>>,
    count: usize,
}

/// What one advisory says of one package.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Advisory {
    /// Its identifier.
    pub id: String,
    /// What it is about, in a line. Hostile: anybody may write one.
    pub summary: String,
    /// Was the package made to do harm?
    pub malicious: bool,
    /// How bad it is, by its own word; malicious ones are critical, of others nothing may be said.
    pub severity: Option<Severity>,
    /// The lowest versions in which it is mended.
    pub fixed: Vec<String>,
    package: (&'static str, String),
    versions: Vec<String>,
    ranges: Vec<Vec<(Event, String)>>,
}

/// Is a start of a package affected?
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Affected {
    /// Nobody says which version is started, and some are affected.
    Perhaps,
    /// Its version is, or every one.
    Surely,
}

/// What happens at a version of a range.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Event {
    Introduced,
    LastAffected,
    Fixed,
}

#[derive(Deserialize)]
struct Written {
    id: String,
    #[serde(default)]
    summary: String,
    withdrawn: Option<serde::de::IgnoredAny>,
    #[serde(default)]
    affected: Vec<WrittenAffected>,
    #[serde(default)]
    database_specific: WrittenSpecific,
}

#[derive(Deserialize)]
struct WrittenAffected {
    package: Option<WrittenPackage>,
    #[serde(default)]
    ranges: Vec<WrittenRange>,
    #[serde(default)]
    versions: Vec<String>,
    #[serde(default)]
    database_specific: WrittenSpecific,
}

#[derive(Deserialize)]
struct WrittenPackage {
    #[serde(default)]
    ecosystem: String,
    #[serde(default)]
    name: String,
}

#[derive(Deserialize)]
struct WrittenRange {
    #[serde(default, rename = "type")]
    kind: String,
    #[serde(default)]
    events: Vec<BTreeMap<String, String>>,
}

#[derive(Default, Deserialize)]
struct WrittenSpecific {
    #[serde(default)]
    severity: serde_json::Value,
    #[serde(default, rename = "malicious-packages-origins")]
    origins: Option<serde::de::IgnoredAny>,
}

/// More packages in one advisory are not looked at.
const MAX_AFFECTED: usize = 10_000;

impl Advisories {
    /// Reads one advisory; those that were withdrawn say nothing.
    ///
    /// # Errors
    /// Where it is none.
    pub fn read(bytes: &[u8]) -> Result<Vec<Advisory>, NoAdvisory> {
        let written: Written = serde_json::from_slice(bytes).map_err(|_| NoAdvisory)?;
        if written.withdrawn.is_some() {
            return Ok(Vec::new());
        }
        let malicious = written.id.starts_with("MAL-") || written.database_specific.origins.is_some();
        let severity = severity(&written.database_specific);
        let of = |affected: WrittenAffected| {
            let package = affected.package?;
            let ecosystem = ecosystem(&package.ecosystem)?;
            let semantic = |range: &WrittenRange| matches!(range.kind.as_str(), "SEMVER" | "ECOSYSTEM");
            let ranges: Vec<Vec<(Event, String)>> =
                affected.ranges.into_iter().filter(semantic).map(|range| events(range, ecosystem)).collect();
            let fixed = ranges.iter().flatten().filter(|(event, _)| *event == Event::Fixed);
            Some(Advisory {
                id: written.id.clone(),
                summary: written.summary.clone(),
                malicious: malicious || affected.database_specific.origins.is_some(),
                severity: severity.or_else(|| self::severity(&affected.database_specific)),
                fixed: fixed.map(|(_, version)| version.clone()).collect(),
                package: (ecosystem, name(ecosystem, &package.name)),
                versions: affected.versions,
                ranges,
            })
        };
        Ok(written.affected.into_iter().take(MAX_AFFECTED).filter_map(of).collect())
    }

    /// Adds what was read.
    pub fn extend(&mut self, advisories: impl IntoIterator<Item = Advisory>) {
        for advisory in advisories {
            self.count += 1;
            self.by_package.entry(advisory.package.clone()).or_default().push(Arc::new(advisory));
        }
    }

    /// How many packages were named, by all of them together.
    pub fn count(&self) -> usize {
        self.count
    }

    /// What is known of a package: of one version, or of whatever version is started. The worst first.
    pub fn of(&self, source: Source, package: &str, version: Option<&str>) -> Vec<(&Advisory, Affected)> {
        let Some(ecosystem) = of_source(source).filter(|_| self.count > 0) else { return Vec::new() };
        let known = self.by_package.get(&(ecosystem, name(ecosystem, package)));
        let affected = |advisory: &'_ Arc<Advisory>| advisory.affects(version);
        let mut out: Vec<(&Advisory, Affected)> =
            known.into_iter().flatten().filter_map(|advisory| Some((&**advisory, affected(advisory)?))).collect();
        out.sort_by(|(a, _), (b, _)| b.weight().cmp(&a.weight()).then_with(|| a.id.cmp(&b.id)));
        out.dedup_by(|(a, _), (b, _)| a.id == b.id);
        out
    }
}

/// Of one package no more advisories are told; the worst come first.
pub const MAX_TOLD: usize = 10;
/// Of a longer summary (bytes) the rest is left out.
const MAX_SUMMARY: usize = 200;

/// A text that is no advisory.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NoAdvisory;

impl Advisory {
    /// How bad it is.
    pub fn weight(&self) -> Severity {
        if self.malicious { Severity::Critical } else { self.severity.unwrap_or(Severity::High) }
    }

    /// What it says of a package that it names, in a few words.
    pub fn describe(&self, affected: Affected) -> String {
        let kind = match (self.malicious, affected) {
            (true, Affected::Surely) => "is malicious",
            (true, Affected::Perhaps) => "has malicious versions, and which one is started is open",
            (false, Affected::Surely) => "has a published vulnerability",
            (false, Affected::Perhaps) => "has a published vulnerability that no version mends",
        };
        let summary = self.summary.trim();
        if summary.is_empty() {
            kind.to_owned()
        } else {
            format!("{kind}: {}", crate::text::head(summary, MAX_SUMMARY))
        }
    }

    fn affects(&self, version: Option<&str>) -> Option<Affected> {
        let every = |range: &Vec<(Event, String)>| matches!(range.as_slice(), [(Event::Introduced, from)] if matches!(from.as_str(), "0" | "0.0.0"));
        if self.ranges.iter().any(every) || (self.ranges.is_empty() && self.versions.is_empty()) {
            return Some(Affected::Surely);
        }
        let Some(version) = version else {
            // Of what is started without a version the newest is, and in that most things are mended.
            let open = |range: &Vec<(Event, String)>| matches!(range.last(), Some((Event::Introduced, _)));
            return (self.malicious || self.ranges.iter().any(open)).then_some(Affected::Perhaps);
        };
        let version = version.trim_start_matches(['v', '=']);
        let named = || self.versions.iter().any(|one| compare(self.package.0, one, version) == Some(Ordering::Equal));
        (named() || self.ranges.iter().any(|range| within(self.package.0, range, version))).then_some(Affected::Surely)
    }
}

/// Is a version within a range (OSV schema, evaluation)? The events are in the order of their versions.
fn within(ecosystem: &str, range: &[(Event, String)], version: &str) -> bool {
    let mut inside = false;
    for (event, at) in range {
        let Some(order) = (if at == "0" { Some(Ordering::Greater) } else { compare(ecosystem, version, at) }) else {
            return false;
        };
        match event {
            Event::Introduced if order != Ordering::Less => inside = true,
            Event::Fixed if order != Ordering::Less => inside = false,
            Event::LastAffected if order == Ordering::Greater => inside = false,
            Event::Introduced | Event::Fixed | Event::LastAffected => {}
        }
    }
    inside
}

fn events(range: WrittenRange, ecosystem: &str) -> Vec<(Event, String)> {
    let event = |(key, version): (String, String)| match key.as_str() {
        "introduced" => Some((Event::Introduced, version)),
        "fixed" => Some((Event::Fixed, version)),
        "last_affected" => Some((Event::LastAffected, version)),
        _ => None,
    };
    let mut out: Vec<(Event, String)> = range.events.into_iter().flatten().filter_map(event).collect();
    out.sort_by(|(one, a), (other, b)| {
        let order = match (a.as_str(), b.as_str()) {
            ("0", "0") => Ordering::Equal,
            ("0", _) => Ordering::Less,
            (_, "0") => Ordering::Greater,
            _ => compare(ecosystem, a, b).unwrap_or(Ordering::Equal),
        };
        order.then(one.cmp(other))
    });
    out
}

/// Two versions in the order of their ecosystem; `None` where one is none.
fn compare(ecosystem: &str, a: &str, b: &str) -> Option<Ordering> {
    if ecosystem == PYPI {
        let read = |text: &str| text.parse::<pep440_rs::Version>().ok();
        return Some(read(a)?.cmp(&read(b)?));
    }
    let read = |text: &str| semver::Version::parse(text.trim_start_matches('v')).ok();
    // What is behind the plus orders nothing (Semantic Versioning 2.0.0, 10).
    Some(read(a)?.cmp_precedence(&read(b)?))
}

const PYPI: &str = "PyPI";

fn ecosystem(written: &str) -> Option<&'static str> {
    ["npm", PYPI, "NuGet", "Go", "crates.io"].into_iter().find(|known| *known == written)
}

fn of_source(source: Source) -> Option<&'static str> {
    match source {
        Source::Npm => Some("npm"),
        Source::Pypi => Some(PYPI),
        Source::Nuget => Some("NuGet"),
        Source::Go => Some("Go"),
        Source::Crates => Some("crates.io"),
        Source::Jsr | Source::Image | Source::Git | Source::Url | Source::Path => None,
    }
}

/// A package's name as its registry compares it (PEP 503 for the Python one).
fn name(ecosystem: &str, written: &str) -> String {
    match ecosystem {
        PYPI => {
            let parts: Vec<&str> = written.split(['-', '_', '.']).filter(|part| !part.is_empty()).collect();
            parts.join("-").to_ascii_lowercase()
        }
        "NuGet" => written.to_ascii_lowercase(),
        _ => written.to_owned(),
    }
}

fn severity(specific: &WrittenSpecific) -> Option<Severity> {
    match specific.severity.as_str()?.to_ascii_uppercase().as_str() {
        "CRITICAL" => Some(Severity::Critical),
        "HIGH" => Some(Severity::High),
        "MODERATE" | "MEDIUM" => Some(Severity::Medium),
        "LOW" => Some(Severity::Low),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(advisory: &str, source: Source, package: &str, version: Option<&str>) -> String {
        let mut all = Advisories::default();
        all.extend(Advisories::read(advisory.as_bytes()).unwrap());
        let message = |(advisory, affected): &(&Advisory, Affected)| {
            format!("{} {} {affected:?}", advisory.id, advisory.weight())
        };
        all.of(source, package, version).iter().map(message).collect::<Vec<_>>().join("; ")
    }

    #[test]
    fn versions_are_held_against_ranges_and_lists() {
        let npm = |events: &str| {
            format!(
                r#"{{"id": "A-1", "affected": [{{"package": {{"ecosystem": "npm", "name": "@saltmarsh/tides"}}, "ranges": [{{"type": "SEMVER", "events": [{events}]}}]}}]}}"#
            )
        };
        let two = npm(r#"{"introduced": "2.0.0"}, {"fixed": "2.4.1"}, {"introduced": "0"}, {"fixed": "1.2.0"}"#);
        for (version, want) in [
            (Some("1.1.9"), "A-1 high Surely"),
            (Some("1.2.0"), ""),
            (Some("2.4.0"), "A-1 high Surely"),
            (Some("2.4.1-rc.1"), "A-1 high Surely"),
            (Some("2.4.1"), ""),
            (Some("v2.0.0"), "A-1 high Surely"),
            (Some("latest"), ""),
            (None, ""),
        ] {
            assert_eq!(told(&two, Source::Npm, "@saltmarsh/tides", version), want, "{version:?}");
        }
        assert_eq!(told(&two, Source::Pypi, "@saltmarsh/tides", Some("1.0.0")), "");
        let last = npm(r#"{"introduced": "1.0.0"}, {"last_affected": "1.5.0"}"#);
        assert_eq!(told(&last, Source::Npm, "@saltmarsh/tides", Some("1.5.0")), "A-1 high Surely");
        assert_eq!(told(&last, Source::Npm, "@saltmarsh/tides", Some("1.5.1")), "");
        let open = npm(r#"{"introduced": "1.0.0"}"#);
        assert_eq!(told(&open, Source::Npm, "@saltmarsh/tides", None), "A-1 high Perhaps");
        let every = npm(r#"{"introduced": "0"}"#);
        assert_eq!(told(&every, Source::Npm, "@saltmarsh/tides", None), "A-1 high Surely");
    }

    #[test]
    fn names_are_compared_as_their_registry_does_and_malice_weighs_most() {
        let python = r#"{"id": "MAL-1", "summary": "x", "affected": [{"package": {"ecosystem": "PyPI", "name": "Saltmarsh_Tides"}, "versions": ["1.0", "1.1.post1"]}]}"#;
        assert_eq!(told(python, Source::Pypi, "saltmarsh-tides", Some("1.0.0")), "MAL-1 critical Surely");
        assert_eq!(told(python, Source::Pypi, "saltmarsh.tides", Some("1.1")), "");
        assert_eq!(told(python, Source::Pypi, "saltmarsh-tides", None), "MAL-1 critical Perhaps");
        let low = r#"{"id": "A-2", "affected": [{"package": {"ecosystem": "crates.io", "name": "tides"}, "ranges": [{"type": "GIT", "events": [{"introduced": "0"}]}, {"type": "SEMVER", "events": [{"introduced": "0.0.0-0"}]}]}], "database_specific": {"severity": "LOW"}}"#;
        assert_eq!(told(low, Source::Crates, "tides", Some("0.1.0")), "A-2 low Surely");
        let withdrawn = r#"{"id": "A-3", "withdrawn": "2026-01-01T00:00:00Z", "affected": [{"package": {"ecosystem": "npm", "name": "tides"}}]}"#;
        assert_eq!(told(withdrawn, Source::Npm, "tides", None), "");
        assert_eq!(Advisories::read(b"{\"name\": 1}"), Err(NoAdvisory));
    }
}
