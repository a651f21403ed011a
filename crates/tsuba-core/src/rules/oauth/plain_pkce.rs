use super::shared::listed;
use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/plain-pkce",
    title: "PKCE method plain accepted",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{issuer} accepts the PKCE method plain{only}",
    why: "With plain the proof is sent in the open together with the request: whoever sees the request can redeem the code.",
    fix: "Accept S256 only.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "code_challenge_methods_supported": ["plain"]}"#,
    after: r#"{ "issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "jwks_uri": "https://id.saltmarsh-line.example/keys", "response_types_supported": ["code", "id_token", "code id_token", "none"], "grant_types_supported": ["authorization_code", "refresh_token", "implicit"], "code_challenge_methods_supported": ["S256"], "token_endpoint_auth_methods_supported": ["none", "client_secret_basic", "private_key_jwt"], "token_endpoint_auth_signing_alg_values_supported": ["HS256", "ES256"], "id_token_signing_alg_values_supported": ["RS256"], "scopes_supported": ["openid", "offline_access"], "response_modes_supported": ["query", "fragment"], "authorization_response_iss_parameter_supported": true, "pushed_authorization_request_endpoint": "https://id.saltmarsh-line.example/par", "mtls_endpoint_aliases": { "token_endpoint": "https://mtls.saltmarsh-line.example/token" } }"#,
    references: &["RFC 7636, 4.2", "RFC 7636, 7.2", "RFC 9700, 2.1.1"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for server in &oauth.oauth_documents.servers {
        let Some(plain) = listed(&server.challenges, "plain") else { continue };
        // Clients of this protocol always use S256 where they can.
        let better = listed(&server.challenges, "S256").is_some();
        out.hit(plain)
            .arg("issuer", server.name())
            .arg("only", if better { " beside S256" } else { " and no other" })
            .circumstance_if(better, Circumstance::Faint);
    }
}
