use crate::judge::{Check, Circumstance, Entries, Fix, Out, Rule, Verdict, Ways};
use crate::policy::Requirement;
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::Scheme;
use crate::understand::Analysis;

pub(super) static RULE: Rule = Rule {
    id: "exposure/plain-http",
    title: "remote server over plain HTTP",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{host} is reached over plain HTTP",
    why: "Everyone on the way reads the token and may rewrite what the model is told.",
    fix: "Use the server's https address; keep http for this machine only.",
    before: r#"{ "mcpServers": { "tide-table": { "url": "http://tides.saltmarsh-line.example/mcp" } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "url": "https://tides.saltmarsh-line.example/mcp" } } }"#,
    references: &["RFC 9110, 4.2.2", "RFC 9700, 2.6"],
    ways: Ways::OF_CALLERS.required_by(Requirement::Tls),
    check: Check::Each(&[Check::Entry(check), Check::Setup(routed)]),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let Some(remote) = &entries.entry.remote else { return };
    // This machine's own addresses never leave it: flagging them is the false alarm people complain about.
    if remote.scheme == Scheme::Plain && !remote.loopback && !remote.host.is_empty() {
        let inside = remote.is_private() || !remote.host.contains('.');
        let hit = out.hit(&remote.url);
        hit.arg("host", &remote.host).circumstance_if(inside, Circumstance::Weak);
        // Only where a capture has seen that it answers so.
        let tail = remote.url.text.get("http".len()..).filter(|_| remote.url.text.starts_with("http:"));
        if let Some(tail) = tail.filter(|_| entries.entry.known_https.is_some()) {
            hit.fix(Fix::Write(format!("https{tail}")));
        }
    }
}

/// A route of a cluster or of a reverse proxy that leads to a tool server.
fn routed(analysis: &Analysis, out: &mut Out<'_>) {
    let routes = analysis.exposure.cluster.iter().flat_map(|cluster| &cluster.routes);
    for route in routes.filter(|route| route.leads && route.plain) {
        let host = &route.host;
        let inside = !host.text.contains('.');
        out.hit(host)
            .arg("host", &host.text)
            .circumstance_if(inside, Circumstance::Weak)
            .advice("Give the route a certificate (`tls`), and let it answer plain HTTP with a redirect only.");
    }
}
