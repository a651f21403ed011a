//! The register of decisions (`tsuba-register/1`): a TOML file with a table for each decision, under version control. The name of a table
//! is a fingerprint of what is decided on, and tables are in the order of their names: two people who decide at once write into different
//! places, and their branches merge.

mod canonical;
mod history;
mod reading;
mod signed;
mod signing;
mod standing;
mod writing;

use crate::prelude::*;
use crate::read::{Input, Node, Notation, Reason, Unreadable, read};
use crate::text::strong_fingerprint;
use crate::understand::Fingerprints;
use core::fmt;
pub use history::{MAX_HISTORY, Past};
use jiff::civil::Date;
use reading::Reading;
pub use signed::{MAX_REMEMBERED, Memory, NAMESPACE, NotSigned, Signers, SignersError, Stale};
pub use signing::Signing;
pub use standing::{ReviewState, ReviewStatus};
pub(crate) use standing::{approved_versions, standings};
use writing::{above_remarks, written};

/// The name of the format.
const SCHEMA: &str = "tsuba-register/1";

/// What a new register begins with.
const HEAD: &str = "# Decisions on tool servers, written by `tsuba approve`, `refuse`, `waive`, `renew` and `revoke`.\n# Tables are in the order of their names, so that branches merge.\nschema = \"tsuba-register/1\"\n";

/// What was decided.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Kind {
    /// It may be used as it was then.
    Approved,
    /// It may not be used.
    Refused,
    /// A finding is accepted until a date.
    Waived,
    /// What was decided before no longer counts, and nothing is decided.
    Revoked,
}

impl Kind {
    /// All kinds.
    pub const ALL: [Self; 4] = [Self::Approved, Self::Refused, Self::Waived, Self::Revoked];

    /// Its name in the register.
    pub fn name(self) -> &'static str {
        match self {
            Self::Approved => "approved",
            Self::Refused => "refused",
            Self::Waived => "waived",
            Self::Revoked => "revoked",
        }
    }
}

/// On what it was decided.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Scope {
    /// On one entry.
    Entry {
        /// The setup's path, as reports show it.
        setup: String,
        /// The entry's name.
        entry: String,
    },
    /// On a package, wherever it is started.
    Package {
        /// Where it comes from, as reports name it: `npm`, `pypi`, `image`, …
        source: String,
        /// Its name.
        package: String,
        /// At this version only; any where there is none.
        version: Option<String>,
    },
    /// On every server at a host.
    Host {
        /// The host.
        host: String,
    },
    /// On one finding.
    Finding {
        /// The rule.
        rule: String,
        /// The finding's fingerprint.
        finding: String,
    },
}

/// A decision.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Decision {
    /// What was decided.
    pub kind: Kind,
    /// On what.
    pub scope: Scope,
    /// For this team only.
    pub team: Option<String>,
    /// Who decided.
    pub by: String,
    /// The day on which it was decided.
    pub on: Date,
    /// The reason that the reviewer gave.
    pub reason: String,
    /// The last day on which it holds; without one it holds until it is changed.
    pub until: Option<Date>,
    /// Under which conditions.
    pub conditions: Vec<String>,
    /// The launch that was approved.
    pub launch: Option<String>,
    /// What the server listed when it was approved.
    pub prints: Option<Fingerprints>,
    /// Where the finding stood that was waived, for whoever reads the register.
    pub place: Option<FindingPlace>,
    /// What was decided on it before, the oldest first.
    pub history: Vec<Past>,
}

/// Where a finding stands.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FindingPlace {
    /// The setup's path.
    pub setup: String,
    /// The entry's name, where it stands in one.
    pub entry: Option<String>,
    /// The value, as a JSON Pointer.
    pub pointer: String,
}

impl Decision {
    /// Its name in the register: equal for decisions on the same thing, of which there is one at a time.
    pub fn id(&self) -> String {
        let team = self.team.as_deref().unwrap_or_default();
        let parts: [&str; 4] = match &self.scope {
            Scope::Entry { setup, entry } => ["entry", setup, entry, ""],
            Scope::Package { source, package, version } => {
                ["package", source, package, version.as_deref().unwrap_or_default()]
            }
            Scope::Host { host } => ["host", host, "", ""],
            Scope::Finding { rule, finding } => ["finding", rule, finding, ""],
        };
        strong_fingerprint(parts.into_iter().chain([team])).chars().take(12).collect()
    }

    /// Does it hold on a day?
    pub fn holds(&self, today: Date) -> bool {
        self.kind != Kind::Revoked && self.until.is_none_or(|until| until >= today)
    }
}

/// A mistake in a register.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RegisterError {
    /// The line, from 1.
    pub line: u32,
    /// What is wrong, and what would be right.
    pub why: String,
}

impl fmt::Display for RegisterError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.line, self.why)
    }
}

/// A register.
#[derive(Clone, Debug, Default)]
pub struct Register {
    /// The decisions, in the order of their names.
    pub decisions: Vec<Decision>,
    /// Which signing of it this is, where it was ever signed.
    pub signing: Option<Signing>,
    /// Where the value of `signing` begins and ends in the text.
    signing_at: Option<(usize, usize)>,
    text: String,
    /// Where each decision's table begins and ends in the text, by name.
    tables: BTreeMap<String, (usize, usize)>,
}

impl Register {
    /// Reads a register; an empty text is an empty one.
    ///
    /// # Errors
    /// Every mistake in it, with its line.
    pub fn read(text: &str) -> Result<Self, Vec<RegisterError>> {
        let input = Input { path: "register.toml".into(), bytes: text.into(), ..Input::default() };
        let document = match read(input) {
            Ok(document) => document,
            Err(failed) => {
                let (Unreadable { why, at }, input) = *failed;
                let line = at.map_or(1, |at| crate::read::line_of(&input.bytes, at));
                let why = match why {
                    Reason::Malformed(Notation::Toml) => "not well-formed TOML (left over from a merge?)".to_owned(),
                    why => why.to_string(),
                };
                return Err(vec![RegisterError { line, why }]);
            }
        };
        let mut register = Self { text: document.text.clone(), ..Self::default() };
        let mut errors = Vec::new();
        let Some(root) = document.roots.first().filter(|root| !root.members().is_empty()) else { return Ok(register) };
        if root.get("schema").and_then(Node::text) != Some(SCHEMA) {
            errors.push(RegisterError {
                line: 1,
                why: format!("write schema = \"{SCHEMA}\"; another version is not known"),
            });
        }
        if let Some(signing) = root.get("signing") {
            register.signing_at = Some((signing.span.start as usize, signing.span.end as usize));
            match Signing::read(&document, signing) {
                Ok(signing) => register.signing = Some(signing),
                Err(wrong) => errors.push(wrong),
            }
        }
        let tables = root.get("decision").map(Node::members).unwrap_or_default();
        for table in tables {
            let head = table.key.span.start as usize;
            let line = text.get(..head).map_or("", |before| before.rsplit('\n').next().unwrap_or(before));
            if document.text.len() == text.len() && line.trim_start() != "[decision." {
                let line = document.lines.position(&document.text, head).line;
                let why = "write each decision as a table of its own, headed [decision.NAME]".to_owned();
                errors.push(RegisterError { line, why });
                continue;
            }
            let reading = Reading { document: &document, name: &table.key.text, node: &table.value };
            match reading.decision(table.key.span.start as usize) {
                Ok(decision) => {
                    let id = decision.id();
                    if id != table.key.text {
                        let why = format!("this decision is called {id}, by what it is on");
                        errors.push(RegisterError { line: reading.line(table.key.span.start as usize), why });
                    }
                    register.tables.insert(id, register.extent(table.key.span.start as usize, &table.key.text));
                    register.decisions.push(decision);
                }
                Err(wrong) => errors.extend(wrong),
            }
        }
        register.decisions.sort_by_cached_key(Decision::id);
        if errors.is_empty() { Ok(register) } else { Err(errors) }
    }

    /// The text, as it is in the file.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// From the line of a table's head to the line behind its last value; comments behind that belong to what follows.
    fn extent(&self, key: usize, name: &str) -> (usize, usize) {
        let start = self.text.get(..key).and_then(|before| before.rfind('\n')).map_or(0, |at| at + 1);
        let (mut end, mut at) = (start, start);
        for line in self.text.get(start..).unwrap_or_default().split_inclusive('\n') {
            let plain = line.trim();
            let own = format!("[decision.{name}");
            if at > start && plain.starts_with('[') && !plain.starts_with(&own) && !plain.starts_with("[\"") {
                break;
            }
            at += line.len();
            if !plain.is_empty() && !plain.starts_with('#') {
                end = at;
            }
        }
        (start, end)
    }

    /// The decision on the same thing that is in the register, if there is one.
    pub fn on_the_same(&self, decision: &Decision) -> Option<&Decision> {
        let id = decision.id();
        self.decisions.iter().find(|other| other.id() == id)
    }

    /// The text with a decision: in the place of the one on the same thing, else in the order of names. Everything else stays to the letter.
    #[must_use]
    pub fn with(&self, decision: &Decision) -> String {
        let (id, text) = (decision.id(), if self.text.trim().is_empty() { HEAD } else { &self.text });
        let block = written(decision);
        if let Some((start, end)) = self.tables.get(&id) {
            let (before, after) = (text.get(..*start).unwrap_or_default(), text.get(*end..).unwrap_or_default());
            // Remarks inside of it are kept above it.
            let inside = text.get(*start..*end).unwrap_or_default().lines().filter(|line| line.trim().starts_with('#'));
            let remarks: String = inside.map(|line| format!("{line}\n")).collect();
            return format!("{before}{remarks}{block}{after}");
        }
        match self.tables.range(id..).next() {
            Some((_, (next, _))) => {
                let at = above_remarks(text, *next);
                let (before, after) = (text.get(..at).unwrap_or_default(), text.get(at..).unwrap_or_default());
                format!("{before}{block}\n{after}")
            }
            None => format!("{}\n\n{block}", text.trim_end()),
        }
    }
}

#[cfg(test)]
mod tests;
