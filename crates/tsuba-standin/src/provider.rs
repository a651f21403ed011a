//! The identity provider's documents, and those of the resource.

use crate::server::Server;
use crate::weakness::Weakness;
use serde_json::{Value, json};

/// Metadata of the resource (RFC 9728).
pub(crate) fn resource(server: &Server, origin: &str) -> Value {
    let resource = if server.is(Weakness::WrongResource) {
        "https://fares.saltmarsh-line.example/mcp".to_owned()
    } else {
        format!("{origin}/mcp")
    };
    let methods = if server.is(Weakness::TokenInQuery) { json!(["header", "query"]) } else { json!(["header"]) };
    let scopes =
        if server.is(Weakness::BroadScopes) { json!(["tides.read", "tides:admin"]) } else { json!(["tides.read"]) };
    // Nothing listens on the port of discarding.
    let issuers = match () {
        () if server.is(Weakness::NoIssuers) => json!([]),
        () if server.is(Weakness::SilentIssuer) => json!(["http://127.0.0.1:9"]),
        () => json!([origin]),
    };
    json!({ "resource": resource, "authorization_servers": issuers, "bearer_methods_supported": methods, "scopes_supported": scopes })
}

/// Metadata of the authorization server (RFC 8414).
pub(crate) fn metadata(server: &Server, origin: &str) -> Value {
    let issuer = if server.is(Weakness::WrongIssuer) { "https://id.example" } else { origin };
    let methods = if server.is(Weakness::PlainPkce) { json!(["plain"]) } else { json!(["S256"]) };
    let types = if server.is(Weakness::Implicit) { json!(["code", "token"]) } else { json!(["code"]) };
    json!({
        "issuer": issuer, "authorization_endpoint": format!("{origin}/authorize"), "token_endpoint": format!("{origin}/token"),
        "registration_endpoint": format!("{origin}/register"), "introspection_endpoint": format!("{origin}/introspect"), "jwks_uri": format!("{origin}/keys"),
        "response_types_supported": types, "grant_types_supported": ["authorization_code", "refresh_token"],
        "code_challenge_methods_supported": methods, "token_endpoint_auth_methods_supported": ["none", "private_key_jwt"],
        "authorization_response_iss_parameter_supported": true
    })
}

/// What the token may do (RFC 7662).
pub(crate) fn introspection(server: &Server, origin: &str) -> Value {
    let scope = server.kind.scope();
    if server.is(Weakness::WideToken) {
        return json!({ "active": true, "client_id": "desk", "scope": format!("{scope} crew.read tides:admin") });
    }
    json!({ "active": true, "client_id": "desk", "scope": scope, "aud": format!("{origin}/mcp"), "exp": 1_900_000_000 })
}

/// The key set (RFC 7517): a public key on a curve, or a short one of RSA.
pub(crate) fn keys(server: &Server) -> Value {
    if server.is(Weakness::ShortKey) {
        let modulus = format!("g{}", "A".repeat(170));
        return json!({ "keys": [{ "kty": "RSA", "kid": "1", "n": modulus, "e": "AQAB" }] });
    }
    json!({ "keys": [{ "kty": "EC", "crv": "P-256", "kid": "1",
        "x": "f83OJ3D2xF1Bg8vub9tLe1gHMzV76e8Tus9uPHvRVEU", "y": "x_FEzRu9m36HLN_tue659LNpXW6pCyStikYjKIWI5a0" }] })
}
