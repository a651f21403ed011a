use crate::judge::{All, Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::rules::held::used;
use crate::severity::Severity;
use crate::text::Located;

pub(super) static RULE: Rule = Rule {
    id: "oauth/weak-signing",
    title: "unsigned or symmetrically signed tokens accepted",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{list} has {algorithm}",
    why: "What is signed with none is not signed: anybody writes it. What is checked with a shared secret can be written by everyone who checks it.",
    fix: "Take the algorithm off the list; sign with ES256, EdDSA, PS256 or RS256.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "id_token_signing_alg_values_supported": ["RS256", "none"]}"#,
    after: r#"{ "issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "jwks_uri": "https://id.saltmarsh-line.example/keys", "response_types_supported": ["code", "id_token", "code id_token", "none"], "grant_types_supported": ["authorization_code", "refresh_token", "implicit"], "code_challenge_methods_supported": ["S256"], "token_endpoint_auth_methods_supported": ["none", "client_secret_basic", "private_key_jwt"], "token_endpoint_auth_signing_alg_values_supported": ["HS256", "ES256"], "id_token_signing_alg_values_supported": ["RS256"], "scopes_supported": ["openid", "offline_access"], "response_modes_supported": ["query", "fragment"], "authorization_response_iss_parameter_supported": true, "pushed_authorization_request_endpoint": "https://id.saltmarsh-line.example/par", "mtls_endpoint_aliases": { "token_endpoint": "https://mtls.saltmarsh-line.example/token" } }"#,
    references: &["RFC 8725, 3.1", "RFC 8725, 3.2", "RFC 9449, 5.1"],
    ways: Ways::OF_CALLERS,
    check: Check::Each(&[Check::OAuth(documents), Check::All(tokens)]),
};

fn documents(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let resources = oauth.oauth_documents.resources.iter().filter_map(|paper| paper.signed.as_ref());
    for signed in resources.chain(oauth.oauth_documents.servers.iter().filter_map(|paper| paper.signed.as_ref())) {
        let weak = signed.claims.as_ref().filter(|claims| claims.is_unsigned() || claims.is_shared());
        if let Some(algorithm) = weak.and_then(|claims| claims.algorithm.clone()) {
            out.hit(&signed.at).arg("list", "the signed copy of the metadata").arg("algorithm", algorithm);
        }
    }
    let mut tell = |list: &str, algorithm: &Located| {
        let none = algorithm.text.eq_ignore_ascii_case("none");
        // A proof of possession is of a key that only the client has.
        let shared = list.starts_with("dpop") && algorithm.text.starts_with("HS");
        // Request objects and UserInfo are not signed in most logins, and OpenID Connect has servers say so (Core, 6.1 and 5.3.2).
        let optional = list.starts_with("request_object") || list.starts_with("userinfo");
        if (none && !optional) || shared {
            out.hit(algorithm).arg("list", list.to_owned()).arg("algorithm", algorithm.text.clone());
        }
    };
    for server in &oauth.oauth_documents.servers {
        server.algorithms.iter().for_each(|(list, algorithm)| tell(list, algorithm));
    }
    for algorithm in oauth.oauth_documents.resources.iter().flat_map(|resource| &resource.algorithms) {
        tell("the list of the resource's algorithms", algorithm);
    }
    for algorithm in oauth.oauth_documents.clients.iter().flat_map(|client| &client.algorithms) {
        tell("the client", algorithm);
    }
}

/// Tokens that anybody could have written, or everyone who checks them.
fn tokens(all: &All<'_>, out: &mut Out<'_>) {
    for token in used(all) {
        let Some(algorithm) = token.algorithm.clone() else { continue };
        let none = algorithm.eq_ignore_ascii_case("none");
        // Where the issuer publishes keys, its tokens are signed with one of them (RFC 8725, 3.1).
        let public =
            token.login.is_some_and(|login| login.servers(all.analyses).any(|(_, s)| s.endpoint("jwks_uri").is_some()));
        if none || (algorithm.starts_with("HS") && public) {
            let list = if none { token.what } else { format!("{}, whose issuer publishes keys,", token.what) };
            out.hit_in(token.entry_ref, &token.at)
                .arg("list", list)
                .arg("algorithm", algorithm)
                .advice("Have the server accept only the algorithms of its issuer's keys (ES256, EdDSA, PS256 or RS256), and revoke this token.")
                .circumstance_if(none, Circumstance::Grave);
        }
    }
}
