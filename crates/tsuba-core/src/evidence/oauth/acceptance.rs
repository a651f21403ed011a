//! What a gateway or server is told to accept: whose tokens, made for whom, signed with which keys.

use crate::prelude::*;
use crate::read::{Node, Value};
use crate::text::{Located, Pointer, Span, normal};

/// How callers' tokens are checked, as it is configured.
#[derive(Clone, Debug)]
pub struct Acceptance {
    /// Where it is configured.
    pub start: Located,
    /// Whose tokens are taken (`iss`, RFC 9068, 4).
    pub issuers: Vec<Located>,
    /// Whom tokens must be made for (`aud`, RFC 9068, 4), where that says anything.
    pub audiences: Vec<Located>,
    /// An audience that everything is for: `*`, or nothing between quotes or brackets.
    pub any_audience: Option<Located>,
    /// The resource that it says it is (RFC 9728, 2); many then ask for that as audience.
    pub resource: Option<Located>,
    /// Addresses of key sets and of introspection.
    pub keys: Vec<Located>,
    /// Are keys given in another way: as a file, or in the text itself?
    pub other_keys: bool,
    /// Checks that are switched off.
    pub skipped: Vec<(Skipped, Located)>,
}

/// A check of a token that can be switched off.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Skipped {
    /// By whom it is signed.
    Signature,
    /// Who issued it.
    Issuer,
    /// Whom it was made for.
    Audience,
    /// Whether its time is over.
    Lifetime,
}

/// Settings nest at most this deep.
const DEEP: usize = 6;
/// More than this of one document are not looked at.
const MAX_ACCEPTANCES: usize = 256;

/// Every acceptance configured at or below a block.
pub(crate) fn acceptances(node: &Node, pointer: &Pointer, out: &mut Vec<Acceptance>) {
    look(node, pointer, 0, out);
}

fn look(node: &Node, pointer: &Pointer, depth: usize, out: &mut Vec<Acceptance>) {
    if depth > DEEP || out.len() >= MAX_ACCEPTANCES {
        return;
    }
    if is_one(node) {
        let span = Span { end: node.span.start.saturating_add(1), ..node.span };
        let mut own = Acceptance {
            start: Located { text: String::new(), span, pointer: pointer.clone() },
            issuers: Vec::new(),
            audiences: Vec::new(),
            any_audience: None,
            resource: None,
            keys: Vec::new(),
            other_keys: false,
            skipped: Vec::new(),
        };
        own.read(node, pointer, 0);
        out.push(own);
        return;
    }
    for (index, item) in node.items().iter().enumerate() {
        look(item, &pointer.index(index), depth + 1, out);
    }
    for member in node.effective() {
        look(&member.value, &pointer.key(&member.key.text), depth + 1, out);
    }
}

/// Does a mapping say itself whose tokens are taken, or by which keys they are known?
fn is_one(node: &Node) -> bool {
    node.members().iter().any(|member| matches!(part(&member.key.text), Some(Part::Issuer | Part::Keys)))
}

/// The settings that matter, by their keys without case and signs.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Part {
    Issuer,
    Audience,
    Keys,
    Resource,
    Check(Skipped, bool),
}

fn part(key: &str) -> Option<Part> {
    let key = normal(key);
    Some(match key.as_str() {
        "issuer" | "issuers" | "issuerurl" | "issueruri" | "trustedissuers" | "allowedissuers" | "oidcissuer"
        | "oidcissuerurl" => Part::Issuer,
        "audience" | "audiences" | "aud" | "allowedaudience" | "allowedaudiences" | "expectedaudience"
        | "validaudiences" => Part::Audience,
        "jwks"
        | "jwksuri"
        | "jwksurl"
        | "jwksurls"
        | "remotejwks"
        | "jwkseturi"
        | "jwkseturl"
        | "keyset"
        | "keyseturl"
        | "publickeyurl"
        | "introspectionendpoint"
        | "introspectionurl"
        | "introspectionuri" => Part::Keys,
        "resource" => Part::Resource,
        other => {
            // `verify_audience: false` and `skipAudienceCheck: true` say the same.
            let starts = |words: &[&str]| words.iter().any(|word| other.starts_with(word));
            let needed = starts(&["verify", "validate", "check", "require", "enforce"]);
            let left = starts(&["skip", "ignore", "disable", "insecureskip"]);
            if needed == left {
                return None;
            }
            let has = |words: &[&str]| words.iter().any(|word| other.contains(word));
            let what = if has(&["audience"]) || other.ends_with("aud") {
                Skipped::Audience
            } else if has(&["issuer"]) {
                Skipped::Issuer
            } else if has(&["signature"]) {
                Skipped::Signature
            } else if has(&["expir", "lifetime"]) || other.ends_with("exp") {
                Skipped::Lifetime
            } else {
                return None;
            };
            Part::Check(what, left)
        }
    })
}

impl Acceptance {
    fn read(&mut self, node: &Node, pointer: &Pointer, depth: usize) {
        if depth > DEEP {
            return;
        }
        for (index, item) in node.items().iter().enumerate() {
            self.read(item, &pointer.index(index), depth + 1);
        }
        for member in node.effective() {
            let (at, value) = (pointer.key(&member.key.text), &member.value);
            match part(&member.key.text) {
                Some(Part::Issuer) => self.issuers.extend(texts(value, &at).into_iter().filter(|t| !t.text.is_empty())),
                Some(Part::Audience) => self.audience(value, &at, member.key.span),
                Some(Part::Keys) => self.key_sets(value, &at, 0),
                Some(Part::Resource) => self.resource = self.resource.take().or_else(|| value.located(at)),
                Some(Part::Check(what, when)) => {
                    let off = value.located(at).filter(|_| value.truth() == Some(when));
                    self.skipped.extend(off.map(|place| (what, place)));
                }
                None => self.read(value, &at, depth + 1),
            }
        }
    }

    fn audience(&mut self, value: &Node, at: &Pointer, key: Span) {
        let all = texts(value, at);
        let wide = |text: &str| matches!(text.trim(), "" | "*" | ".*" | "any" | "all");
        let any = all.iter().find(|text| wide(&text.text)).cloned();
        // `audiences: []` and `audience: null` say as little as leaving it out.
        let none = all.is_empty().then(|| Located { text: String::new(), span: key, pointer: at.clone() });
        self.any_audience = self.any_audience.take().or(any).or(none);
        self.audiences.extend(all.into_iter().filter(|text| !wide(&text.text)));
    }

    fn key_sets(&mut self, value: &Node, at: &Pointer, depth: usize) {
        for text in texts(value, at) {
            if text.text.contains("://") {
                self.keys.push(text);
            } else if !text.text.is_empty() {
                self.other_keys = true;
            }
        }
        for member in value.effective().filter(|_| depth < DEEP) {
            self.key_sets(&member.value, &at.key(&member.key.text), depth + 1);
        }
    }
}

/// A text, or the texts of a list.
fn texts(value: &Node, at: &Pointer) -> Vec<Located> {
    match &value.value {
        Value::List(items) => items.iter().enumerate().filter_map(|(i, item)| item.located(at.index(i))).collect(),
        Value::Text(_) => value.located(at.clone()).into_iter().collect(),
        Value::Null | Value::Bool(_) | Value::Number(_) | Value::Map(_) => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::{Input, read};

    /// What is told of a text, in short.
    fn describe(text: &str) -> Vec<String> {
        let document = read(Input { path: "a.yaml".into(), bytes: text.into(), ..Input::default() }).unwrap();
        let mut found = Vec::new();
        acceptances(&document.roots[0], &Pointer::root(), &mut found);
        let list = |all: &[Located]| all.iter().map(|one| one.text.clone()).collect::<Vec<_>>().join(" ");
        found
            .iter()
            .map(|one| {
                let any = one.any_audience.as_ref().map(|any| format!(" any@{}", any.pointer)).unwrap_or_default();
                let off: String = one.skipped.iter().map(|(what, at)| format!(" {what:?}@{}", at.pointer)).collect();
                format!("[{}] for [{}] by [{}]{any}{off}", list(&one.issuers), list(&one.audiences), list(&one.keys))
            })
            .collect()
    }

    #[test]
    fn whose_tokens_are_taken() {
        for (text, want) in [
            (
                "auth: {issuer: https://id.example, audiences: [a, b], jwks: https://id.example/k}",
                &["[https://id.example] for [a b] by [https://id.example/k]"][..],
            ),
            ("jwt: {issuer: https://id.example}", &["[https://id.example] for [] by []"]),
            ("jwt: {issuer: i, aud: '*'}", &["[i] for [] by [] any@/jwt/aud"]),
            ("jwt: {issuer: i, audience: ''}", &["[i] for [] by [] any@/jwt/audience"]),
            ("jwt: {issuer: i, audiences: []}", &["[i] for [] by [] any@/jwt/audiences"]),
            ("jwt: {issuer: i, aud: [a, '*']}", &["[i] for [a] by [] any@/jwt/aud/1"]),
            // Several providers are each their own.
            (
                "jwt: {providers: {a: {issuer: x, audiences: [g]}, b: {issuer: y}}}",
                &["[x] for [g] by []", "[y] for [] by []"],
            ),
            ("jwt: {jwks: {remote: {uri: 'http://k.example/jwks'}}}", &["[] for [] by [http://k.example/jwks]"]),
            ("jwt: {jwks: {file: /etc/keys.json}}", &["[] for [] by []"]),
            ("oidc: {issuer: i, verify_audience: false}", &["[i] for [] by [] Audience@/oidc/verify_audience"]),
            ("oidc: {issuer: i, skipIssuerCheck: true}", &["[i] for [] by [] Issuer@/oidc/skipIssuerCheck"]),
            ("oidc: {issuer: i, ignore_expiration: true}", &["[i] for [] by [] Lifetime@/oidc/ignore_expiration"]),
            ("oidc: {issuer: i, verify-signature: false}", &["[i] for [] by [] Signature@/oidc/verify-signature"]),
            // Checks that are made, and settings that only sound so.
            ("oidc: {issuer: i, verify_audience: true}", &["[i] for [] by []"]),
            ("oidc: {issuer: i, skipIssuerCheck: false}", &["[i] for [] by []"]),
            ("oidc: {issuer: i, disable_audit: true, ignore_case: true}", &["[i] for [] by []"]),
            ("basic: {users: [a]}", &[]),
            ("auth: {tokens: [a]}", &[]),
        ] {
            assert_eq!(describe(text), want, "{text}");
        }
    }
}
