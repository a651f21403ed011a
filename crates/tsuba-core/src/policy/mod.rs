//! The company's policy (`tsuba.toml`): the gate, severities by rule and path, what is allowed and refused, which folders a team may have
//! reached, what is required, rules of its own, and words and token formats that only the company knows.

mod advisories;
mod facts;
mod folders;
mod lists;
mod origins;
mod own;
mod reading;

pub use advisories::{Advisories, Advisory, Affected, MAX_TOLD as MAX_ADVISORIES_TOLD, NoAdvisory};
pub use own::{Applied, OwnRule};

use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::credential::Vocabulary;
use crate::understand::{Analysis, Entry, listing_of};
use core::fmt;
use facts::EntryFacts;
use folders::Folders;
use globset::GlobMatcher;
use lists::{Lists, Looked};

/// A policy; the default one says nothing.
#[derive(Clone, Debug, Default)]
pub struct Policy {
    /// The gate, where it is set.
    pub gate: Option<Severity>,
    /// Words and token formats that only the company knows.
    pub vocabulary: Vocabulary,
    /// Published advisories, where some were handed over.
    pub advisories: Arc<Advisories>,
    gate_line: Option<Line>,
    severities: Vec<Weighed>,
    allow: Lists,
    refuse: Lists,
    folders: Vec<Folders>,
    require: Require,
    rules: Vec<OwnRule>,
    /// Evidence holds for so many days, where that is set.
    evidence_days: Option<i64>,
}

/// Evidence holds for so many days where the policy says nothing of it.
const EVIDENCE_DAYS: i64 = 90;

/// A line of the policy.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct Line {
    /// The line, from 1.
    pub line: u32,
    /// What stands there, in short.
    pub text: String,
}

impl fmt::Display for Line {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.line, self.text)
    }
}

/// A severity for findings of some rules at some paths.
#[derive(Clone, Debug)]
struct Weighed {
    rule: GlobMatcher,
    paths: Vec<GlobMatcher>,
    severity: Severity,
    line: Line,
}

/// What a policy may require, for which a rule stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Requirement {
    /// `pin`: one version.
    Pin,
    /// `pin = "digest"`: one content.
    Digest,
    /// `tls`.
    Tls,
    /// `token_days`: a token ends within so many days.
    TokenDays,
}

/// What is required of every entry that is switched on: findings that it is not so are at least high.
#[derive(Clone, Debug, Default)]
struct Require {
    pin: Option<(Pinned, Line)>,
    tls: Option<Line>,
    token_days: Option<(i64, Line)>,
}

/// How firmly everything fetched must be fixed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Pinned {
    /// To a version.
    Exact,
    /// Images to their content.
    Digest,
}

/// What the policy says of something, and in which line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ruling<'p> {
    /// Nothing speaks of it.
    Unsaid,
    /// It is on the list of what is allowed.
    Allowed(&'p Line),
    /// There is a list of what is allowed, and it is not on it.
    NotAllowed(&'p Line),
    /// It is refused.
    Refused(&'p Line),
}

impl<'p> Ruling<'p> {
    /// How it speaks against something, in words; `None` where it does not.
    pub fn against(self) -> Option<&'static str> {
        match self {
            Self::Unsaid | Self::Allowed(_) => None,
            Self::NotAllowed(_) => Some("does not allow"),
            Self::Refused(_) => Some("refuses"),
        }
    }

    /// The line that decides it.
    pub fn line(self) -> Option<&'p Line> {
        match self {
            Self::Unsaid => None,
            Self::Allowed(line) | Self::NotAllowed(line) | Self::Refused(line) => Some(line),
        }
    }
}

/// How much a finding weighs, and the line that says so.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Weighing<'p> {
    /// The severity.
    pub severity: Severity,
    /// Where it is said; `None` where the policy says nothing of it.
    pub line: Option<&'p Line>,
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

impl Policy {
    /// For how many days evidence holds after it was taken.
    pub fn evidence_days(&self) -> i64 {
        self.evidence_days.unwrap_or(EVIDENCE_DAYS)
    }

    /// The severity of a finding: the last that is set for its rule, by any of its names, and path, else its own; at least high where the policy requires that
    /// there be no such finding. What is only worth knowing, as of an entry that is switched off, stays so.
    pub fn severity(
        &self,
        (names, required): (&[&str], Option<Requirement>),
        path: &str,
        own: Severity,
    ) -> Weighing<'_> {
        let set = self.severities.iter().rev().find(|weighed| {
            names.iter().any(|name| weighed.rule.is_match(name))
                && (weighed.paths.is_empty() || weighed.paths.iter().any(|pattern| pattern.is_match(path)))
        });
        let set = set.map(|weighed| Weighing { severity: weighed.severity, line: Some(&weighed.line) });
        let weighing = set.unwrap_or(Weighing { severity: own, line: None });
        let line = required.and_then(|requirement| self.require.line(requirement));
        match line.filter(|_| own > Severity::Note && weighing.severity < Severity::High) {
            Some(line) => Weighing { severity: Severity::High, line: Some(line) },
            None => weighing,
        }
    }

    /// After how many days a token must end, where that is required.
    pub fn token_days(&self) -> Option<i64> {
        self.require.token_days.as_ref().map(|(days, _)| *days)
    }

    /// What it says of a package or image.
    pub fn package(&self, source: &str, name: &str, version: Option<&str>) -> Ruling<'_> {
        self.ruling(|lists| vec![lists.package(source, name, version), lists.source(source)])
    }

    /// What it says of a host.
    pub fn host(&self, host: &str) -> Ruling<'_> {
        self.ruling(|lists| vec![lists.host(host)])
    }

    /// What it says of a scope.
    pub fn scope(&self, scope: &str) -> Ruling<'_> {
        self.ruling(|lists| vec![lists.scope(scope)])
    }

    /// What it says of an identity provider, by its issuer (RFC 8414, 2).
    pub fn identity_provider(&self, issuer: &str) -> Ruling<'_> {
        self.ruling(|lists| vec![lists.identity_provider(issuer)])
    }

    fn ruling<'p>(&'p self, look: impl Fn(&'p Lists) -> Vec<Looked<'p>>) -> Ruling<'p> {
        lists::ruling(&look(&self.refuse), &look(&self.allow))
    }

    /// What it says of a folder that is within reach of a setup of this team.
    pub fn folder(&self, team: Option<&str>, folder: &str) -> Ruling<'_> {
        folders::ruling(&self.folders, team, folder)
    }

    /// The company's own rules that look at setups of this path, with what each says of an entry.
    pub fn own_rules<'p>(
        &'p self,
        analyses: &[Analysis],
        (analysis, entry): (&Analysis, &Entry),
        standing: Option<&crate::register::ReviewStatus>,
    ) -> Vec<(&'p OwnRule, Applied)> {
        let rules: Vec<&OwnRule> =
            self.rules.iter().filter(|rule| rule.is_for(analysis.document.policy_path())).collect();
        if rules.is_empty() {
            return Vec::new();
        }
        let listing = analysis.listing_of(entry).or_else(|| listing_of(analyses, entry));
        let listed = listing.map_or(0, |listing| listing.passages.iter().map(|passage| passage.at.text.len()).sum());
        let size = (entry.span.end - entry.span.start) as usize + listed;
        let facts = EntryFacts::of(analyses, analysis, entry, standing);
        rules.into_iter().map(|rule| (rule, rule.apply(&facts, size))).collect()
    }
}

impl Require {
    /// The line that makes a requirement.
    fn line(&self, requirement: Requirement) -> Option<&Line> {
        let pin = self.pin.as_ref();
        match requirement {
            Requirement::Pin => pin.map(|(_, line)| line),
            Requirement::Digest => pin.filter(|(pin, _)| *pin == Pinned::Digest).map(|(_, line)| line),
            Requirement::Tls => self.tls.as_ref(),
            Requirement::TokenDays => self.token_days.as_ref().map(|(_, line)| line),
        }
    }
}

#[cfg(test)]
mod tests;
