use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/implicit-grant",
    title: "implicit grant enabled",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "implicit grant enabled: access tokens are returned in the URL ({type})",
    why: "What stands in an address is kept in histories and logs and read by every script of the page. No client of a tool server needs it.",
    fix: "Switch the implicit grant off; clients use the code grant with PKCE.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "response_types_supported": ["code", "token"]}"#,
    after: r#"{ "issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "jwks_uri": "https://id.saltmarsh-line.example/keys", "response_types_supported": ["code", "id_token", "code id_token", "none"], "grant_types_supported": ["authorization_code", "refresh_token", "implicit"], "code_challenge_methods_supported": ["S256"], "token_endpoint_auth_methods_supported": ["none", "client_secret_basic", "private_key_jwt"], "token_endpoint_auth_signing_alg_values_supported": ["HS256", "ES256"], "id_token_signing_alg_values_supported": ["RS256"], "scopes_supported": ["openid", "offline_access"], "response_modes_supported": ["query", "fragment"], "authorization_response_iss_parameter_supported": true, "pushed_authorization_request_endpoint": "https://id.saltmarsh-line.example/par", "mtls_endpoint_aliases": { "token_endpoint": "https://mtls.saltmarsh-line.example/token" } }"#,
    references: &["RFC 9700, 2.1.2", "RFC 6749, 4.2"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for server in &oauth.oauth_documents.servers {
        // `implicit` among the grants also stands for types that hand out nothing but an identity (`id_token`): the types tell.
        let by_type = server.response_types.iter().flatten().find(|t| t.text.split(' ').any(|word| word == "token"));
        let by_grant =
            server.grants.iter().flatten().find(|grant| grant.text == "implicit" && server.response_types.is_none());
        if let Some(at) = by_type.or(by_grant) {
            out.hit(at).arg("type", at.text.clone());
        }
    }
    for client in &oauth.oauth_documents.clients {
        let by_type = client.response_types.iter().find(|kind| kind.text.split(' ').any(|word| word == "token"));
        let by_grant = client.grants.iter().find(|grant| grant.text == "implicit" && client.response_types.is_empty());
        if let Some(at) = by_type.or(by_grant) {
            out.hit(at).arg("type", at.text.clone());
        }
    }
}
