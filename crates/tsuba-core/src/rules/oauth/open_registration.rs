use super::shared::host;
use crate::evidence::oauth::Ask;
use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::{Confidence, Severity};

pub(super) static RULE: Rule = Rule {
    id: "oauth/open-registration",
    title: "open dynamic client registration",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{issuer} {what}",
    why: "Whoever registers a client under a trusted name has people log in at the real server and gets their tokens.",
    fix: "Close registration (an initial access token) and register the company's clients beforehand, or accept client metadata documents.",
    before: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "server-metadata", "issuer": "https://id.saltmarsh-line.example", "url": "https://id.saltmarsh-line.example/.well-known/oauth-authorization-server", "status": 200, "body": {"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "registration_endpoint": "https://id.saltmarsh-line.example/register"}}, {"ask": "registration", "url": "https://id.saltmarsh-line.example/register", "status": 400}]}"#,
    after: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "server-metadata", "issuer": "https://id.saltmarsh-line.example", "url": "https://id.saltmarsh-line.example/.well-known/oauth-authorization-server", "status": 200, "body": {"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "registration_endpoint": "https://id.saltmarsh-line.example/register"}}, {"ask": "registration", "url": "https://id.saltmarsh-line.example/register", "status": 401}]}"#,
    references: &["RFC 7591, 3", "RFC 7591, 5", "RFC 9700, 4.1"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for server in &oauth.oauth_documents.servers {
        let Some(endpoint) = server.endpoint("registration_endpoint") else { continue };
        let here = |url: &str| url == endpoint.text || host(url) == host(&endpoint.text);
        let status = oauth
            .oauth_documents
            .answers_to(Ask::Registration)
            .filter(|answer| answer.url.as_ref().is_some_and(|url| here(&url.text)))
            .map(|answer| answer.status())
            .find(|status| *status > 0);
        // An empty request that is found wanting rather than turned away is one that anybody may make.
        let (what, asked) = match status {
            Some(401 | 403 | 404 | 405 | 501) => continue,
            Some(_) => ("lets anyone register a client: it asks for no login", true),
            None => ("has an endpoint to register clients at", false),
        };
        out.hit(endpoint)
            .arg("issuer", server.name())
            .arg("what", what)
            .circumstance_if(!asked, Circumstance::Faint)
            .confidence(if asked { Confidence::Likely } else { Confidence::Possible });
    }
}
