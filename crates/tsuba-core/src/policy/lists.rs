//! What is allowed, or refused: packages with versions, sources, hosts, scopes and identity providers.

use super::{Line, Ruling};
use crate::prelude::*;
use crate::understand::registry_name;
use globset::GlobMatcher;

/// What is allowed, or refused; a list that is not there says nothing.
#[derive(Clone, Debug, Default)]
pub(super) struct Lists {
    pub(super) packages: Option<List<PackagePattern>>,
    pub(super) hosts: Option<List<GlobMatcher>>,
    pub(super) sources: Option<List<String>>,
    pub(super) scopes: Option<List<GlobMatcher>>,
    pub(super) identity_providers: Option<List<GlobMatcher>>,
}

/// A list, with where it and each of its items stand.
#[derive(Clone, Debug)]
pub(super) struct List<T> {
    pub(super) line: Line,
    pub(super) items: Vec<(T, Line)>,
}

/// `npm:@saltmarsh/*`, `npm:@saltmarsh/tide-table@^2.4`, `image:saltmarsh/*`.
#[derive(Clone, Debug)]
pub(super) struct PackagePattern {
    pub(super) source: String,
    pub(super) name: GlobMatcher,
    pub(super) versions: Option<Versions>,
}

#[derive(Clone, Debug)]
pub(super) enum Versions {
    Npm(semver::VersionReq),
    Python(pep440_rs::VersionSpecifiers),
    Exactly(String),
}

/// Is something on a list?
#[derive(Clone, Copy)]
pub(super) enum Looked<'l> {
    /// There is no such list.
    NoList,
    /// It is not on the list in this line.
    Not(&'l Line),
    /// This line has it.
    Has(&'l Line),
}

impl<T> List<T> {
    fn look(list: Option<&Self>, is: impl Fn(&T) -> bool) -> Looked<'_> {
        match list {
            None => Looked::NoList,
            Some(list) => match list.items.iter().find(|(item, _)| is(item)) {
                Some((_, line)) => Looked::Has(line),
                None => Looked::Not(&list.line),
            },
        }
    }
}

impl Lists {
    pub(super) fn package<'l>(&'l self, source: &str, name: &str, version: Option<&str>) -> Looked<'l> {
        List::look(self.packages.as_ref(), |pattern| pattern.is_meant(source, name, version))
    }

    pub(super) fn source(&self, source: &str) -> Looked<'_> {
        List::look(self.sources.as_ref(), |known| known == source)
    }

    pub(super) fn host(&self, host: &str) -> Looked<'_> {
        List::look(self.hosts.as_ref(), |pattern| pattern.is_match(host))
    }

    pub(super) fn scope(&self, scope: &str) -> Looked<'_> {
        List::look(self.scopes.as_ref(), |pattern| pattern.is_match(scope))
    }

    /// An issuer is meant by itself, or by its host.
    pub(super) fn identity_provider(&self, issuer: &str) -> Looked<'_> {
        let whole = issuer.trim_end_matches('/');
        let host = url::Url::parse(issuer).ok().and_then(|url| url.host_str().map(str::to_owned));
        List::look(self.identity_providers.as_ref(), |pattern| {
            pattern.is_match(whole) || host.as_ref().is_some_and(|host| pattern.is_match(host))
        })
    }

    /// Where the items of every list stand, but for scopes.
    pub(super) fn lines(&self) -> Vec<&Line> {
        fn of<T>(list: Option<&List<T>>) -> Vec<&Line> {
            list.iter().flat_map(|list| list.items.iter().map(|(_, line)| line)).collect()
        }
        let mut lines = of(self.packages.as_ref());
        lines.extend(of(self.sources.as_ref()));
        for list in [&self.hosts, &self.identity_providers] {
            lines.extend(of(list.as_ref()));
        }
        lines
    }
}

/// From what was found on the lists of what is refused and of what is allowed.
pub(super) fn ruling<'p>(refused: &[Looked<'p>], allowed: &[Looked<'p>]) -> Ruling<'p> {
    for looked in refused {
        if let Looked::Has(line) = looked {
            return Ruling::Refused(line);
        }
    }
    let mut ruling = Ruling::Unsaid;
    for looked in allowed {
        match looked {
            Looked::NoList => {}
            // Of several lists of what is allowed each has to have it.
            Looked::Not(line) => return Ruling::NotAllowed(line),
            Looked::Has(line) => ruling = if ruling == Ruling::Unsaid { Ruling::Allowed(line) } else { ruling },
        }
    }
    ruling
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
