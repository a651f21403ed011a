//! Where each entry stands: what was decided on it, and whether it is still what was approved.

use super::{Decision, Kind, Register, Scope};
use crate::prelude::*;
use crate::understand::{
    Analysis, Entry, Fetched, Fingerprints, SetupKind, fetched, launch_fingerprint, listing_of, registry_name, started,
};
use jiff::civil::Date;

/// Where an entry stands. Decisions are indexes into the register's.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ReviewStatus {
    /// Nobody has decided on it.
    Unknown,
    /// It is approved, and is what was approved.
    Approved(usize),
    /// It was approved, and is something else now: what, in words.
    Changed(usize, Vec<String>),
    /// It was approved until a day that is over.
    Expired(usize),
    /// It is refused.
    Refused(usize),
}

impl ReviewStatus {
    /// The decision it rests on.
    pub fn decision(&self) -> Option<usize> {
        match self {
            Self::Unknown => None,
            Self::Approved(at) | Self::Changed(at, _) | Self::Expired(at) | Self::Refused(at) => Some(*at),
        }
    }

    /// Without its decision.
    pub fn stood(&self) -> ReviewState {
        match self {
            Self::Unknown => ReviewState::Unknown,
            Self::Approved(_) => ReviewState::Approved,
            Self::Changed(..) => ReviewState::Changed,
            Self::Expired(_) => ReviewState::Expired,
            Self::Refused(_) => ReviewState::Refused,
        }
    }

    /// Its name in reports.
    pub fn name(&self) -> &'static str {
        self.stood().name()
    }

    /// Which of two approvals counts: one that holds, before one of something that has changed, before one that is over.
    fn rank(&self) -> u8 {
        match self {
            Self::Unknown => 0,
            Self::Expired(_) => 1,
            Self::Changed(..) => 2,
            Self::Approved(_) => 3,
            Self::Refused(_) => 4,
        }
    }
}

/// A standing without its decision.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum ReviewState {
    /// Nobody has decided.
    Unknown,
    /// Approved, and what was approved.
    Approved,
    /// Approved, and something else now.
    Changed,
    /// Approved until a day that is over.
    Expired,
    /// Refused.
    Refused,
}

impl ReviewState {
    /// Its name in reports.
    pub fn name(self) -> &'static str {
        match self {
            Self::Unknown => "unknown",
            Self::Approved => "approved",
            Self::Changed => "changed",
            Self::Expired => "expired",
            Self::Refused => "refused",
        }
    }
}

crate::text::named!(ReviewState: Unknown, Approved, Changed, Expired, Refused);

/// The standing of every entry, by study; `None` for what stands for a listing.
pub(crate) fn standings(analyses: &[Analysis], register: &Register, today: Date) -> Vec<Vec<Option<ReviewStatus>>> {
    let index = Index::of(register);
    let of = |analysis: &Analysis| {
        let decided = |entry: &Entry| entry.listing.is_none() && analysis.kind.sets_up();
        // That nobody has decided on a candidate is why it is asked about.
        let message =
            |standing: &ReviewStatus| analysis.kind != SetupKind::Candidate || *standing != ReviewStatus::Unknown;
        let standing = |entry: &Entry| {
            decided(entry).then(|| index.standing(analyses, analysis, entry, register, today)).filter(message)
        };
        analysis.entries.iter().map(standing).collect()
    };
    analyses.iter().map(of).collect()
}

/// Notes at entries whose package is not known at a version the one version of it that is approved, where that is one alone.
pub(crate) fn approved_versions(analyses: &mut [Analysis], register: &Register, today: Date) {
    let mut approved: BTreeMap<(&str, String), BTreeSet<&str>> = BTreeMap::new();
    let holds =
        |decision: &&Decision| decision.kind == Kind::Approved && decision.team.is_none() && decision.holds(today);
    for decision in register.decisions.iter().filter(holds) {
        if let Scope::Package { source, package, version: Some(version) } = &decision.scope {
            approved.entry((source, registry_name(source, package))).or_default().insert(version);
        }
    }
    for entry in
        analyses.iter_mut().flat_map(|analysis| &mut analysis.entries).filter(|entry| entry.known_version.is_none())
    {
        let Some((source, package, _)) = started(entry) else { continue };
        let versions = approved.get(&(source, package.clone())).filter(|versions| versions.len() == 1);
        let version = versions.and_then(|versions| versions.first()).map(|version| (*version).to_owned());
        entry.known_version = version.map(|version| Box::new((package, version)));
    }
}

/// The decisions by what they are on: a company has thousands.
#[derive(Default)]
struct Index<'r> {
    entries: BTreeMap<(&'r str, &'r str), Vec<usize>>,
    packages: BTreeMap<(&'r str, String), Vec<usize>>,
    hosts: BTreeMap<&'r str, Vec<usize>>,
}

impl<'r> Index<'r> {
    fn of(register: &'r Register) -> Self {
        let mut index = Self::default();
        let counts = |(_, decision): &(usize, &Decision)| decision.kind != Kind::Revoked;
        for (at, decision) in register.decisions.iter().enumerate().filter(counts) {
            match &decision.scope {
                Scope::Entry { setup, entry } => index.entries.entry((setup, entry)).or_default().push(at),
                Scope::Package { source, package, .. } => {
                    index.packages.entry((source, registry_name(source, package))).or_default().push(at);
                }
                Scope::Host { host } => index.hosts.entry(host).or_default().push(at),
                Scope::Finding { .. } => {}
            }
        }
        index
    }

    fn standing(
        &self,
        analyses: &[Analysis],
        analysis: &Analysis,
        entry: &Entry,
        register: &Register,
        today: Date,
    ) -> ReviewStatus {
        let own = self.entries.get(&(analysis.document.register_path(), entry.name.text.as_str()));
        let of_host = entry.remote.as_ref().and_then(|remote| self.hosts.get(remote.host.as_str()));
        let fetched = fetched(entry);
        let of_packages = fetched.iter().filter_map(|p| self.packages.get(&(p.source, p.name.clone())));
        let mut best = ReviewStatus::Unknown;
        for at in own.into_iter().chain(of_host).chain(of_packages).flatten().copied() {
            let Some(decision) = register.decisions.get(at) else { continue };
            let team = decision.team.is_none() || decision.team == analysis.document.facts.team;
            if team && covers(decision, entry, &fetched) {
                let standing = judged(at, decision, entry, || listing_of(analyses, entry).map(Fingerprints::of), today);
                if standing.rank() > best.rank() {
                    best = standing;
                }
            }
        }
        best
    }
}

/// Is a decision one on this entry? A refusal is, wherever in the chain stands what is refused. An approval is only where the entry is nothing
/// else: a package that is started alone, a host that is called by no program.
fn covers(decision: &Decision, entry: &Entry, fetched: &[Fetched]) -> bool {
    match (&decision.scope, decision.kind) {
        (Scope::Package { source, package, version }, Kind::Refused) => fetched.iter().any(|p| {
            let at =
                version.as_ref().is_none_or(|version| p.version.as_ref().is_some_and(|own| same_version(own, version)));
            p.source == source && p.name == registry_name(source, package) && at
        }),
        (Scope::Package { .. }, _) => started(entry).is_some(),
        (Scope::Host { .. }, Kind::Approved) => entry.plan.is_none(),
        _ => true,
    }
}

/// `v2.4.1` and `=2.4.1` are 2.4.1.
fn same_version(one: &str, other: &str) -> bool {
    let bare = |text: &str| text.trim().trim_start_matches(['v', '=']).to_owned();
    bare(one) == bare(other)
}

fn judged(
    at: usize,
    decision: &Decision,
    entry: &Entry,
    prints: impl Fn() -> Option<Fingerprints>,
    today: Date,
) -> ReviewStatus {
    match (decision.kind, decision.holds(today)) {
        (Kind::Refused, true) => return ReviewStatus::Refused(at),
        (Kind::Refused, false) | (Kind::Waived | Kind::Revoked, _) => return ReviewStatus::Unknown,
        (Kind::Approved, false) => return ReviewStatus::Expired(at),
        (Kind::Approved, true) => {}
    }
    let mut changed = Vec::new();
    if decision.launch.as_ref().is_some_and(|launch| *launch != launch_fingerprint(entry)) {
        changed.push("how it is started or called".to_owned());
    }
    if let (Scope::Package { version: Some(approved), .. }, Some((_, _, found))) = (&decision.scope, started(entry))
        && !found.as_ref().is_some_and(|found| same_version(found, approved))
    {
        changed.push(match found {
            Some(found) => format!("version {approved} -> {found}"),
            None => format!("version {approved} -> unpinned"),
        });
    }
    if let Some(old) = &decision.prints
        && let Some(now) = prints()
    {
        changed.extend(now.beyond(old));
    }
    if changed.is_empty() { ReviewStatus::Approved(at) } else { ReviewStatus::Changed(at, changed) }
}
