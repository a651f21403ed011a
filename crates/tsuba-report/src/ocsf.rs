//! The findings as events of the Open Cybersecurity Schema Framework (OCSF 1.3, class Detection Finding, 2004), one a line, for a company's
//! data lake.

use crate::model::{EntryRow, FindingRow, Setup, Text};
use crate::phrases::reason;
use crate::{Renderer, Report};
use serde_json::{Map, Value, json};
use std::io::{self, Write};
use tsuba_core::severity::{Confidence, Severity};

/// An event a line.
#[derive(Clone, Copy, Debug)]
pub struct Ocsf;

impl Renderer for Ocsf {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let (setups, entries) = (report.setups_by_path(), report.entries_by_id());
        for finding in &report.findings {
            let setup = setups.get(finding.setup.as_str()).copied();
            let entry = finding.entry.as_deref().and_then(|id| entries.get(id)).copied();
            Observed::of(report, finding, setup, entry).write(out)?;
        }
        Ok(())
    }
}

/// A finding as an event tells it: of one report, or of many over time.
#[derive(Clone, Debug)]
pub struct Observed<'o> {
    /// The version of the program that found it.
    pub version: &'o str,
    /// The day of the report (`YYYY-MM-DD`).
    pub day: &'o str,
    /// The rule.
    pub rule: &'o str,
    /// How bad it is.
    pub severity: Severity,
    /// How sure it is.
    pub confidence: Confidence,
    /// The finding's fingerprint.
    pub fingerprint: &'o str,
    /// What is wrong.
    pub message: &'o str,
    /// What to do.
    pub fix: &'o str,
    /// Where the rule comes from.
    pub references: Vec<&'o str>,
    /// The entry that it is of: its id and name.
    pub entry: Option<(&'o str, &'o str)>,
    /// The file, the line, and where they are known the column and the pointer.
    pub place: (&'o str, u32, Option<(u32, &'o str)>),
    /// Who answers for it.
    pub team: Option<&'o str>,
    /// Whose account owns the file.
    pub owner: Option<&'o str>,
    /// By whom it is accepted, and why.
    pub waived: Option<String>,
    /// When it was first and last seen, and since when it is not there any more.
    pub life: Option<(&'o str, &'o str, Option<&'o str>)>,
    /// What this format has no field for, by name.
    pub more: Vec<(&'static str, &'o str)>,
}

impl<'o> Observed<'o> {
    fn of(report: &'o Report, finding: &'o FindingRow, setup: Option<&'o Setup>, entry: Option<&'o EntryRow>) -> Self {
        let source = report.source.as_ref();
        let more = [
            ("excerpt", Some(finding.excerpt.as_str())),
            ("verdict", entry.and_then(|entry| entry.verdict).map(|verdict| verdict.name())),
            ("host", source.and_then(|source| source.host.as_ref()).map(Text::as_str)),
            ("repository", source.and_then(|source| source.repository.as_ref()).map(Text::as_str)),
            ("commit", source.and_then(|source| source.commit.as_ref()).map(Text::as_str)),
        ];
        let place = &finding.place;
        let waived = finding.waived.as_ref();
        Self {
            version: report.tool.version.as_str(),
            day: &report.as_of,
            rule: finding.rule.as_str(),
            severity: finding.severity,
            confidence: finding.confidence,
            fingerprint: &finding.fingerprint,
            message: finding.message.as_str(),
            fix: finding.fix.as_str(),
            references: finding.references.iter().map(Text::as_str).collect(),
            entry: finding.entry.as_deref().map(|id| (id, entry.map_or(finding.setup.as_str(), |e| e.name.as_str()))),
            place: (finding.setup.as_str(), place.line, Some((place.column, place.pointer.as_str()))),
            team: setup.and_then(Setup::answers).map(Text::as_str),
            owner: setup.and_then(|setup| setup.owner.as_ref()).map(Text::as_str),
            waived: waived.map(|waiver| format!("waived by {}: {}", waiver.by, waiver.reason)),
            life: None,
            more: more.into_iter().filter_map(|(name, value)| Some((name, value?))).collect(),
        }
    }

    /// Writes the event and a line end.
    ///
    /// # Errors
    /// What the writer says.
    pub fn write(&self, out: &mut dyn Write) -> io::Result<()> {
        serde_json::to_writer(&mut *out, &self.event()).map_err(io::Error::from)?;
        out.write_all(b"\n")
    }

    fn event(&self) -> Value {
        let (file, line, within) = self.place;
        let mut resource = Map::new();
        let mut put = |key: &str, value: Value| _ = resource.insert(key.to_owned(), value);
        put("type", json!(if self.entry.is_some() { "tool server" } else { "file" }));
        put("name", json!(self.entry.map_or(file, |(_, name)| name)));
        if let Some((id, _)) = self.entry {
            put("uid", json!(id));
        }
        if let Some(team) = self.team {
            put("group", json!({ "name": team }));
        }
        let mut data = Map::new();
        data.insert("file".to_owned(), json!(file));
        data.insert("line".to_owned(), json!(line));
        if let Some((column, pointer)) = within {
            data.insert("column".to_owned(), json!(column));
            data.insert("pointer".to_owned(), json!(pointer));
        }
        // The name of an account alone is no `user` object, which wants an identity.
        data.extend(self.owner.map(|owner| ("owner".to_owned(), json!(owner))));
        put("data", data.into());
        let closed = self.life.and_then(|(_, _, closed)| closed);
        let (activity_id, activity) = if closed.is_some() { (3, "Close") } else { (1, "Create") };
        let (status_id, status) = match (closed, &self.waived) {
            (Some(_), _) => (4, "Resolved"),
            (None, Some(_)) => (3, "Suppressed"),
            (None, None) => (1, "New"),
        };
        let mut info = json!({
            "uid": self.fingerprint,
            "title": reason(self.rule).unwrap_or(self.rule),
            "desc": self.message,
            "types": [self.rule],
        });
        if let (Some((first, last, _)), Some(info)) = (self.life, info.as_object_mut()) {
            info.insert("first_seen_time".to_owned(), json!(midnight(first)));
            info.insert("last_seen_time".to_owned(), json!(midnight(last)));
        }
        let more: Map<String, Value> =
            self.more.iter().map(|(name, value)| ((*name).to_owned(), json!(value))).collect();
        let mut event = json!({
            "activity_id": activity_id,
            "activity_name": activity,
            "category_uid": 2,
            "category_name": "Findings",
            "class_uid": 2004,
            "class_name": "Detection Finding",
            "type_uid": 200_400 + activity_id,
            "type_name": format!("Detection Finding: {activity}"),
            "time": midnight(closed.unwrap_or(self.day)),
            "severity_id": severity(self.severity),
            "severity": self.severity.name(),
            "confidence_id": confidence(self.confidence),
            "confidence": self.confidence.name(),
            "status_id": status_id,
            "status": status,
            "message": self.message,
            "metadata": {
                "version": "1.3.0",
                "uid": self.fingerprint,
                "product": { "name": "Tsuba", "vendor_name": "Tsuba", "version": self.version },
            },
            "finding_info": info,
            "remediation": { "desc": self.fix, "references": self.references },
            "resources": [resource],
            "unmapped": more,
        });
        if let (Some(waived), Some(event)) = (&self.waived, event.as_object_mut()) {
            event.insert("status_detail".to_owned(), json!(waived));
        }
        event
    }
}

/// The beginning of a day in milliseconds since the epoch.
fn midnight(day: &str) -> i64 {
    let day: Option<jiff::civil::Date> = day.parse().ok();
    let since = day.map(|day| day.duration_since(jiff::civil::date(1970, 1, 1)));
    since.map_or(0, |since| since.as_secs() * 1000)
}

/// `severity_id`.
fn severity(severity: Severity) -> u8 {
    match severity {
        Severity::Critical => 5,
        Severity::High => 4,
        Severity::Medium => 3,
        Severity::Low => 2,
        Severity::Note => 1,
    }
}

/// `confidence_id`.
fn confidence(confidence: Confidence) -> u8 {
    match confidence {
        Confidence::Certain => 3,
        Confidence::Likely => 2,
        Confidence::Possible => 1,
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn a_day_begins_at_midnight() {
        assert_eq!(super::midnight("2026-12-01"), 1_796_083_200_000);
        assert_eq!(super::midnight("no day"), 0);
    }
}
