//! The entries and findings as the page's script reads them.

use super::{Study, worst};
use crate::model::{EntryRow, FindingRow};
use crate::phrases::{credentials, decided, launch_lines, listed, reason};
use crate::together::FindingGroup;
use serde::Serialize;
use std::cmp::Reverse;
use std::collections::BTreeMap;
use std::io;
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Confidence;

#[derive(Serialize)]
pub(super) struct Data<'r> {
    /// What a group is: `team`, `repository` or `folder`.
    pub(super) group: &'static str,
    /// The titles of the rules that occur.
    pub(super) rules: BTreeMap<&'r str, &'r str>,
    pub(super) items: Vec<Item<'r>>,
}

/// An entry, or a file with findings of its own.
#[derive(Serialize)]
pub(super) struct Item<'r> {
    pub(super) name: &'r str,
    /// `entry`, `shown` (in a text), `listing` or `file`.
    pub(super) kind: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) verdict: Option<&'r str>,
    pub(super) group: &'r str,
    pub(super) place: String,
    /// What is told of it, labelled.
    pub(super) facts: Vec<(&'static str, String)>,
    pub(super) found: Vec<Found<'r>>,
}

/// Findings that are told as one.
#[derive(Serialize)]
pub(super) struct Found<'r> {
    pub(super) rules: Vec<&'r str>,
    pub(super) severity: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) confidence: Option<&'r str>,
    pub(super) line: u32,
    pub(super) messages: Vec<&'r str>,
    pub(super) excerpt: &'r str,
    pub(super) marked: (usize, usize),
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) reads: Option<&'r str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) sees: Option<&'r str>,
    pub(super) fixes: Vec<&'r str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) again: Option<String>,
    /// Since when it has been open, where that is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) since: Option<&'r str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) waived: Option<String>,
}

/// All of it, as JSON that ends no script element: no character of markup is in it.
pub(super) fn json(study: &Study<'_>) -> io::Result<String> {
    let mut own: BTreeMap<(&str, &str), Vec<&FindingGroup<'_>>> = BTreeMap::new();
    for group in &study.findings {
        let entry = group.lead.entry.as_deref().unwrap_or_default();
        let file = if entry.is_empty() { group.lead.setup.as_str() } else { "" };
        own.entry((file, entry)).or_default().push(group);
    }
    let mut items: Vec<(Item<'_>, Option<_>)> = Vec::new();
    for entry in &study.report.entries {
        let findings = own.remove(&("", entry.id.as_str())).unwrap_or_default();
        // What only lists something, and is sound, is told at the entry whose server it is.
        if entry.counts() || !findings.is_empty() {
            items.push((item(study, entry, &findings), Some(entry.verdict)));
        }
    }
    let files = own.into_iter().filter(|((file, _), _)| !file.is_empty());
    items.extend(files.map(|((file, _), findings)| {
        let item = Item {
            name: file.rsplit('/').next().unwrap_or(file),
            kind: "file",
            verdict: None,
            group: study.groups.name(file),
            place: file.to_owned(),
            facts: Vec::new(),
            found: found(&findings),
        };
        (item, None)
    }));
    let weight = |(item, verdict): &(Item<'_>, Option<_>)| {
        let open = |found: &&Found<'_>| found.waived.is_none();
        let count = |severity: &str| item.found.iter().filter(open).filter(|found| found.severity == severity).count();
        let worst = (count("critical"), count("high"), count("medium"), count("low"));
        // A file or a listing has no verdict: it stands where an entry with its findings would.
        let as_if = match worst {
            (0, 0, 0, _) => Verdict::Unchecked,
            (0, ..) => Verdict::FixFirst,
            _ => Verdict::Refuse,
        };
        Reverse((verdict.flatten().unwrap_or(as_if), worst))
    };
    items.sort_by_cached_key(weight);
    let mut rules = BTreeMap::new();
    for finding in study.findings.iter().flat_map(FindingGroup::all) {
        let id = finding.rule.as_str();
        rules.insert(id, reason(id).unwrap_or(id));
    }
    let items = items.into_iter().map(|(item, _)| item).collect();
    let text = serde_json::to_string(&Data { group: study.groups.kind.name(), rules, items })?;
    Ok(within_markup(&text))
}

/// JSON in which nothing can be taken for markup: such characters stand only in strings, where they can be written as escapes.
pub(super) fn within_markup(json: &str) -> String {
    let mut out = String::with_capacity(json.len() + json.len() / 16);
    for c in json.chars() {
        match c {
            '<' => out.push_str("\\u003c"),
            '>' => out.push_str("\\u003e"),
            '&' => out.push_str("\\u0026"),
            '\u{2028}' => out.push_str("\\u2028"),
            '\u{2029}' => out.push_str("\\u2029"),
            other => out.push(other),
        }
    }
    out
}

fn item<'r>(study: &Study<'r>, entry: &'r EntryRow, findings: &[&FindingGroup<'r>]) -> Item<'r> {
    let mut facts = launch_lines(entry);
    facts.extend(credentials(entry).map(|given| ("given", given)));
    let folders: Vec<&str> = entry.reach.folders.iter().map(|folder| folder.as_str()).collect();
    let powers: Vec<&str> = entry.reach.powers.iter().map(|power| power.name()).collect();
    for (name, all) in [("folders", folders), ("may use", powers)] {
        if !all.is_empty() {
            facts.push((name, all.join(", ")));
        }
    }
    facts.extend(listed(entry).map(|listed| ("lists", listed)));
    facts.extend(decided(entry).map(|decided| ("decision", decided)));
    let because = entry.reasons();
    if !because.is_empty() {
        facts.push(("because", because.join("; ")));
    }
    let owners = entry.listing.as_ref().map(|listing| listing.of.as_slice()).unwrap_or_default();
    let owners: Vec<&&EntryRow> = owners.iter().filter_map(|id| study.entries.get(id.as_str())).collect();
    if !owners.is_empty() {
        let names: Vec<String> = owners.iter().map(|owner| format!("{} in {}", owner.name, owner.setup)).collect();
        facts.push(("server of", names.join(", ")));
    }
    // What a server says concerns those who use it, wherever it was captured.
    let concerned = owners.first().map_or(entry, |owner| **owner);
    Item {
        name: entry.name.as_str(),
        kind: match (entry.document, entry.counts()) {
            (true, _) => "shown",
            (false, true) => "entry",
            (false, false) => "listing",
        },
        verdict: entry.verdict.filter(|_| entry.counts()).map(|verdict| verdict.name()),
        group: study.groups.name(concerned.setup.as_str()),
        place: format!("{}:{}", entry.setup, entry.place.line),
        facts,
        found: found(findings),
    }
}

fn found<'r>(groups: &[&FindingGroup<'r>]) -> Vec<Found<'r>> {
    let one = |group: &&FindingGroup<'r>| {
        let rows: Vec<&'r FindingRow> = group.all().collect();
        let lead = group.lead;
        let waived = lead.waived.as_ref().map(|waiver| {
            let until = if waiver.until.is_empty() { String::new() } else { format!(" until {}", waiver.until) };
            format!("{}{until}: {}", waiver.by, waiver.reason)
        });
        Found {
            rules: rows.iter().map(|row| row.rule.as_str()).collect(),
            severity: worst(&rows).unwrap_or(lead.severity).name(),
            confidence: Some(lead.confidence).filter(|sure| *sure != Confidence::Certain).map(|sure| sure.name()),
            line: lead.place.line,
            messages: rows.iter().map(|row| row.message.as_str()).collect(),
            excerpt: lead.excerpt.as_str(),
            marked: lead.marked,
            reads: lead.reads.as_ref().map(|text| text.as_str()),
            sees: lead.sees.as_ref().map(|text| text.as_str()),
            fixes: group.fixes(),
            again: group.places(),
            since: None,
            waived,
        }
    };
    groups.iter().map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_text_of_the_data_ends_the_element_it_stands_in() {
        let text = "</script><script>x</script><!-- &amp; \u{2028}";
        let out = within_markup(&serde_json::to_string(text).unwrap());
        assert!(out.is_ascii() && !out.contains(['<', '>', '&']), "{out}");
        assert_eq!(serde_json::from_str::<String>(&out).unwrap(), text);
    }
}
