use super::shared::{host, same_site};
use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::text::Located;

pub(super) static RULE: Rule = Rule {
    id: "oauth/foreign-endpoint",
    title: "endpoint on another site than its issuer",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "the {endpoint} is at {host}, the issuer at {issuer}",
    why: "Codes and client secrets go to whoever runs the other site, and whose keys a gateway takes may sign every token. Mixed up on purpose, a login begun at one server ends at another.",
    fix: "Have the issuer's owner confirm that the other site is theirs; else refuse the server.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://tokens.example/token"}"#,
    after: r#"{ "issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "jwks_uri": "https://id.saltmarsh-line.example/keys", "response_types_supported": ["code", "id_token", "code id_token", "none"], "grant_types_supported": ["authorization_code", "refresh_token", "implicit"], "code_challenge_methods_supported": ["S256"], "token_endpoint_auth_methods_supported": ["none", "client_secret_basic", "private_key_jwt"], "token_endpoint_auth_signing_alg_values_supported": ["HS256", "ES256"], "id_token_signing_alg_values_supported": ["RS256"], "scopes_supported": ["openid", "offline_access"], "response_modes_supported": ["query", "fragment"], "authorization_response_iss_parameter_supported": true, "pushed_authorization_request_endpoint": "https://id.saltmarsh-line.example/par", "mtls_endpoint_aliases": { "token_endpoint": "https://mtls.saltmarsh-line.example/token" } }"#,
    references: &["RFC 8414, 6.1", "RFC 9700, 4.4"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

const ENDPOINTS: &[&str] =
    &["authorization_endpoint", "token_endpoint", "registration_endpoint", "introspection_endpoint"];

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let mut tell = |name: &str, address: &Located, issuer: &Located| {
        let (there, issuer) = (host(&address.text), host(&issuer.text));
        if !there.is_empty() && !issuer.is_empty() && !same_site(&issuer, &there) {
            out.hit(address).arg("endpoint", name.replace('_', " ")).arg("host", there).arg("issuer", issuer);
        }
    };
    for server in &oauth.oauth_documents.servers {
        for endpoint in server.endpoints.iter().filter(|endpoint| ENDPOINTS.contains(&endpoint.name.as_str())) {
            tell(&endpoint.name, &endpoint.address, &server.issuer);
        }
    }
    // Whose keys a gateway takes is whose tokens it takes; of several issuers it is not told which one they belong to.
    for taken in &oauth.oauth_documents.acceptances {
        if let [issuer] = taken.issuers.as_slice() {
            taken.keys.iter().for_each(|keys| tell("key set", keys, issuer));
        }
    }
}
