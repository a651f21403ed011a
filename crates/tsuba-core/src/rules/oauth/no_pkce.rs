use super::shared;
use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::{Confidence, Severity};

pub(super) static RULE: Rule = Rule {
    id: "oauth/no-pkce",
    title: "PKCE not supported",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{issuer} {what}",
    why: "A code that is caught on its way back to the client is as good as the token it stands for.",
    fix: "Support PKCE with S256 and list it in code_challenge_methods_supported: clients of this protocol must refuse a server that does not.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "code_challenge_methods_supported": []}"#,
    after: r#"{ "issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "jwks_uri": "https://id.saltmarsh-line.example/keys", "response_types_supported": ["code", "id_token", "code id_token", "none"], "grant_types_supported": ["authorization_code", "refresh_token", "implicit"], "code_challenge_methods_supported": ["S256"], "token_endpoint_auth_methods_supported": ["none", "client_secret_basic", "private_key_jwt"], "token_endpoint_auth_signing_alg_values_supported": ["HS256", "ES256"], "id_token_signing_alg_values_supported": ["RS256"], "scopes_supported": ["openid", "offline_access"], "response_modes_supported": ["query", "fragment"], "authorization_response_iss_parameter_supported": true, "pushed_authorization_request_endpoint": "https://id.saltmarsh-line.example/par", "mtls_endpoint_aliases": { "token_endpoint": "https://mtls.saltmarsh-line.example/token" } }"#,
    references: &["RFC 7636, 4.2", "RFC 8414, 2", "RFC 9700, 2.1.1", "protocol 2025-11-25, authorization"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for server in oauth.oauth_documents.servers.iter().filter(|server| server.hands_out_codes()) {
        let known = |name: &str| shared::listed(&server.challenges, name).is_some();
        if known("S256") || known("plain") {
            continue;
        }
        // Many servers support it and do not say so.
        let silent = server.challenges.is_none();
        let what =
            if silent { "does not say that it supports PKCE" } else { "supports no method of PKCE that clients use" };
        out.hit(server.at())
            .arg("issuer", server.name())
            .arg("what", what)
            .circumstance_if(silent, Circumstance::Faint)
            .confidence(if silent { Confidence::Possible } else { Confidence::Certain });
    }
}
