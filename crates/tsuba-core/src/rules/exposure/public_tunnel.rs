use crate::judge::{Check, Entries, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::launch::StepKind;

pub(super) static RULE: Rule = Rule {
    id: "exposure/public-tunnel",
    title: "server reached through a public tunnel",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{what} is a public tunnel",
    why: "Whoever opened the tunnel decides where it leads, it can be handed to another person the next day, and no company control stands before it.",
    fix: "Give the server a host name of the company.",
    before: r#"{ "mcpServers": { "tide-table": { "url": "https://quay-1234.harbour-tunnels.example/mcp" } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "url": "https://quay.saltmarsh-line.example/mcp" } } }"#,
    references: &["CWE-668", "CWE-923"],
    ways: Ways::OF_CALLERS,
    check: Check::Entry(check),
};

/// Host suffixes and programs of public tunnels: facts that have no other form.
const HOSTS: &[&str] = &[
    ".ngrok.io",
    ".ngrok.app",
    ".ngrok.dev",
    ".ngrok-free.app",
    ".ngrok-free.dev",
    ".trycloudflare.com",
    ".loca.lt",
    ".localtunnel.me",
    ".serveo.net",
    ".pagekite.me",
    ".localhost.run",
    ".lhr.life",
    ".bore.pub",
    ".telebit.io",
    ".devtunnels.ms",
    ".pinggy.link",
    ".tunnelmole.net",
];
const PROGRAMS: &[&str] =
    &["ngrok", "cloudflared", "localtunnel", "lt", "bore", "pagekite", "devtunnel", "tunnelmole", "tmole"];

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    if let Some(remote) = entry.remote.as_ref().filter(|r| is_tunnel(&r.host)) {
        out.hit(&remote.url).arg("what", &remote.host);
    }
    for step in entry.plan.iter().flat_map(|plan| &plan.steps) {
        let (name, place) = match &step.kind {
            StepKind::Package(package) => (package.name.clone(), &package.spec),
            _ => (step.name(), &step.program),
        };
        if PROGRAMS.contains(&name.as_str()) {
            out.hit(place).arg("what", name);
        }
    }
}

/// A known suffix, or a domain that is called after what it is.
fn is_tunnel(host: &str) -> bool {
    let domain = host.rsplit('.').nth(1).unwrap_or_default();
    HOSTS.iter().any(|suffix| host.ends_with(suffix)) || domain.contains("tunnel")
}
