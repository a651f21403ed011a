use crate::judge::{Check, Entries, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::credential::{Kind, Place, Why};
use crate::understand::indexes;

pub(super) static RULE: Rule = Rule {
    id: "exposure/key-in-url",
    title: "credential in the URL",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "credential in the {part} of the URL",
    why: "Addresses are logged by proxies, servers and histories; whoever sees the line has the key.",
    fix: "Send it in the Authorization header; where the provider knows only the address, treat the whole address as the secret.",
    before: r#"{ "mcpServers": { "tide-table": { "url": "https://tools.saltmarsh-line.example/mcp?api_key=${TIDE_KEY}" } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "url": "https://tools.saltmarsh-line.example/mcp", "headers": { "Authorization": "Bearer ${TIDE_KEY}" } } } }"#,
    references: &["RFC 6750, 5.3", "RFC 9700, 2.1"],
    ways: Ways::OF_CALLERS,
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let of_index = indexes(entries.entry);
    for credential in entries
        .entry
        .credentials
        .iter()
        .filter(|h| h.place == Place::Url && matches!(h.kind, Kind::Plaintext | Kind::Reference))
        // A package index knows no other place for its login; a value filled in from elsewhere is all that can be asked.
        .filter(|h| h.kind == Kind::Plaintext || !of_index.iter().any(|index| h.value.span.within(index.span)))
    {
        let part = match credential.why {
            Why::Password => "login",
            Why::Random => "path",
            _ if credential.name.is_empty() => "query",
            _ => "query",
        };
        out.hit(&credential.value).arg("part", part);
    }
}
