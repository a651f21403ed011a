use super::shared::{host, same_site};
use crate::judge::{All, Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::rules::held::used;
use crate::severity::Severity;
use crate::text::Located;

pub(super) static RULE: Rule = Rule {
    id: "oauth/foreign-endpoint",
    title: "endpoint on another site than its issuer",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "the {endpoint} is at {host}, the {issuer}",
    why: "Codes and client secrets go to whoever runs the other site, and whose keys a gateway takes may sign every token. Mixed up on purpose, a login begun at one server ends at another.",
    fix: "Have the issuer's owner confirm that the other site is theirs; else refuse the server.",
    before: r#"{"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://tokens.example/token"}"#,
    after: r#"{ "issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "jwks_uri": "https://id.saltmarsh-line.example/keys", "response_types_supported": ["code", "id_token", "code id_token", "none"], "grant_types_supported": ["authorization_code", "refresh_token", "implicit"], "code_challenge_methods_supported": ["S256"], "token_endpoint_auth_methods_supported": ["none", "client_secret_basic", "private_key_jwt"], "token_endpoint_auth_signing_alg_values_supported": ["HS256", "ES256"], "id_token_signing_alg_values_supported": ["RS256"], "scopes_supported": ["openid", "offline_access"], "response_modes_supported": ["query", "fragment"], "authorization_response_iss_parameter_supported": true, "pushed_authorization_request_endpoint": "https://id.saltmarsh-line.example/par", "mtls_endpoint_aliases": { "token_endpoint": "https://mtls.saltmarsh-line.example/token" } }"#,
    references: &[
        "RFC 8414, 6.1",
        "RFC 9700, 4.4",
        "RFC 8725, 3.10",
        "RFC 9728, 7.7",
        "protocol 2024-11-05, HTTP with SSE",
    ],
    ways: Ways::OF_CALLERS,
    check: Check::Each(&[Check::OAuth(documents), Check::All(tokens)]),
};

/// Where codes, secrets and tokens go, and where keys come from.
const ENDPOINTS: &[&str] = &[
    "authorization_endpoint",
    "token_endpoint",
    "registration_endpoint",
    "introspection_endpoint",
    "revocation_endpoint",
    "pushed_authorization_request_endpoint",
    "device_authorization_endpoint",
    "userinfo_endpoint",
    "jwks_uri",
];

fn documents(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let mut elsewhere = Vec::new();
    let mut tell = |name: &str, address: &Located, issuer: &Located| {
        let (there, issuer) = (host(&address.text), host(&issuer.text));
        if !there.is_empty() && !issuer.is_empty() && !same_site(&issuer, &there) {
            out.hit(address)
                .arg("endpoint", name.to_owned())
                .arg("host", there)
                .arg("issuer", format!("issuer at {issuer}"));
        }
    };
    for server in &oauth.oauth_documents.servers {
        let Some(issuer) = &server.issuer else { continue };
        // Who has one endpoint there has often several: one site is told once.
        let mut sites: BTreeMap<String, (&Located, Vec<String>)> = BTreeMap::new();
        for endpoint in server.endpoints.iter().filter(|endpoint| ENDPOINTS.contains(&endpoint.name.as_str())) {
            let name = if endpoint.name == "jwks_uri" { "key set".to_owned() } else { endpoint.name.replace('_', " ") };
            let site = sites.entry(host(&endpoint.address.text)).or_insert((&endpoint.address, Vec::new()));
            if !site.1.contains(&name) {
                site.1.push(name);
            }
        }
        for (address, names) in sites.values() {
            tell(&names.join(", "), address, issuer);
        }
    }
    // Whose keys a gateway takes is whose tokens it takes; of several issuers it is not told which one they belong to.
    for taken in &oauth.oauth_documents.acceptances {
        if let [issuer] = taken.issuers.as_slice() {
            taken.keys.iter().for_each(|keys| tell("key set", keys, issuer));
        }
    }
    for answer in &oauth.oauth_documents.answers {
        let (Some(endpoint), Some(own)) = (&answer.endpoint, &answer.url) else { continue };
        let origin = |address: &str| url::Url::parse(address).ok().map(|url| url.origin());
        if origin(&endpoint.text).is_some_and(|there| Some(there) != origin(&own.text)) {
            // What is said to the server, its token too, goes there.
            elsewhere.push((endpoint, own));
        }
    }
    for resource in &oauth.oauth_documents.resources {
        if let (Some(own), Some(keys)) = (&resource.resource, &resource.keys) {
            tell("resource's key set", keys, own);
        }
    }
    for (endpoint, own) in elsewhere {
        out.hit(endpoint)
            .arg("endpoint", "address for messages that the event stream names")
            .arg("host", host(&endpoint.text))
            .arg("issuer", format!("server at {}", host(&own.text)))
            .advice("Have the server name an address of its own for messages; what clients send, their token too, goes there.")
            .circumstance(Circumstance::Grave);
    }
}

/// Tokens that say themselves where their key is to be fetched, on another site than their issuer's.
fn tokens(all: &All<'_>, out: &mut Out<'_>) {
    for token in used(all) {
        let issuer = token.issuer.as_deref().map(host).filter(|issuer| !issuer.is_empty());
        for address in &token.key_addresses {
            let there = host(address);
            let foreign = issuer.as_ref().is_none_or(|issuer| !same_site(issuer, &there));
            if foreign && !there.is_empty() {
                out.hit_in(token.entry_ref, &token.at)
                    .arg("endpoint", "key that the token names")
                    .arg("host", there)
                    .arg("issuer", format!("issuer at {}", issuer.as_deref().unwrap_or("no known place")))
                    .advice("Have the server take keys from its issuer's key set only, never from an address that a token names.")
                    .circumstance(Circumstance::Grave);
            }
        }
    }
}
