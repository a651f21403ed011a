//! SARIF 2.1.0 (OASIS), for code review and scanning dashboards: rules with help, results with regions and fingerprints.

use crate::model::{FindingRow, Text};
use crate::together::{FindingGroup, together};
use crate::{Renderer, Report, rules};
use serde_json::{Value, json};
use std::io::{self, Write};
use tsuba_core::judge::Rule;
use tsuba_core::severity::Severity;

/// SARIF 2.1.0.
#[derive(Clone, Copy, Debug)]
pub struct Sarif;

impl Renderer for Sarif {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let all = tsuba_core::rules::all();
        let described: Vec<Value> = all
            .iter()
            .map(|rule| {
                json!({
                    "id": rule.id,
                    "name": rule.id,
                    "shortDescription": { "text": rule.title },
                    "fullDescription": { "text": rule.why },
                    "help": { "text": format!("{} {}", rule.why, rule.fix), "markdown": rules::section(rule) },
                    "defaultConfiguration": { "level": level(rule.severity) },
                    "properties": { "security-severity": score(rule.severity), "tags": ["security", rule.family()] },
                })
            })
            .collect();
        let groups = together(&report.findings, &report.entries);
        let results: Vec<Value> = groups.iter().map(|group| result(group, &all)).collect();
        let notifications: Vec<Value> = report
            .unread
            .iter()
            .map(|unread| {
                let region = unread.line.map(|line| json!({ "startLine": line }));
                let mut place = json!({ "artifactLocation": artifact(unread.path.as_str()) });
                if let (Some(region), Some(object)) = (region, place.as_object_mut()) {
                    object.insert("region".to_owned(), region);
                }
                json!({ "level": "warning", "message": { "text": unread.why.as_str() }, "locations": [{ "physicalLocation": place }] })
            })
            .collect();
        let log = json!({
            "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
            "version": "2.1.0",
            "runs": [{
                "tool": { "driver": { "name": report.tool.name, "version": report.tool.version, "semanticVersion": report.tool.version, "rules": described } },
                "columnKind": "unicodeCodePoints",
                "originalUriBaseIds": { ROOT: { "description": { "text": "The root of the repository, or else the folder that was looked at." } } },
                "versionControlProvenance": provenance(report),
                "invocations": [{ "executionSuccessful": true, "toolExecutionNotifications": notifications }],
                "results": results,
            }],
        });
        let mut bytes = serde_json::to_vec_pretty(&log)?;
        bytes.push(b'\n');
        out.write_all(&bytes)
    }
}

/// A result: one for findings that are told as one.
fn result(group: &FindingGroup<'_>, all: &[&Rule]) -> Value {
    let finding = group.lead;
    let said: Vec<String> = group.all().map(|finding| format!("{}.", finding.message)).collect();
    let mut properties = json!({ "severity": finding.severity.name(), "confidence": finding.confidence.name() });
    // What other rules say of the same characters is no alert of its own.
    let also: Vec<&str> = group.with.iter().map(|finding| finding.rule.as_str()).collect();
    if let Some(properties) = properties.as_object_mut().filter(|_| !also.is_empty()) {
        properties.insert("alsoRules".to_owned(), json!(also));
    }
    let mut out = json!({
        "ruleId": finding.rule,
        "ruleIndex": all.iter().position(|rule| rule.id == finding.rule.as_str()),
        "level": level(finding.severity),
        "message": { "text": format!("{} {}", said.join(" "), group.fixes().join(" ")) },
        "locations": [location(finding)],
        "suppressions": suppressions(finding),
        "partialFingerprints": { "tsuba/1": finding.fingerprint },
        "rank": rank(finding.severity),
        "properties": properties,
    });
    if let (Some(replacement), Some(out)) = (&finding.replacement, out.as_object_mut()) {
        out.insert("fixes".to_owned(), json!([fix(finding, replacement)]));
    }
    // A document shows it again (SARIF 2.1.0, 3.27.12 and 3.27.22).
    if let Some(out) = out.as_object_mut().filter(|_| !group.again.is_empty()) {
        let places: Vec<Value> = group.again.iter().map(|finding| location(finding)).collect();
        out.insert("occurrenceCount".to_owned(), json!(group.again.len() + 1));
        out.insert("relatedLocations".to_owned(), json!(places));
    }
    out
}

/// What to write instead (SARIF 2.1.0, 3.55).
fn fix(finding: &FindingRow, replacement: &Text) -> Value {
    let replacement = json!({ "deletedRegion": region(finding), "insertedContent": { "text": replacement } });
    json!({
        "description": { "text": finding.fix },
        "artifactChanges": [{ "artifactLocation": artifact(finding.setup.as_str()), "replacements": [replacement] }],
    })
}

/// The characters that a finding is about.
fn region(finding: &FindingRow) -> Value {
    let place = &finding.place;
    json!({ "startLine": place.line, "startColumn": place.column, "endLine": place.end_line, "endColumn": place.end_column })
}

fn location(finding: &FindingRow) -> Value {
    let mut region = region(finding);
    if let Some(region) = region.as_object_mut() {
        region.insert("snippet".to_owned(), json!({ "text": finding.excerpt }));
    }
    json!({
        "physicalLocation": { "artifactLocation": artifact(finding.setup.as_str()), "region": region },
        "logicalLocations": [{ "fullyQualifiedName": finding.place.pointer.as_str() }],
    })
}

/// What paths start from. Where it lies is left to the reader: the same tree gives the same log on every machine (SARIF 2.1.0, 3.14.14).
const ROOT: &str = "ROOT";

/// A file, by its path from the root. What has no path of its own is none.
fn artifact(path: &str) -> Value {
    let below = !(path.starts_with('/')
        || path.starts_with('~')
        || path.starts_with("../")
        || ["-", "candidate"].contains(&path));
    if below { json!({ "uri": uri(path), "uriBaseId": ROOT }) } else { json!({ "uri": uri(path) }) }
}

/// The repositories that files come from, and at which commit (SARIF 2.1.0, 3.14.15).
fn provenance(report: &Report) -> Vec<Value> {
    let Some(source) = &report.source else { return Vec::new() };
    let details = |repository: &Text, commit: Option<&Text>, path: Option<&Text>| {
        let mut mapped = json!({ "uriBaseId": ROOT });
        if let (Some(path), Some(object)) = (path, mapped.as_object_mut()) {
            object.insert("uri".to_owned(), format!("{}/", uri(path.as_str())).into());
        }
        let mut out = json!({ "repositoryUri": format!("https://{}", uri(repository.as_str())), "mappedTo": mapped });
        if let (Some(commit), Some(object)) = (commit, out.as_object_mut()) {
            object.insert("revisionId".to_owned(), commit.as_str().into());
        }
        out
    };
    let root = source.repository.iter().map(|own| details(own, source.commit.as_ref(), None));
    let below = source
        .repositories
        .iter()
        .filter_map(|row| Some(details(row.repository.as_ref()?, row.commit.as_ref(), Some(&row.path))));
    root.chain(below).collect()
}

/// A waived finding is suppressed, with who decided that (SARIF 2.1.0, 3.35).
fn suppressions(finding: &FindingRow) -> Vec<Value> {
    let waiver = finding.waived.iter();
    waiver
        .map(|waiver| {
            let why = format!("{} (waived by {} until {})", waiver.reason, waiver.by, waiver.until);
            json!({ "kind": "external", "status": "accepted", "justification": why })
        })
        .collect()
}

fn level(severity: Severity) -> &'static str {
    match severity {
        Severity::Critical | Severity::High => "error",
        Severity::Medium => "warning",
        Severity::Low | Severity::Note => "note",
    }
}

/// The score by which dashboards rank security results (0 to 10, as text).
fn score(severity: Severity) -> &'static str {
    match severity {
        Severity::Critical => "9.5",
        Severity::High => "8.0",
        Severity::Medium => "5.5",
        Severity::Low => "3.0",
        Severity::Note => "1.0",
    }
}

fn rank(severity: Severity) -> f64 {
    match severity {
        Severity::Critical => 95.0,
        Severity::High => 80.0,
        Severity::Medium => 55.0,
        Severity::Low => 30.0,
        Severity::Note => 10.0,
    }
}

/// A path as a URI reference (RFC 3986): what is not unreserved is percent-encoded, slashes stay.
fn uri(path: &str) -> String {
    let mut out = String::with_capacity(path.len());
    for byte in path.replace('\\', "/").bytes() {
        if byte.is_ascii_alphanumeric() || b"-._~/".contains(&byte) {
            out.push(char::from(byte));
        } else {
            out.push_str(&format!("%{byte:02X}"));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    #[test]
    fn paths_become_uri_references() {
        assert_eq!(super::uri("a b/ü.json"), "a%20b/%C3%BC.json");
        assert_eq!(super::uri("C:\\x"), "C%3A/x");
    }
}
