use crate::evidence::Touched;
use crate::judge::{All, Check, Circumstance, EntryRef, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::understand::Entry;

pub(super) static RULE: Rule = Rule {
    id: "power/undeclared-contact",
    title: "server contacted an undeclared host",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "in the cage the server tried to reach {host}, which its setup does not name",
    why: "It was only asked what its tools are. Whom it calls for that is told neither to the person nor to the reviewer.",
    fix: "Ask the author what is sent there and have it switched off, or keep the host from it.",
    before: r#"{ "schema": "tsuba-evidence/1", "setup": ".mcp.json", "entry": "tide-table", "cage": { "names": ["collect.example"] } }"#,
    after: r#"{ "schema": "tsuba-evidence/1", "setup": ".mcp.json", "entry": "tide-table", "cage": {} }"#,
    references: &["CWE-359", "CWE-923"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, _, entry) in all.entries() {
        let Some(listing) = all.analyses.get(entry_ref.analysis).and_then(|analysis| analysis.listing_of(entry)) else {
            continue;
        };
        let Some(captured) = &listing.captured else { continue };
        let named: Vec<&Entry> = all
            .entries()
            .filter(|(_, _, other)| {
                other.listed.is_some_and(|l| EntryRef { analysis: l.analysis, entry: Some(l.entry) } == entry_ref)
            })
            .map(|(_, _, other)| other)
            .collect();
        contacts(entry_ref, &captured.touched, &named, out);
    }
}

fn contacts(entry_ref: EntryRef, touched: &Touched, entries: &[&Entry], out: &mut Out<'_>) {
    for name in touched.names.iter().filter(|name| !is_local(&name.text) && !is_named(&name.text, entries)) {
        out.hit_in(entry_ref, name).arg("host", name.text.clone()).confidence(Confidence::Likely);
    }
    for contact in &touched.contacts {
        let address = contact.text.split(' ').nth(1).unwrap_or_default();
        let host = address.rsplit_once(':').map_or(address, |(host, _)| host).trim_matches(['[', ']']);
        // Those of names have been told by their name; this machine's own is looked at by programs of every kind.
        if host.starts_with("198.18.") || host.starts_with("127.") || host == "::1" || is_named(host, entries) {
            continue;
        }
        out.hit_in(entry_ref, contact)
            .arg("host", contact.text.clone())
            .circumstance(Circumstance::Reachable)
            .confidence(Confidence::Certain);
    }
}

fn is_local(name: &str) -> bool {
    name == "localhost" || name.ends_with(".localhost") || name == "cage" || !name.contains('.')
}

/// Does an entry name the host: as one it reaches, or in a value that it hands over?
fn is_named(host: &str, entries: &[&Entry]) -> bool {
    entries.iter().any(|entry| {
        let values = entry.variables.iter().map(|v| v.value.text.as_str());
        let words = entry.command.iter().map(|word| word.text.as_str());
        entry.reach.hosts.iter().any(|known| known == host) || values.chain(words).any(|text| text.contains(host))
    })
}
