//! What a JSON Web Token says about itself (RFC 7519). Nothing is verified: the claims show how wide and how long the
//! holder may act, which is what a reviewer asks.

use crate::prelude::*;
use base64::Engine as _;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use serde_json::Value;

/// The claims of a token that matter for a review.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Claims {
    /// `exp` (section 4.1.4): seconds since 1970 after which it is invalid.
    pub expires: Option<i64>,
    /// `iat` (section 4.1.6): when it was issued.
    pub issued: Option<i64>,
    /// `aud` (section 4.1.3): whom it is meant for.
    pub audience: Vec<String>,
    /// `scope` (RFC 8693, section 4.2), `scp`, `permissions`, `roles`, `role`.
    pub scopes: Vec<String>,
    /// Is it signed at all? `alg: none` (RFC 7519, section 6) means anybody can write one.
    pub unsigned: bool,
}

impl Claims {
    /// Decodes a token in compact form; `None` when it is not one.
    pub fn decode(token: &str) -> Option<Self> {
        let mut parts = token.split('.');
        let header = object(parts.next()?)?;
        let claims = object(parts.next()?)?;
        let unsigned = header.get("alg").and_then(Value::as_str).is_some_and(|alg| alg.eq_ignore_ascii_case("none"));
        let seconds = |name: &str| claims.get(name).and_then(|v| v.as_i64().or_else(|| v.as_f64().map(|f| f as i64)));
        let audience = claims.get("aud").map(texts).unwrap_or_default();
        let scopes = ["scope", "scp", "permissions", "roles", "role", "scopes"]
            .iter()
            .filter_map(|name| claims.get(name))
            .flat_map(texts)
            .flat_map(|text| {
                text.split([' ', ',']).filter(|s| !s.is_empty()).map(ToOwned::to_owned).collect::<Vec<_>>()
            })
            .collect();
        Some(Self { expires: seconds("exp"), issued: seconds("iat"), audience, scopes, unsigned })
    }
}

fn object(part: &str) -> Option<Value> {
    let bytes = URL_SAFE_NO_PAD.decode(part.trim_end_matches('=')).ok()?;
    serde_json::from_slice::<Value>(&bytes).ok().filter(Value::is_object)
}

fn texts(value: &Value) -> Vec<String> {
    match value {
        Value::String(text) => vec![text.clone()],
        Value::Array(items) => items.iter().filter_map(Value::as_str).map(ToOwned::to_owned).collect(),
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::Object(_) => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn token(header: &str, claims: &str) -> String {
        format!("{}.{}.c2ln", URL_SAFE_NO_PAD.encode(header), URL_SAFE_NO_PAD.encode(claims))
    }

    #[test]
    fn claims_are_read_in_the_forms_in_use() {
        let read = Claims::decode(&token(
            r#"{"alg":"RS256"}"#,
            r#"{"exp":10,"iat":5.0,"aud":"tide","scope":"a b","roles":["c"]}"#,
        ))
        .unwrap();
        assert_eq!(read.scopes, ["a", "b", "c"]);
        assert_eq!(
            (read.expires, read.issued, read.audience.as_slice(), read.unsigned),
            (Some(10), Some(5), &["tide".to_owned()][..], false)
        );
        assert!(Claims::decode(&token(r#"{"alg":"none"}"#, "{}")).unwrap().unsigned);
        assert_eq!(Claims::decode("eyJ.x.y"), None);
        assert_eq!(Claims::decode(&token("[]", "{}")), None);
    }
}
