//! How much a finding weighs, and what the circumstances do to it. The only place that knows.

use core::fmt;
use serde::Serialize;

/// How bad a finding is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing.
    Note,
    /// Should be tidied up.
    Low,
    /// Should be mended before the entry is relied on.
    Medium,
    /// Must be mended before the entry is used.
    High,
    /// Stop: harm is likely now.
    Critical,
}

impl Severity {
    /// All severities, worst first.
    pub const ALL: [Self; 5] = [Self::Critical, Self::High, Self::Medium, Self::Low, Self::Note];

    /// The severity's name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Critical => "critical",
            Self::High => "high",
            Self::Medium => "medium",
            Self::Low => "low",
            Self::Note => "note",
        }
    }

    /// The severity with this name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|s| s.name() == name)
    }

    fn raised(self) -> Self {
        match self {
            Self::Note => Self::Low,
            Self::Low => Self::Medium,
            Self::Medium => Self::High,
            Self::High | Self::Critical => Self::Critical,
        }
    }

    fn lowered(self) -> Self {
        match self {
            Self::Critical => Self::High,
            Self::High => Self::Medium,
            Self::Medium => Self::Low,
            Self::Low | Self::Note => Self::Note,
        }
    }
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.name())
    }
}

/// How sure a finding is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Confidence {
    /// Looks like it; a person should check.
    Possible,
    /// Very probably so.
    Likely,
    /// It stands there.
    Certain,
}

impl Confidence {
    /// The confidence's name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Possible => "possible",
            Self::Likely => "likely",
            Self::Certain => "certain",
        }
    }
}

/// What a rule saw beside the thing itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Circumstance {
    /// The file is tracked by version control: every clone has it, for ever.
    Tracked,
    /// The thing guards or grants administration.
    Admin,
    /// The whole disk, or the file system's root.
    WholeDisk,
    /// It may be written.
    Writable,
    /// It may only be read.
    ReadOnly,
    /// It never leaves this machine.
    Loopback,
    /// It can be reached from other machines.
    Reachable,
    /// The value is a default that everybody knows.
    WellKnown,
    /// Only its place or name speaks for it.
    Weak,
    /// A tag that looks like a version, and can still be moved.
    VersionTag,
    /// Ordinary use: worth a note.
    Ordinary,
    /// It runs without anybody being asked.
    Unasked,
    /// It comes after the server, or beside it.
    Beside,
    /// More than one person or team is concerned.
    Several,
    /// A hint: honest texts say such things too.
    Faint,
    /// It says so beyond doubt, or asks for much.
    Grave,
    /// It is kept from a person's eyes.
    Hidden,
    /// A text shows it to whoever may paste it; nobody has set it up yet.
    Shown,
}

/// What a circumstance does.
enum Effect {
    Raise,
    Lower,
    AtMost(Severity),
    AtLeast(Severity),
}

fn effect(circumstance: Circumstance) -> Effect {
    match circumstance {
        Circumstance::Tracked
        | Circumstance::Admin
        | Circumstance::Reachable
        | Circumstance::Unasked
        | Circumstance::Several
        | Circumstance::Grave
        | Circumstance::Hidden => Effect::Raise,
        Circumstance::WholeDisk => Effect::AtLeast(Severity::High),
        Circumstance::Writable => Effect::Raise,
        Circumstance::ReadOnly | Circumstance::Weak | Circumstance::Beside | Circumstance::Shown => Effect::Lower,
        Circumstance::Loopback | Circumstance::Ordinary => Effect::AtMost(Severity::Note),
        Circumstance::WellKnown => Effect::AtMost(Severity::Medium),
        Circumstance::VersionTag | Circumstance::Faint => Effect::AtMost(Severity::Low),
    }
}

/// The severity of a finding: the rule's own, changed by each circumstance in turn; one less when the entry is switched off.
pub(super) fn weigh(own: Severity, circumstances: &[Circumstance], disabled: bool) -> Severity {
    let weighed = circumstances.iter().fold(own, |severity, circumstance| match effect(*circumstance) {
        Effect::Raise => severity.raised(),
        Effect::Lower => severity.lowered(),
        Effect::AtMost(bound) => severity.min(bound),
        Effect::AtLeast(bound) => severity.max(bound),
    });
    if disabled { weighed.lowered() } else { weighed }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn circumstances_decide() {
        use Circumstance::*;
        assert_eq!(weigh(Severity::High, &[Tracked], false), Severity::Critical);
        assert_eq!(weigh(Severity::High, &[Loopback], false), Severity::Note);
        assert_eq!(weigh(Severity::Medium, &[WholeDisk, ReadOnly], false), Severity::Medium);
        assert_eq!(weigh(Severity::High, &[], true), Severity::Medium);
    }

    #[test]
    fn names_round_trip() {
        assert!(Severity::ALL.iter().all(|s| Severity::from_name(s.name()) == Some(*s)));
        assert!(Severity::ALL.is_sorted_by(|a, b| a > b));
    }
}
