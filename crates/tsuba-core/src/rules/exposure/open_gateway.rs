use crate::judge::{Check, Circumstance, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::text::Span;
use crate::understand::{Analysis, Gateway};

pub(super) static RULE: Rule = Rule {
    id: "exposure/open-gateway",
    title: "gateway publishes tool servers without authentication",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "the gateway {what}",
    why: "A server that was made for one person's machine is now everybody's who reaches the port, or whose page is open in somebody's browser.",
    fix: "Have it check callers (tokens of the company's provider), bind it to where it is needed, and name the origins that may call.",
    before: r##"{ "listen": "0.0.0.0:8080", "routes": [{ "path": "/tides", "backends": [{ "stdio": { "cmd": "tide-table", "args": [] } }] }] }"##,
    after: r##"{ "listen": "0.0.0.0:8080", "routes": [{ "path": "/tides", "backends": [{ "stdio": { "cmd": "tide-table", "args": [] } }] }], "authentication": { "issuer": "https://id.saltmarsh-line.example" } }"##,
    references: &["CWE-306", "CWE-942"],
    ways: Ways::OF_CALLERS,
    check: Check::Setup(check),
};

fn check(analysis: &Analysis, out: &mut Out<'_>) {
    let Some(gateway) = &analysis.exposure.gateway else { return };
    let open = gateway.listens.is_some();
    // Only this machine reaches it: as open as the servers behind it, which it starts or calls for whoever sits there.
    if gateway.local && gateway.open_routes.is_empty() {
        origins(gateway, out);
        return;
    }
    if !gateway.authenticated {
        let at = gateway.listens.clone().unwrap_or_else(|| analysis.start());
        let what =
            if open { "listens at every interface, and nothing checks who calls" } else { "checks nobody who calls" };
        // Where it listens, and perhaps whom it lets in, is then said by another file.
        let sure = if gateway.certain { Confidence::Certain } else { Confidence::Likely };
        out.hit(&at).arg("what", what).circumstance_if(!open, Circumstance::Weak).confidence(sure);
    } else if let Some(optional) = &gateway.optional {
        let what = "looks at the tokens of those who bring one, and lets in whoever brings none";
        out.hit(optional).arg("what", what).circumstance_if(!open, Circumstance::Weak);
    }
    // A server's own findings decide on it: the others behind the gateway are guarded.
    let routes: BTreeSet<Span> = gateway.open_routes.iter().map(|route| route.span).collect();
    let behind = analysis.entries.iter().enumerate().filter(|(_, entry)| routes.contains(&entry.name.span));
    for (index, entry) in behind {
        let what = format!("checks who calls elsewhere, and nobody who calls {}", entry.name.text);
        out.hit_of(index, &entry.name).arg("what", what).circumstance_if(!open, Circumstance::Weak);
    }
    origins(gateway, out);
}

fn origins(gateway: &Gateway, out: &mut Out<'_>) {
    if let Some(origin) = &gateway.any_origin {
        out.hit(origin).arg("what", "lets every web page call").circumstance(Circumstance::Weak);
    }
}
