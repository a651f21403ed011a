//! How much a finding weighs, and what the circumstances do to it. The only place that knows.

use crate::severity::Severity;

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
}
