use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/no-iss-parameter",
    title: "authorization responses carry no issuer",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "{issuer} does not send the iss parameter in authorization responses",
    why: "A client that uses several servers cannot tell a code of one from a code of another, and may hand it to the wrong one.",
    fix: "Send the iss parameter with every authorization response and say so in the metadata.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "response_types_supported": ["code"]}"#,
    after: r#"{ "issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "jwks_uri": "https://id.saltmarsh-line.example/keys", "response_types_supported": ["code", "id_token", "code id_token", "none"], "grant_types_supported": ["authorization_code", "refresh_token", "implicit"], "code_challenge_methods_supported": ["S256"], "token_endpoint_auth_methods_supported": ["none", "client_secret_basic", "private_key_jwt"], "token_endpoint_auth_signing_alg_values_supported": ["HS256", "ES256"], "id_token_signing_alg_values_supported": ["RS256"], "scopes_supported": ["openid", "offline_access"], "response_modes_supported": ["query", "fragment"], "authorization_response_iss_parameter_supported": true, "pushed_authorization_request_endpoint": "https://id.saltmarsh-line.example/par", "mtls_endpoint_aliases": { "token_endpoint": "https://mtls.saltmarsh-line.example/token" } }"#,
    references: &["RFC 9207, 2.3", "RFC 9207, 3", "RFC 9700, 4.4.2.1"],
    ways: Ways::OF_CALLERS.formerly("oauth/no-issuer-parameter"),
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for server in oauth.oauth_documents.servers.iter().filter(|server| server.hands_out_codes() && !server.names_itself)
    {
        // Most do not yet: it matters where a resource gives its clients the choice.
        let here = oauth.oauth_documents.resources.iter().any(|resource| resource.servers.len() > 1);
        let several = here || server.beside_others;
        out.hit(server.at()).arg("issuer", server.name()).circumstance_if(!several, Circumstance::Ordinary);
    }
}
