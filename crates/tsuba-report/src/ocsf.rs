//! The findings as events of the Open Cybersecurity Schema Framework (OCSF 1.3, class Detection Finding, 2004), one a line, for a company's
//! data lake.

use crate::model::{EntryRow, FindingRow, Setup};
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
        let time = midnight(&report.as_of);
        for finding in &report.findings {
            let setup = setups.get(finding.setup.as_str()).copied();
            let entry = finding.entry.as_deref().and_then(|id| entries.get(id)).copied();
            serde_json::to_writer(&mut *out, &event(report, time, finding, setup, entry)).map_err(io::Error::from)?;
            out.write_all(b"\n")?;
        }
        Ok(())
    }
}

/// The day of the audit in milliseconds since the epoch.
fn midnight(day: &str) -> i64 {
    let day: Option<jiff::civil::Date> = day.parse().ok();
    let since = day.map(|day| day.duration_since(jiff::civil::date(1970, 1, 1)));
    since.map_or(0, |since| since.as_secs() * 1000)
}

fn event(report: &Report, time: i64, finding: &FindingRow, setup: Option<&Setup>, entry: Option<&EntryRow>) -> Value {
    let rule = finding.rule.as_str();
    let mut resource = Map::new();
    let mut put = |key: &str, value: Value| _ = resource.insert(key.to_owned(), value);
    put("type", json!(if entry.is_some() { "tool server" } else { "file" }));
    put("name", json!(entry.map_or(finding.setup.as_str(), |entry| entry.name.as_str())));
    if let Some(id) = &finding.entry {
        put("uid", json!(id));
    }
    if let Some(team) = setup.and_then(|setup| setup.answers()) {
        put("group", json!({ "name": team }));
    }
    let place = &finding.place;
    let mut data =
        json!({ "file": finding.setup, "line": place.line, "column": place.column, "pointer": place.pointer });
    // The name of an account alone is no `user` object, which wants an identity.
    if let (Some(owner), Some(data)) = (setup.and_then(|setup| setup.owner.as_ref()), data.as_object_mut()) {
        data.insert("owner".to_owned(), json!(owner));
    }
    put("data", data);
    let (status_id, status) = if finding.waived.is_some() { (3, "Suppressed") } else { (1, "New") };
    let source = report.source.as_ref();
    let more = [
        ("excerpt", Some(finding.excerpt.to_string())),
        ("verdict", entry.and_then(|entry| entry.verdict).map(|verdict| verdict.name().to_owned())),
        ("host", source.and_then(|source| source.host.as_ref()).map(ToString::to_string)),
        ("repository", source.and_then(|source| source.repository.as_ref()).map(ToString::to_string)),
        ("commit", source.and_then(|source| source.commit.as_ref()).map(ToString::to_string)),
    ];
    let more: Map<String, Value> =
        more.into_iter().filter_map(|(name, value)| Some((name.to_owned(), value?.into()))).collect();
    let mut event = json!({
        "activity_id": 1,
        "activity_name": "Create",
        "category_uid": 2,
        "category_name": "Findings",
        "class_uid": 2004,
        "class_name": "Detection Finding",
        "type_uid": 200_401,
        "type_name": "Detection Finding: Create",
        "time": time,
        "severity_id": severity(finding.severity),
        "severity": finding.severity.name(),
        "confidence_id": confidence(finding.confidence),
        "confidence": finding.confidence.name(),
        "status_id": status_id,
        "status": status,
        "message": finding.message,
        "metadata": {
            "version": "1.3.0",
            "uid": finding.fingerprint,
            "product": { "name": "Tsuba", "vendor_name": "Tsuba", "version": report.tool.version },
        },
        "finding_info": {
            "uid": finding.fingerprint,
            "title": reason(rule).unwrap_or(rule),
            "desc": finding.message,
            "types": [rule],
        },
        "remediation": { "desc": finding.fix, "references": finding.references },
        "resources": [resource],
        "unmapped": more,
    });
    if let (Some(waiver), Some(event)) = (&finding.waived, event.as_object_mut()) {
        event.insert("status_detail".to_owned(), json!(format!("waived by {}: {}", waiver.by, waiver.reason)));
    }
    event
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
