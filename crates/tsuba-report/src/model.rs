//! The report model: `tsuba-report/2`, field by field as the contract says. Fields that do not apply are left out.

pub use crate::entry::{
    CredentialRow, DecisionRow, ElsewhereRow, EntryRow, ItemRow, Launch, ListingRow, OrderRow, ReachRow, RemoteRow,
    TextRow, Via,
};
pub use crate::summary::{Summary, Unasked};
pub use crate::texts::{Named, Text};

use crate::source::SourceRow;
use crate::texts::{cleaned, cleaned_if_any};
use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, de};
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::register::ReviewState;
use tsuba_core::severity::{Confidence, Severity};
use tsuba_core::understand::SetupKind;

/// The schema's name.
pub(crate) const SCHEMA: &str = "tsuba-report/2";
/// What came before, and can still be read: without a source, with paths as the inputs were typed, and without `because`.
const BEFORE: &str = "tsuba-report/1";

fn known_schema<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Text, D::Error> {
    let text = Text::deserialize(deserializer)?;
    if [SCHEMA, BEFORE].contains(&text.as_str()) { Ok(text) } else { Err(de::Error::custom("another schema")) }
}

/// A whole report.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct Report {
    /// `tsuba-report/2`; of an older one that is read again, `tsuba-report/1`.
    #[serde(deserialize_with = "known_schema")]
    pub schema: Text,
    /// Who wrote it.
    pub tool: Tool,
    /// The date of the audit (`YYYY-MM-DD`).
    #[serde(deserialize_with = "cleaned")]
    pub as_of: String,
    /// What was looked at, as given.
    pub inputs: Vec<Text>,
    /// Where that comes from.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub source: Option<SourceRow>,
    /// The policy and the register that it was judged with.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub judged_with: Vec<Text>,
    /// What it was narrowed to, as it was asked for: `only secret`, `severity high`. Where findings are left out there are no verdicts.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub filters: Vec<Text>,
    /// The setups, by path.
    pub setups: Vec<Setup>,
    /// The entries, by setup and place.
    pub entries: Vec<EntryRow>,
    /// The findings, worst first.
    pub findings: Vec<FindingRow>,
    /// What looks like a setup and could not be read.
    pub unread: Vec<Unread>,
    /// Counts.
    pub summary: Summary,
}

/// The tool that wrote a report.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct Tool {
    /// Its name.
    pub name: Text,
    /// Its version.
    pub version: Text,
}

/// A setup.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct Setup {
    /// Its path.
    pub path: Text,
    /// What it is.
    pub kind: Named<SetupKind>,
    /// The account that owns it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub owner: Option<Text>,
    /// The team that answers for it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub team: Option<Text>,
    /// Who answers for it by its repository's own word (`CODEOWNERS`).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub code_owner: Option<Text>,
    /// Is it tracked by version control?
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tracked: Option<bool>,
}

/// A place in a file: lines and columns from 1, columns in characters, the end exclusive.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct Place {
    /// First line.
    pub line: u32,
    /// First column.
    pub column: u32,
    /// Last line.
    pub end_line: u32,
    /// One past the last column.
    pub end_column: u32,
    /// The value, as a JSON Pointer.
    pub pointer: Text,
}

/// A finding.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct FindingRow {
    /// The rule's identifier.
    pub rule: Text,
    /// `critical`, `high`, `medium`, `low` or `note`.
    #[schemars(with = "Named<Severity>")]
    pub severity: Severity,
    /// What it would be if the policy said nothing of it; left out where that is the same.
    #[schemars(with = "Option<Named<Severity>>")]
    #[serde(skip_serializing_if = "Option::is_none")]
    pub without_policy: Option<Severity>,
    /// `certain`, `likely` or `possible`.
    #[schemars(with = "Named<Confidence>")]
    pub confidence: Confidence,
    /// The setup's path.
    pub setup: Text,
    /// The entry's id, where it belongs to one.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "cleaned_if_any")]
    pub entry: Option<String>,
    /// The characters it is about.
    pub place: Place,
    /// What is wrong.
    pub message: Text,
    /// The line, secrets masked.
    pub excerpt: Text,
    /// The part of it that is meant, in characters from 0, the end exclusive.
    #[serde(default)]
    pub marked: (usize, usize),
    /// The text as the model reads it, where the finding is about a text.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reads: Option<Text>,
    /// The text as a person sees it, where that differs.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sees: Option<Text>,
    /// For a leak path: the tools or servers in the order in which text passes them: what reads strangers' text, what holds private data, what
    /// sends.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub steps: Vec<Text>,
    /// What to do.
    pub fix: Text,
    /// What to write in the place of the characters that it is about, where that alone mends it and is safe. `tsuba repair` does more, and judges
    /// what it has done.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub replacement: Option<Text>,
    /// Where the rule comes from.
    pub references: Vec<Text>,
    /// The same finding has the same fingerprint after lines have moved.
    #[serde(deserialize_with = "cleaned")]
    pub fingerprint: String,
    /// The waiver that covers it, or null.
    pub waived: Option<Box<WaiverRow>>,
}

/// A waiver.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct WaiverRow {
    /// The decision's name in the register.
    #[serde(deserialize_with = "cleaned")]
    pub id: String,
    /// Who decided.
    pub by: Text,
    /// The last day on which it holds (`YYYY-MM-DD`).
    #[serde(deserialize_with = "cleaned")]
    pub until: String,
    /// The reason that the reviewer gave.
    pub reason: Text,
}

/// A file that could not be read.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct Unread {
    /// Its path.
    pub path: Text,
    /// The line, where known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub line: Option<u32>,
    /// Why it could not be read.
    pub why: Text,
}

impl Setup {
    /// Who answers for it: its team, else who its repository says.
    pub fn answers(&self) -> Option<&Text> {
        self.team.as_ref().or(self.code_owner.as_ref())
    }
}

impl FindingRow {
    /// Notes that it is accepted by a decision of this moment.
    pub fn waive(&mut self, decision: &tsuba_core::register::Decision) {
        self.waived = Some(Box::new(WaiverRow {
            id: decision.id(),
            by: Text::wary(&decision.by),
            until: decision.until.map(|until| until.to_string()).unwrap_or_default(),
            reason: Text::wary(&decision.reason),
        }));
    }
}

impl Report {
    /// Is it of the version before this one?
    pub fn is_older(&self) -> bool {
        self.schema.as_str() == BEFORE
    }

    /// The setups by their paths, for what names one.
    pub(crate) fn setups_by_path(&self) -> BTreeMap<&str, &Setup> {
        self.setups.iter().map(|setup| (setup.path.as_str(), setup)).collect()
    }

    /// The entries by their ids.
    pub(crate) fn entries_by_id(&self) -> BTreeMap<&str, &EntryRow> {
        self.entries.iter().map(|entry| (entry.id.as_str(), entry)).collect()
    }

    /// The same with other names of what was looked at.
    #[must_use]
    pub fn with_inputs(mut self, inputs: &[String]) -> Self {
        self.inputs = inputs.iter().map(|input| Text::wary(input)).collect();
        self
    }

    /// The same with the files it was judged with: who wrote them decides with.
    #[must_use]
    pub fn with_files(mut self, files: &[String]) -> Self {
        self.judged_with = files.iter().map(|file| Text::wary(file)).collect();
        self
    }

    /// The same without the findings of an earlier report, by their fingerprints, and the entries that it has, by their ids: what is new, or worse than it was.
    #[must_use]
    pub fn beyond(mut self, known: &BTreeMap<String, Severity>, entries: &BTreeSet<String>) -> Self {
        let before = self.findings.len();
        self.findings.retain(|finding| known.get(&finding.fingerprint).is_none_or(|was| finding.severity > *was));
        let known = before - self.findings.len();
        let Summary { evidence_of_others, undecided, undecided_weighs, .. } = self.summary;
        // An entry that was there before and undecided then does not stop what comes after it.
        let open = |row: &&EntryRow| row.decision.as_ref().is_some_and(|own| *own.standing == ReviewState::Unknown);
        let is_new = self.entries.iter().filter(open).any(|row| !entries.contains(&row.id));
        let undecided_weighs = undecided_weighs.filter(|_| is_new);
        let summary = Summary::of(&self.setups, &self.entries, &self.findings, self.unread.len());
        self.summary = Summary { known, evidence_of_others, undecided, undecided_weighs, ..summary };
        self
    }

    /// Some of its entries alone, what their servers list, and what was found in both.
    #[must_use]
    pub fn only(&self, wanted: impl Fn(&EntryRow) -> bool) -> Self {
        let own: BTreeSet<&String> = self.entries.iter().filter(|row| wanted(row)).map(|row| &row.id).collect();
        let is_meant = |row: &&EntryRow| {
            let listing = row.listing.as_ref();
            own.contains(&row.id) || listing.is_some_and(|listing| listing.of.iter().any(|owner| own.contains(owner)))
        };
        let entries: Vec<EntryRow> = self.entries.iter().filter(is_meant).cloned().collect();
        let ids: BTreeSet<&String> = entries.iter().map(|row| &row.id).collect();
        let is_theirs = |finding: &&FindingRow| finding.entry.as_ref().is_some_and(|entry| ids.contains(entry));
        let findings: Vec<FindingRow> = self.findings.iter().filter(is_theirs).cloned().collect();
        let paths: BTreeSet<&Text> = entries.iter().map(|row| &row.setup).collect();
        let setups: Vec<Setup> = self.setups.iter().filter(|setup| paths.contains(&setup.path)).cloned().collect();
        let summary = Summary::of(&setups, &entries, &findings, 0);
        Self { summary, setups, entries, findings, ..self.emptied() }
    }

    /// The same without judgement: what is there, and nothing about it.
    #[must_use]
    pub fn unjudged(mut self) -> Self {
        self.findings.clear();
        self.summary.findings.clear();
        self.summary.waived = 0;
        self.without_verdicts()
    }

    /// Is a finding at or above `gate` that is not waived, or an entry on which nobody has decided?
    pub fn reaches(&self, gate: Severity) -> bool {
        let found = self.findings.iter().any(|finding| finding.severity >= gate && finding.waived.is_none());
        found || self.summary.undecided_weighs.is_some_and(|severity| severity >= gate)
    }
}
