use crate::evidence::oauth::WebKey;
use crate::judge::{All, Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::rules::held::used;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/weak-keys",
    title: "weak or private key in a key set",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "a key {what}",
    why: "Whoever has the key, or works it out, signs tokens in the server's name.",
    fix: "Sign with RSA of at least 2048 bits or with an elliptic curve, publish only the public part, and replace a key whose private part was seen.",
    before: r#"{"keys": [{"kty": "RSA", "kid": "a", "n": "gAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAE", "e": "AQAB"}]}"#,
    after: r#"{"keys": [{"kty": "RSA", "kid": "a", "n": "gAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAQ", "e": "AQAB"}, {"kty": "EC", "crv": "P-256", "x": "f83OJ3D2xF1Bg8vub9tLe1gHMzV76e8Tus9uPHvRVEU", "y": "x_FEzRu9m36HLN_tue659LNpXW6pCyStikYjKIWI5a0"}, {"kty": "OKP", "crv": "Ed25519", "x": "11qYAYKxCrfVS_7TyWQHOg7hcvPapiMlrwIaaPcHURo"}]}"#,
    references: &["RFC 7518, 3.3", "RFC 7517, 9.2", "RFC 8725, 3.5", "RFC 8725, 3.10"],
    ways: Ways::OF_CALLERS,
    check: Check::Each(&[Check::OAuth(documents), Check::All(tokens)]),
};

/// The shortest RSA key that may sign (RFC 7518, 3.3).
const SHORTEST: u32 = 2048;

/// Curves of less than 112 bits of strength (NIST SP 800-57 part 1, table 2), and those just above that no standard of JSON keys has.
const WEAK_CURVES: &[&str] =
    &["p-192", "p-224", "prime192v1", "secp160r1", "secp192k1", "secp192r1", "secp224k1", "secp224r1"];

fn documents(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for key in oauth.oauth_documents.key_sets.iter().flat_map(|set| &set.keys) {
        if let Some(what) = weakness(key) {
            // An exponent of 3 is broken only together with other mistakes.
            let exponent = key.bits.is_some_and(|bits| bits >= SHORTEST) && !key.private;
            out.hit(&key.kind)
                .arg("what", what)
                .circumstance_if(key.private, Circumstance::Grave)
                .circumstance_if(exponent, Circumstance::Faint);
        }
    }
}

/// Tokens that bring the key that they are to be checked with.
fn tokens(all: &All<'_>, out: &mut Out<'_>) {
    for token in used(all).into_iter().filter(|token| token.brings_key) {
        out.hit_in(token.entry_ref, &token.at)
            .arg("what", "is in the header of a token: whoever checks the token with it checks nothing")
            .advice("Have the server take keys from its issuer's key set only, never from a token.");
    }
}

fn weakness(key: &WebKey) -> Option<String> {
    match (key.private, key.bits, key.exponent) {
        (true, ..) if key.kind.text == "oct" => Some("is a shared secret in the open".to_owned()),
        (true, ..) => Some("is there with its private part".to_owned()),
        (false, Some(bits), _) if key.kind.text == "RSA" && bits < SHORTEST => Some(format!("has only {bits} bits")),
        (false, Some(_), Some(exponent)) if exponent < 65_537 => Some(format!("has the exponent {exponent}")),
        _ => {
            let curve = key.curve.as_deref().filter(|curve| WEAK_CURVES.contains(&curve.to_ascii_lowercase().as_str()));
            let open = key.algorithm.as_deref().filter(|algorithm| {
                // Whoever has the public key, everybody, makes what is taken for signed with it (RFC 8725, 2.1).
                matches!(*algorithm, "none" | "None" | "NONE")
                    || matches!(*algorithm, "HS256" | "HS384" | "HS512") && key.kind.text != "oct"
            });
            let curve = curve.map(|curve| format!("is on the curve {curve}, which is too short to sign with"));
            curve.or_else(|| {
                open.map(|algorithm| format!("is published for the algorithm {algorithm}, by which everybody can sign"))
            })
        }
    }
}
