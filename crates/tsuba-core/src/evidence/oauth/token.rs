//! What a JSON Web Token says about itself (RFC 7519). Nothing is verified: header and claims show who issued it, for whom, how wide and how
//! long the holder may act, which is what a reviewer asks.

use crate::evidence::administers;
use crate::prelude::*;
use base64::Engine as _;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use serde_json::{Map, Value};

/// The header and the claims of a token that matter for a review.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Claims {
    /// `exp` (section 4.1.4): seconds since 1970 after which it is invalid.
    pub expires: Option<i64>,
    /// `exp` or `iat` is written in milliseconds: whoever reads seconds, as the section has it, lets it live for ever.
    pub in_milliseconds: bool,
    /// `iat` (section 4.1.6): when it was issued.
    pub issued: Option<i64>,
    /// `iss` (section 4.1.1): who issued it.
    pub issuer: Option<String>,
    /// `aud` (section 4.1.3): whom it is meant for.
    pub audience: Vec<String>,
    /// `scope` (RFC 8693, section 4.2), `scp`, `permissions`, and every kind of role (RFC 9068, section 2.2.3.1).
    pub scopes: Vec<String>,
    /// `alg` of the header (RFC 7515, section 4.1.1).
    pub algorithm: Option<String>,
    /// `typ` of the header (RFC 7515, section 4.1.9), lower case.
    pub kind: Option<String>,
    /// `kid` of the header (RFC 7515, section 4.1.4).
    pub key_id: Option<String>,
    /// Where the header says that the key is to be fetched: `jku` and `x5u` (RFC 7515, sections 4.1.2 and 4.1.5).
    pub key_addresses: Vec<String>,
    /// The header brings its own key: `jwk` (RFC 7515, section 4.1.3).
    pub brings_key: bool,
    /// It says who somebody is, to a client: an identity token (OpenID Connect Core 1.0, section 2).
    pub identifies: bool,
}

/// More seconds than this would be after the year 5000: milliseconds.
const MILLISECONDS: i64 = 100_000_000_000;

/// Claims that only an identity token has (OpenID Connect Core 1.0, sections 2 and 3.3.2.11).
const IDENTIFYING: &[&str] = &["nonce", "at_hash", "c_hash", "s_hash"];

/// Roles nest at most this deep: `resource_access`, a client, `roles`, the list.
const MAX_ROLES: usize = 4;

impl Claims {
    /// Decodes a token in compact form; `None` when it is not one.
    pub fn decode(token: &str) -> Option<Self> {
        let (header, claims) = parts(token)?;
        let text = |map: &Map<String, Value>, name: &str| map.get(name).and_then(Value::as_str).map(str::to_owned);
        let moment = |name: &str| claims.get(name).and_then(seconds);
        let in_milliseconds = ["exp", "iat", "nbf"].iter().filter_map(|name| moment(name)).any(|at| at > MILLISECONDS);
        let flags = claims.iter().filter(|(_, value)| **value == Value::Bool(true)).map(|(name, _)| name);
        let flags: Vec<String> = flags.filter(|name| administers(name)).cloned().collect();
        let plain = |name: &str| moment(name).map(|at| if at > MILLISECONDS { at / 1000 } else { at });
        let mut scopes = Vec::new();
        granted(&claims, 0, &mut scopes);
        scopes.extend(flags);
        let kind = text(&header, "typ").map(|kind| kind.to_ascii_lowercase());
        // What is marked as an access token is none of identity, whatever else it says (RFC 9068, section 2.1).
        let is_access = kind.as_deref().is_some_and(|kind| kind.trim_start_matches("application/") == "at+jwt");
        let says = |name: &str, values: &[&str]| {
            text(&claims, name).is_some_and(|value| values.contains(&value.to_ascii_lowercase().as_str()))
        };
        Some(Self {
            // The beginning of time stands for none.
            expires: plain("exp").filter(|end| *end > 0),
            in_milliseconds,
            issued: plain("iat"),
            issuer: text(&claims, "iss"),
            audience: claims.get("aud").map(texts).unwrap_or_default(),
            identifies: !is_access
                && scopes.is_empty()
                && (IDENTIFYING.iter().any(|name| claims.contains_key(*name))
                    || says("typ", &["id"])
                    || says("token_use", &["id"])),
            scopes,
            algorithm: text(&header, "alg"),
            key_id: text(&header, "kid"),
            key_addresses: ["jku", "x5u"].iter().filter_map(|name| text(&header, name)).collect(),
            brings_key: header.get("jwk").is_some_and(Value::is_object),
            kind,
        })
    }

    /// Is it signed at all? `alg: none` (RFC 7519, section 6) means anybody can write one.
    pub fn is_unsigned(&self) -> bool {
        self.algorithm.as_deref().is_some_and(|alg| alg.eq_ignore_ascii_case("none"))
    }

    /// Is it signed with a secret that everyone has who checks it (RFC 7518, section 3.2)?
    pub fn is_shared(&self) -> bool {
        self.algorithm.as_deref().is_some_and(|alg| alg.starts_with("HS"))
    }
}

/// So many words that begin like a token are tried in a text.
const MAX_TRIED: usize = 1000;

/// Is there a token in a text?
pub(super) fn in_text(text: &str) -> bool {
    let starts = memchr::memmem::find_iter(text.as_bytes(), b"eyJ");
    let own = |at: &usize| !text.get(..*at).is_some_and(|before| before.ends_with(|c: char| c.is_ascii_alphanumeric()));
    starts.filter(own).take(MAX_TRIED).filter_map(|at| text.get(at..)).any(|rest| {
        let end = rest.find(|c: char| !(c.is_ascii_alphanumeric() || "._-=".contains(c))).unwrap_or(rest.len());
        let word = rest.get(..end).unwrap_or_default();
        word.len() <= MAX_TOKEN
            && word.matches('.').count() == 2
            && parts(word).is_some_and(|(header, _)| header.contains_key("alg"))
    })
}

/// Longer words are no token (bytes).
const MAX_TOKEN: usize = 32 * 1024;

/// Header and claims, decoded.
pub(super) fn parts(token: &str) -> Option<(Map<String, Value>, Map<String, Value>)> {
    let mut parts = token.split('.');
    Some((object(parts.next()?)?, object(parts.next()?)?))
}

fn object(part: &str) -> Option<Map<String, Value>> {
    let bytes = URL_SAFE_NO_PAD.decode(part.trim_end_matches('=')).ok()?;
    match serde_json::from_slice::<Value>(&bytes).ok()? {
        Value::Object(map) => Some(map),
        _ => None,
    }
}

fn seconds(value: &Value) -> Option<i64> {
    value.as_i64().or_else(|| value.as_f64().map(|number| number as i64)).or_else(|| value.as_str()?.parse().ok())
}

/// Does a claim of this name say what its holder may do? Names of one's own stand in an address (`https://id.example/roles`).
pub(super) fn grants(name: &str) -> bool {
    let last = name.trim_end_matches('/').rsplit(['/', ':']).next().unwrap_or(name).to_ascii_lowercase();
    let plain: String = last.chars().filter(char::is_ascii_alphanumeric).collect();
    let ends = ["roles", "permissions", "scopes", "groups"].iter().any(|end| plain.ends_with(end));
    ends || matches!(
        plain.as_str(),
        "scope" | "scp" | "role" | "wids" | "authorities" | "entitlements" | "realmaccess" | "resourceaccess"
    )
}

/// What the claims grant, wherever they say so.
fn granted(claims: &Map<String, Value>, depth: usize, out: &mut Vec<String>) {
    for (name, value) in claims {
        match value {
            value if grants(name) => gather(value, name, 0, out),
            Value::Object(below) if depth < MAX_ROLES => granted(below, depth + 1, out),
            _ => {}
        }
    }
}

/// The texts of a value and of what it holds, divided where they are lists in one text.
fn gather(value: &Value, name: &str, depth: usize, out: &mut Vec<String>) {
    match value {
        // A group or a role may have a name of several words; scopes are divided by blanks (RFC 6749, section 3.3).
        Value::String(text) if name.starts_with("sc") || name == "permissions" => {
            out.extend(text.split([' ', ',']).filter(|part| !part.is_empty()).map(ToOwned::to_owned));
        }
        Value::String(text) => out.extend(Some(text.clone()).filter(|text| !text.is_empty())),
        Value::Array(items) if depth < MAX_ROLES => items.iter().for_each(|item| gather(item, name, depth + 1, out)),
        Value::Object(map) if depth < MAX_ROLES => {
            map.iter().for_each(|(key, item)| gather(item, key, depth + 1, out));
        }
        Value::Array(_) | Value::Object(_) | Value::Null | Value::Bool(_) | Value::Number(_) => {}
    }
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
    use proptest::prelude::*;

    fn token(header: &str, claims: &str) -> Claims {
        let text = format!("{}.{}.c2ln", URL_SAFE_NO_PAD.encode(header), URL_SAFE_NO_PAD.encode(claims));
        Claims::decode(&text).unwrap()
    }

    #[test]
    fn claims_are_read_in_the_forms_in_use() {
        let read = token(
            r#"{"alg":"RS256","typ":"at+JWT","kid":"a","jku":"https://id.example/k","jwk":{}}"#,
            r#"{"iss":"https://id.example","exp":10,"iat":5.0,"aud":"tide","scope":"a b","roles":["c"]}"#,
        );
        assert_eq!(read.scopes, ["c", "a", "b"]);
        assert_eq!(
            (read.expires, read.issued, read.audience.as_slice(), read.is_unsigned()),
            (Some(10), Some(5), &["tide".to_owned()][..], false)
        );
        assert_eq!((read.key_id.as_deref(), read.kind.as_deref(), read.brings_key), (Some("a"), Some("at+jwt"), true));
        assert_eq!(read.key_addresses, ["https://id.example/k"]);
        assert!(token(r#"{"alg":"none"}"#, "{}").is_unsigned());
        assert!(token(r#"{"alg":"HS256"}"#, "{}").is_shared());
        let late = token("{}", r#"{"exp":1795478400000,"iat":"1795478400"}"#);
        assert_eq!((late.expires, late.issued, late.in_milliseconds), (Some(1_795_478_400), Some(1_795_478_400), true));
        assert_eq!(Claims::decode("eyJ.x.y"), None);
        assert_eq!(Claims::decode("W10.e30."), None);
    }

    #[test]
    fn roles_are_read_wherever_they_lie() {
        for (claims, want) in [
            (r#"{"realm_access": {"roles": ["admin"]}}"#, "admin"),
            (r#"{"resource_access": {"tides": {"roles": ["a", "b"]}}}"#, "a b"),
            (r#"{"https://id.saltmarsh-line.example/roles": ["owner"]}"#, "owner"),
            (r#"{"https://id.saltmarsh-line.example/claims/permissions": "a b"}"#, "a b"),
            (r#"{"groups": ["Harbour Crew"]}"#, "Harbour Crew"),
            (r#"{"authorization": {"roles": ["owner"]}}"#, "owner"),
            (r#"{"https://id.saltmarsh-line.example/claims": {"x-allowed-roles": ["owner"]}}"#, "owner"),
            (r#"{"address": {"region": "owner"}}"#, ""),
            (r#"{"is_admin": true, "email_verified": true}"#, "is_admin"),
            (r#"{"is_admin": false}"#, ""),
            (r#"{"authorities": ["ROLE_ADMIN"], "scp": ["x"]}"#, "ROLE_ADMIN x"),
            (r#"{"name": "admin", "email": "root@tide.example", "role_count": 3}"#, ""),
        ] {
            assert_eq!(token("{}", claims).scopes.join(" "), want, "{claims}");
        }
    }

    #[test]
    fn a_token_of_identity_is_told_from_one_of_access() {
        for (header, claims, want) in [
            ("{}", r#"{"aud": "desk", "nonce": "n"}"#, true),
            ("{}", r#"{"at_hash": "h"}"#, true),
            ("{}", r#"{"typ": "ID"}"#, true),
            ("{}", r#"{"token_use": "id"}"#, true),
            ("{}", r#"{"token_use": "access"}"#, false),
            (r#"{"typ": "at+jwt"}"#, r#"{"nonce": "n"}"#, false),
            ("{}", r#"{"nonce": "n", "scope": "tides.read"}"#, false),
            ("{}", r#"{"email": "mira@saltmarsh-line.example"}"#, false),
        ] {
            assert_eq!(token(header, claims).identifies, want, "{claims}");
        }
    }

    proptest! {
        #[test]
        fn any_text_is_decoded_or_not(text in r"[A-Za-z0-9_.\-=]{0,80}", claims in r#"\{("[a-z_/:]{0,8}": ?("[a-z ]{0,5}"|[0-9.e]{1,9}|\[\]|\{\}),?){0,3}\}"#) {
            let _ = Claims::decode(&text);
            let built = format!("e30.{}.", URL_SAFE_NO_PAD.encode(claims));
            let _ = Claims::decode(&built);
        }
    }
}
