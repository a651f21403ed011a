//! How bad a finding is, and how sure.

use core::fmt;
use serde::{Deserialize, Serialize};

/// How bad a finding is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
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

    /// One step worse.
    pub(crate) fn raised(self) -> Self {
        match self {
            Self::Note => Self::Low,
            Self::Low => Self::Medium,
            Self::Medium => Self::High,
            Self::High | Self::Critical => Self::Critical,
        }
    }

    /// One step less.
    pub(crate) fn lowered(self) -> Self {
        match self {
            Self::Critical => Self::High,
            Self::High => Self::Medium,
            Self::Medium => Self::Low,
            Self::Low | Self::Note => Self::Note,
        }
    }
}

crate::text::named!(Severity: Critical, High, Medium, Low, Note);

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.name())
    }
}

/// How sure a finding is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
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

crate::text::named!(Confidence: Certain, Likely, Possible);

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_round_trip() {
        assert!(Severity::ALL.iter().all(|s| Severity::from_name(s.name()) == Some(*s)));
        assert!(Severity::ALL.is_sorted_by(|a, b| a > b));
    }
}
