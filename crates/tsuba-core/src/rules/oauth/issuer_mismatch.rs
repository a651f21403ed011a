use super::shared::{self, MAX_TOLD, told};
use crate::evidence::oauth::LinkedBy;
use crate::judge::{All, Check, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::rules::held::used;
use crate::severity::{Confidence, Severity};
use crate::understand::same_issuer;

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
    references: &["RFC 8414, 3.3", "RFC 8414, 2", "RFC 9207, 2.4", "OpenID Connect Discovery 1.0, 4.3", "RFC 9068, 4"],
    ways: Ways::OF_CALLERS,
    check: Check::Each(&[Check::OAuth(documents), Check::All(tokens)]),
};

fn documents(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for server in &oauth.oauth_documents.servers {
        let Some(issuer) = server.issuer.as_ref().map(|issuer| issuer.text.as_str()) else {
            let what = "the authorization server's metadata names no issuer that is an address, so no client can tell whose it is";
            out.hit(&server.start).arg("what", what);
            continue;
        };
        let template = issuer.contains(['{', '}', '<', '>']);
        let what = match &server.asked {
            _ if template => {
                format!(
                    "the issuer {issuer} is a template that nobody filled in: it equals no address that a resource names"
                )
            }
            Some(asked) if !same_issuer(&asked.address, issuer) => match asked.by {
                LinkedBy::Origin => {
                    format!("the issuer {} was asked for, and {} answers", told(&asked.address), told(issuer))
                }
                _ => format!(
                    "the metadata{} should be of the issuer {}, but names {}",
                    asked.told(),
                    told(&asked.address),
                    told(issuer)
                ),
            },
            _ if issuer.contains(['?', '#']) => {
                format!("the issuer {} has a query or a fragment, and no client may accept it", told(issuer))
            }
            _ if issuer
                .split_once("://")
                .is_some_and(|(_, rest)| rest.split('/').next().is_some_and(|host| host.contains('@'))) =>
            {
                format!("the issuer {} is at another host than the one that it begins with", told(issuer))
            }
            _ => continue,
        };
        let asked = server.asked.as_ref().filter(|_| !template);
        out.hit(server.at()).arg("what", what).confidence(shared::confidence(asked));
    }
}

/// Tokens of another issuer than the server takes them of.
fn tokens(all: &All<'_>, out: &mut Out<'_>) {
    for token in used(all) {
        let Some(login) = token.login else { continue };
        let (Some(issuer), named) = (token.issuer.as_deref().filter(|issuer| issuer.contains("://")), &login.issuers)
        else {
            continue;
        };
        if named.is_empty()
            || named.iter().any(|own| same_issuer(own.trim_end_matches('/'), issuer.trim_end_matches('/')))
        {
            continue;
        }
        let whose = named.iter().take(MAX_TOLD).map(|own| told(own)).collect::<Vec<_>>().join(", ");
        out.hit_in(token.entry_ref, &token.at)
            .arg(
                "what",
                format!("{} is of the issuer {}, and the server takes those of {whose}", token.what, told(issuer)),
            )
            .advice(
                "Have a token issued by an issuer that the server names, and have the server check who issued each.",
            )
            .confidence(Confidence::Likely);
    }
}
