//! What a company's entries run and call today, and what is open there, as one report.

use anyhow::bail;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::text::is_loopback;
use tsuba_report::Report;
use tsuba_store::{EntryLine, Filter, FindingLine, Store, StoreError, Used};

/// A bill is one document, made in memory: of more entries it is told to take a part.
const MAX_BILL_ENTRIES: usize = 100_000;

fn fits(entries: usize) -> anyhow::Result<()> {
    if entries > MAX_BILL_ENTRIES {
        bail!(
            "a bill of materials holds {MAX_BILL_ENTRIES} entries, and these are {entries}; name a part of the company with --in"
        );
    }
    Ok(())
}

/// The report. What a store does not keep (excerpts, columns, arguments) is not in it.
pub(super) fn report(store: &Store, within: &[String], day: &str) -> anyhow::Result<Report> {
    let filter = Filter { scopes: within.to_vec(), ..Filter::default() };
    let count = store.counts(&filter)?.entries;
    fits(count)?;
    let used = store.uses_by_entry(within)?;
    let lines = store.entries(&filter)?;
    let none = Vec::new();
    let rows: Vec<Value> = lines
        .iter()
        .map(|line| entry(line, used.get(&(line.scope.clone(), line.id.clone())).unwrap_or(&none)))
        .collect();
    let mut setups: BTreeMap<String, Value> = BTreeMap::new();
    for line in &lines {
        let path = setup(&line.scope, file_and_line(&line.place).0);
        let row = json!({ "path": path, "kind": "client", "team": line.team, "owner": line.owner });
        setups.entry(path).or_insert(row);
    }
    let findings: Vec<Value> = store.findings(true, within)?.iter().map(finding).collect();
    let value = json!({
        "schema": "tsuba-report/2",
        "tool": { "name": "tsuba", "version": env!("CARGO_PKG_VERSION") },
        "as_of": day,
        "inputs": lines.iter().map(|line| line.scope.as_str()).collect::<BTreeSet<_>>(),
        "setups": setups.into_values().collect::<Vec<_>>(),
        "summary": { "setups": 0, "entries": rows.len(), "documents": 0, "shown": 0, "unread": 0, "unasked": { "local": 0, "remote": 0 },
            "verdicts": {}, "findings": {}, "waived": 0, "known": 0, "undecided": 0, "evidence_of_others": 0 },
        "entries": rows,
        "findings": findings,
        "unread": [],
    });
    // Read as any report is: every text in it is cleaned.
    let bytes = serde_json::to_vec(&value).map_err(|_| StoreError::Unwritable)?;
    Ok(tsuba_report::read(&bytes).map_err(|_| StoreError::Unwritable)?)
}

/// The same file lies in many repositories.
fn setup(scope: &str, file: &str) -> String {
    format!("{scope}/{file}")
}

/// The parts of a place as the store has it.
fn file_and_line(place: &str) -> (&str, u32) {
    let parts = place.rsplit_once(':').and_then(|(file, line)| Some((file, line.parse().ok()?)));
    parts.unwrap_or((place, 1))
}

fn id(scope: &str, key: &str) -> String {
    format!("{scope}#{key}")
}

fn place(line: u32) -> Value {
    json!({ "line": line, "column": 1, "end_line": line, "end_column": 1, "pointer": "" })
}

fn entry(line: &EntryLine, used: &[Used]) -> Value {
    let (file, number) = file_and_line(&line.place);
    let mut row = json!({
        "id": id(&line.scope, &line.id), "setup": setup(&line.scope, file), "name": line.name, "place": place(number),
        "transport": "unknown", "credentials": [], "reach": { "folders": [], "hosts": [], "powers": [] }, "asks": "unknown",
        "disabled": false, "verdict": line.verdict, "fingerprint": line.id,
    });
    let Some(fields) = row.as_object_mut() else { return row };
    if line.runs.contains("://") && !line.runs.contains(char::is_whitespace) {
        let host = used.iter().find(|one| one.kind == "host").map(|one| one.name.as_str()).unwrap_or_default();
        let remote = json!({ "url": line.runs, "host": host, "loopback": is_loopback(&line.runs) });
        fields.insert("remote".to_owned(), remote);
    }
    // All that it runs stands side by side: which of them is the server a store does not tell.
    let via: Vec<Value> = used.iter().filter_map(part).collect();
    if !via.is_empty() {
        let launch = json!({ "wrappers": [], "args": [], "bridge": false, "via": via });
        fields.insert("launch".to_owned(), launch);
    }
    row
}

/// A package, image or program.
fn part(used: &Used) -> Option<Value> {
    let source = match used.kind.as_str() {
        "host" | "tool" | "credential" => return None,
        "program" => "path",
        kind => kind,
    };
    let is_word = used.version.starts_with(|c: char| c.is_ascii_alphabetic());
    let pin = match (used.pinned, used.version.as_str()) {
        (true, _) if source == "path" => "local",
        (true, _) => "exact",
        (false, "") => "none",
        // A tag, which means another version on another day.
        (false, _) if is_word => "moving",
        (false, _) => "range",
    };
    let version = Some(&used.version).filter(|version| !version.is_empty());
    Some(
        json!({ "runner": "", "source": source, "package": used.name, "version": version, "pin": pin, "aside": false }),
    )
}

fn finding(line: &FindingLine) -> Value {
    let references = tsuba_core::rules::find(&line.rule).map(|rule| rule.references).unwrap_or_default();
    let waived = (!line.waived.is_empty())
        .then(|| line.waived.rsplit_once(" until ").unwrap_or((line.waived.as_str(), "")))
        .map(|(by, until)| json!({ "id": "", "by": by, "until": until, "reason": "" }));
    json!({
        "rule": line.rule, "severity": line.severity, "confidence": line.confidence, "setup": setup(&line.scope, &line.setup),
        "entry": (!line.entry.is_empty()).then(|| id(&line.scope, &line.entry)), "place": place(line.line), "message": line.message,
        "excerpt": "", "fix": line.fix, "references": references, "fingerprint": line.fingerprint, "waived": waived,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_no_memory_holds_is_taken_in_parts() {
        assert!(fits(MAX_BILL_ENTRIES).is_ok());
        let told = fits(MAX_BILL_ENTRIES + 1).unwrap_err().to_string();
        assert!(told.contains("100001") && told.contains("--in"), "{told}");
    }
}
