use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/issuer-mismatch",
    title: "`issuer` in the metadata does not match the requested issuer",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{what}",
    why: "Clients must reject such metadata: with them one server passes for another and is sent its codes and secrets.",
    fix: "Publish metadata whose issuer is, letter by letter, the address that resources name.",
    before: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "server-metadata", "issuer": "https://id.saltmarsh-line.example", "url": "https://id.saltmarsh-line.example/.well-known/oauth-authorization-server", "status": 200, "body": {"issuer": "https://id.saltmarsh-line.example.evil.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token"}}]}"#,
    after: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "server-metadata", "issuer": "https://id.saltmarsh-line.example", "url": "https://id.saltmarsh-line.example/.well-known/oauth-authorization-server", "status": 200, "body": {"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token"}}]}"#,
    references: &["RFC 8414, 3.3", "RFC 8414, 2", "RFC 9207, 2.4"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for server in &oauth.oauth_documents.servers {
        let issuer = server.issuer.text.as_str();
        let what = match &server.asked {
            Some(asked) if !same(asked, issuer) => format!("the issuer {asked} was asked for, and {issuer} answers"),
            _ if issuer.contains(['?', '#']) => {
                format!("the issuer {issuer} has a query or a fragment, and no client may accept it")
            }
            _ => continue,
        };
        out.hit(&server.issuer).arg("what", what);
    }
}

/// Compared letter by letter (RFC 8414, 3.3); only a slash at the end of an address without a path makes no difference, for libraries add it.
fn same(asked: &str, issuer: &str) -> bool {
    let bare = |text: &'_ str| -> String {
        let root = text.split_once("://").is_some_and(|(_, rest)| rest.trim_end_matches('/').find('/').is_none());
        if root { text.trim_end_matches('/').to_owned() } else { text.to_owned() }
    };
    bare(asked) == bare(issuer)
}
