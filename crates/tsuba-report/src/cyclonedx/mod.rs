//! CycloneDX 1.6 (ECMA-424) as JSON: packages, images and local programs as components, remote servers as services, findings as
//! vulnerabilities, and what was decided on them as analysis.

mod parts;

use crate::model::{EntryRow, FindingRow};
use crate::{Renderer, Report};
use parts::{Part, component, parts_of, service};
use serde_json::{Map, Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write};
use tsuba_core::register::ReviewState;
use tsuba_core::severity::Severity;
use tsuba_core::text::strong_fingerprint;

/// A bill of materials.
#[derive(Clone, Copy, Debug)]
pub struct CycloneDx;

/// What was looked at, as a whole.
const ROOT: &str = "inventory";

impl Renderer for CycloneDx {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let mut components: BTreeMap<String, Part<'_>> = BTreeMap::new();
        let mut services: BTreeMap<String, Part<'_>> = BTreeMap::new();
        let mut refs: BTreeMap<&str, Vec<String>> = BTreeMap::new();
        // What a text only shows, or a file lists, is used by nobody.
        for entry in report.entries.iter().filter(|entry| entry.counts()) {
            for part in parts_of(entry) {
                let all = if part.is_service { &mut services } else { &mut components };
                let own = refs.entry(entry.id.as_str()).or_default();
                // The same may stand around a server and beside it.
                if !own.contains(&part.name) {
                    own.push(part.name.clone());
                    all.entry(part.name.clone()).or_insert(part).used_by.push(entry);
                }
            }
        }
        // What a server lists is said of the entries whose server it is.
        for entry in report.entries.iter().filter(|entry| !entry.counts()) {
            let owners = entry.listing.iter().flat_map(|listing| &listing.of);
            let own: BTreeSet<String> = owners.filter_map(|id| refs.get(id.as_str())).flatten().cloned().collect();
            refs.insert(entry.id.as_str(), own.into_iter().collect());
        }
        let all: Vec<&String> = components.keys().chain(services.keys()).collect();
        let entries = report.entries_by_id();
        let time = format!("{}T00:00:00Z", report.as_of);
        let name = report.title();
        let bom = json!({
            "$schema": "http://cyclonedx.org/schema/bom-1.6.schema.json",
            "bomFormat": "CycloneDX",
            "specVersion": "1.6",
            "serialNumber": serial(report),
            "version": 1,
            "metadata": {
                "timestamp": time,
                "tools": { "components": [{ "type": "application", "name": report.tool.name, "version": report.tool.version }] },
                "component": { "type": "application", "bom-ref": ROOT, "name": name, "description": "Tool servers that agent programs are set up with" },
            },
            "components": components.values().map(component).collect::<Vec<_>>(),
            "services": services.values().map(service).collect::<Vec<_>>(),
            "dependencies": [{ "ref": ROOT, "dependsOn": all }],
            "vulnerabilities": report.findings.iter().map(|finding| vulnerability(finding, &refs, &entries, &time)).collect::<Vec<_>>(),
        });
        let mut bytes = serde_json::to_vec_pretty(&bom)?;
        bytes.push(b'\n');
        out.write_all(&bytes)
    }
}

/// A name for this bill: the same report has the same (a UUID of version 8, RFC 9562).
fn serial(report: &Report) -> String {
    let findings = report.findings.iter().map(|finding| finding.fingerprint.as_str());
    let entries = report.entries.iter().map(|entry| entry.fingerprint.as_str());
    let whole = strong_fingerprint([report.as_of.as_str(), &report.title()].into_iter().chain(entries).chain(findings));
    let part = |range: std::ops::Range<usize>| whole.get(range).unwrap_or_default();
    format!("urn:uuid:{}-{}-8{}-8{}-{}", part(0..8), part(8..12), part(12..15), part(15..18), part(18..30))
}

/// A finding. What belongs to a file as a whole is of the whole inventory.
fn vulnerability(
    finding: &FindingRow,
    refs: &BTreeMap<&str, Vec<String>>,
    entries: &BTreeMap<&str, &EntryRow>,
    time: &str,
) -> Value {
    let own = finding.entry.as_deref().and_then(|entry| refs.get(entry)).filter(|own| !own.is_empty());
    let affects: Vec<Value> = match own {
        Some(own) => own.iter().map(|name| json!({ "ref": name })).collect(),
        None => vec![json!({ "ref": ROOT })],
    };
    let cwes: Vec<u32> = finding
        .references
        .iter()
        .filter_map(|reference| reference.as_str().strip_prefix("CWE-")?.parse().ok())
        .filter(|number| *number > 0)
        .collect();
    let entry = finding.entry.as_deref().and_then(|id| entries.get(id));
    let mut properties = vec![
        property("tsuba:rule", finding.rule.as_str()),
        property("tsuba:confidence", finding.confidence.name()),
        property("tsuba:setup", &format!("{}:{}", finding.setup, finding.place.line)),
    ];
    properties.extend(entry.map(|entry| property("tsuba:entry", entry.name.as_str())));
    let mut out = Map::new();
    out.insert("bom-ref".to_owned(), format!("finding-{}-{}", finding.fingerprint, place(finding)).into());
    out.insert("id".to_owned(), json!(finding.rule));
    out.insert("source".to_owned(), json!({ "name": "tsuba" }));
    out.insert(
        "ratings".to_owned(),
        json!([{ "source": { "name": "tsuba" }, "severity": severity(finding.severity), "method": "other" }]),
    );
    if !cwes.is_empty() {
        out.insert("cwes".to_owned(), json!(cwes));
    }
    out.insert("description".to_owned(), json!(finding.message));
    out.insert("detail".to_owned(), json!(finding.excerpt));
    out.insert("recommendation".to_owned(), json!(finding.fix));
    out.insert("analysis".to_owned(), analysis(finding, entry.copied(), time));
    out.insert("affects".to_owned(), affects.into());
    out.insert("properties".to_owned(), properties.into());
    Value::Object(out)
}

/// A document may show the same finding twice.
fn place(finding: &FindingRow) -> String {
    strong_fingerprint([finding.setup.as_str(), &finding.place.line.to_string(), &finding.place.column.to_string()])
        .chars()
        .take(8)
        .collect()
}

/// What was decided: a waiver accepts one finding; where nobody has decided on the entry it waits for that.
fn analysis(finding: &FindingRow, entry: Option<&EntryRow>, time: &str) -> Value {
    if let Some(waiver) = &finding.waived {
        let until = if waiver.until.is_empty() { String::new() } else { format!(" until {}", waiver.until) };
        let detail = format!("accepted by {}{until}: {}", waiver.by, waiver.reason);
        return json!({ "state": "exploitable", "response": ["will_not_fix"], "detail": detail, "lastUpdated": time });
    }
    let decision = entry.and_then(|entry| entry.decision.as_ref());
    match decision.filter(|decision| *decision.standing != ReviewState::Unknown) {
        Some(decision) => {
            let by = decision.by.as_ref().map(|by| format!(" by {by}")).unwrap_or_default();
            let on = decision.on.as_ref().map(|on| format!(" on {on}")).unwrap_or_default();
            json!({ "state": "exploitable", "detail": format!("entry {}{by}{on}", decision.standing), "lastUpdated": time })
        }
        None => json!({ "state": "in_triage" }),
    }
}

fn severity(severity: Severity) -> &'static str {
    match severity {
        Severity::Critical => "critical",
        Severity::High => "high",
        Severity::Medium => "medium",
        Severity::Low => "low",
        Severity::Note => "info",
    }
}

/// A fact that the format has no field for.
fn property(name: &str, value: &str) -> Value {
    json!({ "name": name, "value": value })
}
