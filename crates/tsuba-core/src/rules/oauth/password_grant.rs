use super::shared::listed;
use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/password-grant",
    title: "password grant enabled",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{issuer} accepts the password grant: clients handle user passwords",
    why: "Every client that offers it sees the password, no second factor is asked for, and a model's tool can be made to offer it.",
    fix: "Switch the password grant off.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "grant_types_supported": ["authorization_code", "password"]}"#,
    after: r#"{ "issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "jwks_uri": "https://id.saltmarsh-line.example/keys", "response_types_supported": ["code", "id_token", "code id_token", "none"], "grant_types_supported": ["authorization_code", "refresh_token", "implicit"], "code_challenge_methods_supported": ["S256"], "token_endpoint_auth_methods_supported": ["none", "client_secret_basic", "private_key_jwt"], "token_endpoint_auth_signing_alg_values_supported": ["HS256", "ES256"], "id_token_signing_alg_values_supported": ["RS256"], "scopes_supported": ["openid", "offline_access"], "response_modes_supported": ["query", "fragment"], "authorization_response_iss_parameter_supported": true, "pushed_authorization_request_endpoint": "https://id.saltmarsh-line.example/par", "mtls_endpoint_aliases": { "token_endpoint": "https://mtls.saltmarsh-line.example/token" } }"#,
    references: &["RFC 9700, 2.4", "RFC 6749, 4.3"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for server in &oauth.oauth_documents.servers {
        if let Some(grant) = listed(&server.grants, "password") {
            out.hit(grant).arg("issuer", server.name());
        }
    }
    for client in &oauth.oauth_documents.clients {
        if let Some(grant) = client.grants.iter().find(|grant| grant.text == "password") {
            out.hit(grant).arg("issuer", "a registered client");
        }
    }
}
