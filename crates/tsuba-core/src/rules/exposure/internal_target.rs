use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::Remote;

pub(super) static RULE: Rule = Rule {
    id: "exposure/internal-target",
    title: "URL points to an internal address",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{host} is {what}",
    why: "A server that fetches for the model from there hands out what was never meant to leave: machine credentials, internal services.",
    fix: "Leave it out, or name the one internal service that is meant.",
    before: r#"{ "mcpServers": { "tide-table": { "url": "http://169.254.169.254/latest/mcp" } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "url": "https://tides.saltmarsh-line.example/mcp" } } }"#,
    references: &["CWE-918", "RFC 3927"],
    ways: Ways::OF_CALLERS,
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    let words = entry
        .plan
        .iter()
        .flat_map(|plan| plan.words())
        .chain(entry.variables.iter().map(|v| &v.value))
        .filter(|w| w.text.contains("://"));
    let places = entry.remote.iter().map(|r| &r.url).chain(words);
    let mut seen = BTreeSet::new();
    for place in places {
        let remote = Remote::parse(place);
        let metadata = matches!(
            remote.host.as_str(),
            "169.254.169.254"
                | "fd00:ec2::254"
                | "metadata.google.internal"
                | "metadata.azure.internal"
                | "100.100.100.200"
                | "169.254.170.2"
                | "metadata"
        );
        if metadata && seen.insert(place.span) {
            out.hit(place)
                .arg("host", remote.host)
                .arg("what", "where a cloud machine reads its own credentials")
                .circumstance(Circumstance::Admin);
        }
    }
    if let Some(remote) = entry.remote.as_ref().filter(|r| r.is_private() && !seen.contains(&r.url.span)) {
        out.hit(&remote.url)
            .arg("host", &remote.host)
            .arg("what", "an address of a private network")
            .circumstance(Circumstance::Ordinary);
    }
}
