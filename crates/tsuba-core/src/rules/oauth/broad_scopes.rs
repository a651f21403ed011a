use crate::evidence::administers;
use crate::evidence::oauth::Ask;
use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/broad-scopes",
    title: "server requests administrative scopes",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "the server requests administrative scopes: {scopes}",
    why: "Clients ask for all scopes that the challenge or the resource's metadata list. A model that reads tides then holds the keys of the house.",
    fix: "List only what the tools need, and ask for more step by step when a tool needs it.",
    before: r#"{"resource": "https://tides.saltmarsh-line.example/mcp", "authorization_servers": ["https://id.saltmarsh-line.example"], "scopes_supported": ["tides.read", "tides:admin"]}"#,
    after: r#"{"resource": "https://tides.saltmarsh-line.example/mcp", "authorization_servers": ["https://id.saltmarsh-line.example"], "scopes_supported": ["tides.read", "admin.read"]}"#,
    references: &["RFC 9728, 2", "RFC 6750, 3", "RFC 9700, 2.3"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for resource in &oauth.oauth_documents.resources {
        for scope in resource.scopes.iter().filter(|scope| administers(&scope.text)) {
            out.hit(scope).arg("scopes", scope.text.clone());
        }
    }
    for scopes in oauth.oauth_documents.clients.iter().filter_map(|client| client.scopes.as_ref()) {
        let wide: Vec<&str> = scopes.text.split_whitespace().filter(|scope| administers(scope)).collect();
        if !wide.is_empty() {
            out.hit(scopes).arg("scopes", wide.join(", "));
        }
    }
    for answer in oauth.oauth_documents.answers_to(Ask::NoToken) {
        let asked = answer.parameter("scope").unwrap_or_default();
        let wide: Vec<&str> = asked.split_whitespace().filter(|scope| administers(scope)).collect();
        if let Some(challenge) = answer.challenge.as_ref().filter(|_| !wide.is_empty()) {
            out.hit(challenge).arg("scopes", wide.join(", "));
        }
    }
}
