use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::text::{Located, Remote, Scheme};

pub(super) static RULE: Rule = Rule {
    id: "oauth/weak-redirect",
    title: "redirect URI that others can read",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "the redirect address {address} {what}",
    why: "The code of a login goes to this address. Whoever can answer there, or listen on the way, logs in as the person.",
    fix: "Register exact https addresses; for a program on a machine http://127.0.0.1 or a scheme named after a domain of yours.",
    before: r#"{ "client_name": "desk", "redirect_uris": ["http://desk.saltmarsh-line.example/cb"] }"#,
    after: r#"{ "client_name": "desk", "redirect_uris": ["https://desk.saltmarsh-line.example/cb", "http://127.0.0.1/cb", "http://[::1]/cb", "example.saltmarsh-line.desk:/cb", "http://localhost:3000/cb"] }"#,
    references: &["RFC 9700, 4.1.3", "RFC 8252, 7.1", "RFC 8252, 8.3"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for address in oauth.oauth_documents.clients.iter().flat_map(|client| &client.redirects) {
        if let Some((what, circumstance)) = weakness(address) {
            let hit = out.hit(address).arg("address", address.text.clone()).arg("what", what);
            if let Some(circumstance) = circumstance {
                hit.circumstance(circumstance);
            }
        }
    }
}

fn weakness(address: &Located) -> Option<(&'static str, Option<Circumstance>)> {
    let text = address.text.as_str();
    let remote = Remote::parse(address);
    let Some((scheme, rest)) = text.split_once(':') else {
        let variable = text.contains(['$', '{', '<', '%']);
        return (!variable).then_some(("is no address: what it is taken for, the server decides", None));
    };
    let host = rest.trim_start_matches('/').split(['/', '?', '#']).next().unwrap_or_default();
    match remote.scheme {
        Scheme::Plain | Scheme::Tls if host.contains('@') => {
            Some(("is at another host than the one that it begins with", None))
        }
        Scheme::Plain | Scheme::Tls if climbs(rest) => Some(("leads out of its own path", None)),
        _ if text.contains('*') => Some(("has a wildcard: any address that fits will do", None)),
        _ if text.contains('#') => Some(("has a fragment", Some(Circumstance::Faint))),
        Scheme::Plain if !remote.loopback => Some(("is without TLS", None)),
        Scheme::Plain | Scheme::Tls => None,
        Scheme::Other if matches!(scheme, "javascript" | "data" | "vbscript" | "file") => {
            Some(("is a program, and no address", Some(Circumstance::Grave)))
        }
        Scheme::Other if scheme.contains(['$', '{', '<']) => None,
        // Any program may claim a scheme; one named after a domain is at least nobody else's by right.
        Scheme::Other if !scheme.contains('.') => {
            Some(("has a scheme that any program may claim", Some(Circumstance::Faint)))
        }
        Scheme::Other => None,
    }
}

/// Does a path go up?
fn climbs(address: &str) -> bool {
    let path = address.split(['?', '#']).next().unwrap_or_default().to_ascii_lowercase().replace("%2e", ".");
    path.split(['/', '\\']).any(|part| part == "..")
}
