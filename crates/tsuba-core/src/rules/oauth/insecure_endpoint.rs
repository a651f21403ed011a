use super::shared::told;
use crate::evidence::oauth::is_insecure;
use crate::judge::{All, Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::rules::held::used;
use crate::severity::Severity;
use crate::text::Located;

pub(super) static RULE: Rule = Rule {
    id: "oauth/insecure-endpoint",
    title: "login endpoint without TLS",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "the {name} {address} does not use TLS",
    why: "Everyone on the path reads codes, tokens and secrets, and may answer in the server's place.",
    fix: "Use https for every address of the login; http only on the machine itself.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "http://id.saltmarsh-line.example/token"}"#,
    after: r#"{ "issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "jwks_uri": "https://id.saltmarsh-line.example/keys", "response_types_supported": ["code", "id_token", "code id_token", "none"], "grant_types_supported": ["authorization_code", "refresh_token", "implicit"], "code_challenge_methods_supported": ["S256"], "token_endpoint_auth_methods_supported": ["none", "client_secret_basic", "private_key_jwt"], "token_endpoint_auth_signing_alg_values_supported": ["HS256", "ES256"], "id_token_signing_alg_values_supported": ["RS256"], "scopes_supported": ["openid", "offline_access"], "response_modes_supported": ["query", "fragment"], "authorization_response_iss_parameter_supported": true, "pushed_authorization_request_endpoint": "https://id.saltmarsh-line.example/par", "mtls_endpoint_aliases": { "token_endpoint": "https://mtls.saltmarsh-line.example/token" } }"#,
    references: &["RFC 8414, 2", "RFC 9728, 3", "RFC 6749, 3.1"],
    ways: Ways::OF_CALLERS,
    check: Check::Each(&[Check::OAuth(documents), Check::All(tokens)]),
};

fn documents(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let mut tell = |name: &str, address: &Located, shown: bool| {
        if is_insecure(address) {
            // Under another scheme nothing is fetched at all: it is there to be run.
            let runs = !address.text.starts_with("http");
            out.hit(address)
                .arg("name", name.replace('_', " "))
                .arg("address", told(&address.text))
                .circumstance_if(runs, Circumstance::Grave)
                // What is only shown to people carries no token.
                .circumstance_if(shown && !runs, Circumstance::Faint);
        }
    };
    for server in &oauth.oauth_documents.servers {
        server.issuer.iter().for_each(|issuer| tell("issuer", issuer, false));
        server.endpoints.iter().for_each(|endpoint| tell(&endpoint.name, &endpoint.address, false));
    }
    for resource in &oauth.oauth_documents.resources {
        resource.servers.iter().for_each(|server| tell("authorization server", server, false));
        resource.keys.iter().for_each(|keys| tell("key set", keys, false));
    }
    for client in &oauth.oauth_documents.clients {
        for (name, address) in &client.addresses {
            let shown = matches!(*name, "client_uri" | "logo_uri" | "policy_uri" | "tos_uri");
            tell(&format!("client's {name}"), address, shown);
        }
    }
    for taken in &oauth.oauth_documents.acceptances {
        taken.issuers.iter().for_each(|issuer| tell("issuer", issuer, false));
        taken.keys.iter().for_each(|keys| tell("key set", keys, false));
    }
}

/// Tokens that have their key fetched without TLS.
fn tokens(all: &All<'_>, out: &mut Out<'_>) {
    for token in used(all) {
        for address in token.key_addresses.iter().filter(|address| is_insecure(&token.at.with_text(address.as_str()))) {
            out.hit_in(token.entry_ref, &token.at)
                .arg("name", "key that the token names")
                .arg("address", told(address));
        }
    }
}
