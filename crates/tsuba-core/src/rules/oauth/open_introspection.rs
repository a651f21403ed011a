use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/open-introspection",
    title: "token introspection without client authentication",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{issuer} answers questions about tokens without client authentication",
    why: "Whoever has caught a token, or guesses one, is told whether it is alive, whose it is and what it opens.",
    fix: "Have the introspection endpoint ask for client authentication, and take none off the list of its methods.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "introspection_endpoint": "https://id.saltmarsh-line.example/introspect", "introspection_endpoint_auth_methods_supported": ["none"]}"#,
    after: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "introspection_endpoint": "https://id.saltmarsh-line.example/introspect", "introspection_endpoint_auth_methods_supported": ["client_secret_basic"]}"#,
    references: &["RFC 7662, 2.1", "RFC 7662, 4", "RFC 8414, 2"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for server in &oauth.oauth_documents.servers {
        if let Some(none) = &server.open_introspection {
            out.hit(none).arg("issuer", server.name());
        }
    }
}
