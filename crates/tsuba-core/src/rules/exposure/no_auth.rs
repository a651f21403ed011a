use crate::evidence::oauth::{Answered, Ask};
use crate::evidence::{Effect, tools};
use crate::judge::{All, Check, Circumstance, EntryRef, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::text::{Remote, words_of};
use crate::understand::launch::StepKind;
use crate::understand::{Analysis, Entry};

pub(super) static RULE: Rule = Rule {
    id: "exposure/no-auth",
    title: "server without authentication",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{program} {what}, without authentication",
    why: "The server was written for one person on one machine; on a port it serves every program and web page that can reach it.",
    fix: "Speak stdio, or switch the bridge's authentication on and bind it to 127.0.0.1.",
    before: r#"{ "mcpServers": { "quay-files": { "command": "npx", "args": ["-y", "@saltmarsh/stdio-gateway@1.2.0", "--stdio", "quay-files /srv/quay", "--port", "8000"] } } }"#,
    after: r#"{ "mcpServers": { "quay-files": { "command": "quay-files", "args": ["/srv/quay"] } } }"#,
    references: &["CWE-306", "RFC 9700, 2.2"],
    ways: Ways::OF_CALLERS,
    check: Check::Each(&[Check::All(check), Check::Setup(routed)]),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, analysis, entry) in all.entries() {
        published(entry_ref, entry, out);
        answered(entry_ref, analysis, entry, out);
    }
}

/// A server on the network that lists its tools to whoever asks.
fn answered(entry_ref: EntryRef, analysis: &Analysis, entry: &Entry, out: &mut Out<'_>) {
    let listing = analysis.listing_of(entry).filter(|listing| listing.captured.is_some() && !listing.items.is_empty());
    let Some(listing) = listing else { return };
    let open = analysis.oauth_documents.answers_to(Ask::NoToken).find(|answer| {
        let refused = matches!(answer.answered, Some(Answered::Refusal | Answered::Page));
        answer.status() == 200 && !refused
    });
    let Some(answer) = open else { return };
    let Some(url) = answer.url.as_ref().filter(|url| !Remote::parse(url).loopback) else { return };
    // Many servers on the network tell everybody the same, and change nothing.
    let acts = tools(listing).any(|tool| tool.effect().is_some_and(|(_, effect, _)| effect > Effect::Reads));
    out.hit_in(entry_ref, url)
        .arg("program", "the server")
        .arg("what", "lists its tools without a token")
        .circumstance_if(!acts, Circumstance::Faint);
}

/// A local server that a bridge puts on a port.
fn published(entry_ref: EntryRef, entry: &Entry, out: &mut Out<'_>) {
    let steps = entry.plan.iter().flat_map(|plan| &plan.steps).filter(|step| step.bridge);
    for step in steps {
        // The bridge's own options end where the wrapped command begins.
        let own: Vec<_> = step.args.iter().take_while(|w| w.text != "--").collect();
        let has = |list: &[&str]| {
            own.iter().any(|w| list.iter().any(|o| w.text == *o || w.text.starts_with(&format!("{o}="))))
        };
        let listens = own.iter().find(|w| {
            ["--port", "-p", "--listen", "--sse-port", "--http-port", "--outputTransport"]
                .iter()
                .any(|o| w.text == *o || w.text.starts_with(&format!("{o}=")))
        });
        let guarded = own.iter().any(|w| {
            words_of(&w.text).iter().any(|word| {
                matches!(word.as_str(), "auth" | "oauth" | "token" | "apikey" | "bearer" | "jwt" | "mtls" | "password")
            })
        }) || has(&["--api-key"]);
        if let (Some(option), false) = (listens, guarded) {
            let name = match &step.kind {
                StepKind::Package(package) => package.name.clone(),
                _ => step.name(),
            };
            out.hit_in(entry_ref, option)
                .arg("program", name)
                .arg("what", "publishes a server on a port")
                .confidence(Confidence::Likely);
        }
    }
}

const PROXIED: &str = "is routed to a tool server by a reverse proxy";

/// A route of a cluster or of a reverse proxy that leads to a tool server. Nothing of it says that callers are asked; the server itself may.
fn routed(analysis: &Analysis, out: &mut Out<'_>) {
    let routes = analysis.exposure.cluster.iter().flat_map(|cluster| &cluster.routes);
    for route in routes.filter(|route| route.leads && !route.asks) {
        out.hit(&route.host)
            .arg("program", &route.host.text)
            .arg("what", if route.proxied { PROXIED } else { "is routed to a tool server from outside the cluster" })
            .circumstance(Circumstance::Weak)
            .confidence(Confidence::Possible)
            .advice("Have the route or the server ask who calls, and write down where; `tsuba capture` shows whether the server does.");
    }
}
