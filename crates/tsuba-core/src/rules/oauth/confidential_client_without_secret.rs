use super::shared::listed;
use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/confidential-client-without-secret",
    title: "confidential client without a secret",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{who} gets tokens for itself without client authentication",
    why: "A client's name is public. Whoever knows it gets the machine's tokens.",
    fix: "Have machines log in with a key of their own (private_key_jwt), or at least with a secret.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "grant_types_supported": ["client_credentials"], "token_endpoint_auth_methods_supported": ["none"]}"#,
    after: r#"{ "issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "jwks_uri": "https://id.saltmarsh-line.example/keys", "response_types_supported": ["code", "id_token", "code id_token", "none"], "grant_types_supported": ["authorization_code", "refresh_token", "implicit"], "code_challenge_methods_supported": ["S256"], "token_endpoint_auth_methods_supported": ["none", "client_secret_basic", "private_key_jwt"], "token_endpoint_auth_signing_alg_values_supported": ["HS256", "ES256"], "id_token_signing_alg_values_supported": ["RS256"], "scopes_supported": ["openid", "offline_access"], "response_modes_supported": ["query", "fragment"], "authorization_response_iss_parameter_supported": true, "pushed_authorization_request_endpoint": "https://id.saltmarsh-line.example/par", "mtls_endpoint_aliases": { "token_endpoint": "https://mtls.saltmarsh-line.example/token" } }"#,
    references: &["RFC 6749, 4.4", "RFC 6749, 2.1", "RFC 7591, 2"],
    ways: Ways::OF_CALLERS.formerly("oauth/public-client-secretless"),
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for server in oauth.oauth_documents.servers.iter().filter(|server| server.grants("client_credentials")) {
        // `none` among others is for programs on people's machines, which log in as people.
        let only = server
            .client_logins
            .as_ref()
            .is_some_and(|all| !all.is_empty() && all.iter().all(|login| login.text == "none"));
        if let Some(none) = listed(&server.client_logins, "none").filter(|_| only) {
            out.hit(none).arg("who", format!("any client of {}", server.name()));
        }
    }
    for client in &oauth.oauth_documents.clients {
        let machine = client.grants.iter().any(|grant| grant.text == "client_credentials");
        if let Some(none) = client.login.as_ref().filter(|login| machine && login.text == "none") {
            out.hit(none).arg("who", "this client");
        }
    }
}
