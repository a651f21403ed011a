//! What is done by a rule's kind, by whoever runs rules and tells of them: no rule is known by its name.

use crate::policy::Requirement;

/// How a rule's findings are treated.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Ways {
    /// Its findings are about decisions, not about what is set up.
    pub decides: Option<Decides>,
    /// Its findings of a gateway count for every server behind it: they are about how callers come to what is behind.
    pub counts_behind: bool,
    /// Its findings weigh the same where a text only shows what nobody has set up.
    pub counts_where_shown: bool,
    /// Only where a finding is critical is there nothing that its owner can mend.
    pub mendable: bool,
    /// The requirement of a policy that it stands for.
    pub required: Option<Requirement>,
    /// What a person still has to do when it was mended.
    pub afterwards: Option<&'static str>,
    /// What the rule was called before: policies, waivers and registers that call it so still mean it.
    pub formerly: Option<&'static str>,
}

/// What a finding says of a decision.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Decides {
    /// That there is none: a status of the entry, which is counted apart and decides no verdict.
    Open,
    /// That it no longer holds: a decision is what mends it.
    Missing,
    /// That it was against.
    Against,
}

impl Ways {
    /// Nothing in particular.
    pub const PLAIN: Self = Self {
        decides: None,
        counts_behind: false,
        counts_where_shown: false,
        mendable: false,
        required: None,
        afterwards: None,
        formerly: None,
    };
    /// About how callers come to a server.
    pub const OF_CALLERS: Self = Self { counts_behind: true, ..Self::PLAIN };
    /// About a value that is out wherever it stands.
    pub const OF_SECRETS: Self = Self { counts_where_shown: true, ..Self::PLAIN };
    /// About a decision that no longer holds.
    pub const UNDECIDED: Self = Self { decides: Some(Decides::Missing), ..Self::PLAIN };
    /// About a decision that nobody has taken.
    pub const OPEN: Self = Self { decides: Some(Decides::Open), ..Self::PLAIN };

    /// Is a decision what mends it?
    pub const fn waits_for_a_decision(&self) -> bool {
        matches!(self.decides, Some(Decides::Open | Decides::Missing))
    }

    /// Was called otherwise before.
    #[must_use]
    pub const fn formerly(self, id: &'static str) -> Self {
        Self { formerly: Some(id), ..self }
    }

    /// Stands for a requirement, too.
    #[must_use]
    pub const fn required_by(self, requirement: Requirement) -> Self {
        Self { required: Some(requirement), ..self }
    }
}
