//! Taking secrets out of what is kept: an answer stays as it was written, but for the strings that hold one.

use crate::wire::Raw;
use serde_json::value::RawValue;

/// Keys without which an answer could not be read as one. They are words of the protocol, whoever has one for a password.
const KEYS: &[&str] = &[
    "active",
    "annotations",
    "arguments",
    "authorization_endpoint",
    "authorization_servers",
    "capabilities",
    "contents",
    "default",
    "description",
    "enum",
    "exp",
    "frontmatter",
    "inputSchema",
    "instructions",
    "issuer",
    "items",
    "jwks_uri",
    "keys",
    "kty",
    "messages",
    "method",
    "mimeType",
    "name",
    "nextCursor",
    "outputSchema",
    "params",
    "prompts",
    "properties",
    "protocolVersion",
    "readOnlyHint",
    "required",
    "resource",
    "resourceTemplates",
    "resources",
    "resultType",
    "scope",
    "serverInfo",
    "skills",
    "supportedVersions",
    "text",
    "title",
    "token_endpoint",
    "tools",
    "type",
    "uri",
    "uriTemplate",
    "version",
];

/// What must not be kept, and what stands in its place.
#[derive(Clone, Debug, Default)]
pub struct Redact {
    /// Secrets and their masks; longer ones first, for one may be part of another.
    pairs: Vec<(String, String)>,
}

impl Redact {
    /// Of secrets and their masks.
    pub fn new(mut pairs: Vec<(String, String)>) -> Self {
        pairs.retain(|(secret, _)| !secret.is_empty());
        pairs.sort_by(|a, b| b.0.len().cmp(&a.0.len()).then_with(|| a.cmp(b)));
        pairs.dedup();
        Self { pairs }
    }

    /// With one more.
    #[must_use]
    pub fn and(mut self, secret: &str, mask: &str) -> Self {
        self.pairs.push((secret.to_owned(), mask.to_owned()));
        Self::new(self.pairs)
    }

    /// A text without secrets.
    pub fn text(&self, text: &str) -> String {
        let (mut out, mut rest) = (String::with_capacity(text.len()), text);
        // A mask shows how its secret begins: it is not looked through again.
        let next = |rest: &str| {
            let found = self.pairs.iter().filter_map(|pair| Some((rest.find(pair.0.as_str())?, pair)));
            found.min_by_key(|(at, (secret, _))| (*at, core::cmp::Reverse(secret.len())))
        };
        while let Some((at, (secret, mask))) = next(rest) {
            out.push_str(rest.get(..at).unwrap_or_default());
            out.push_str(mask);
            rest = rest.get(at + secret.len()..).unwrap_or_default();
        }
        out.push_str(rest);
        out
    }

    /// JSON without secrets: every string that holds one is written anew, everything else stays to the letter.
    pub fn json(&self, raw: &Raw) -> Raw {
        let text = raw.get();
        let mut out = String::with_capacity(text.len());
        let mut rest = text;
        let mut changed = false;
        while let Some(at) = rest.find('"') {
            let (before, from) = rest.split_at_checked(at).unwrap_or((rest, ""));
            out.push_str(before);
            let (literal, after) = from.split_at_checked(literal(from)).unwrap_or((from, ""));
            rest = after;
            let said: Option<String> = serde_json::from_str(literal).ok();
            match said.map(|said| (self.text(&said), said)) {
                Some((clean, said)) if clean != said && !(is_key(rest) && KEYS.contains(&said.as_str())) => {
                    changed = true;
                    out.push_str(&serde_json::Value::String(clean).to_string());
                }
                _ => out.push_str(literal),
            }
        }
        out.push_str(rest);
        if !changed {
            return raw.clone();
        }
        // Strings were put in the place of strings.
        RawValue::from_string(out).unwrap_or_else(|_| RawValue::NULL.to_owned())
    }
}

/// Does what follows a string make a key of it?
fn is_key(after: &str) -> bool {
    after.trim_start().starts_with(':')
}

/// The length of a string literal with its quotes.
fn literal(from: &str) -> usize {
    let mut escaped = false;
    for (at, byte) in from.bytes().enumerate().skip(1) {
        match byte {
            _ if escaped => escaped = false,
            b'\\' => escaped = true,
            b'"' => return at + 1,
            _ => {}
        }
    }
    from.len()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn secrets_are_taken_out_however_they_are_escaped() {
        let redact = Redact::new(vec![
            ("s3cr\"et-value".to_owned(), "s3cr… (12)".to_owned()),
            ("s3".to_owned(), "-".to_owned()),
            ("tool".to_owned(), "t… (4)".to_owned()),
        ]);
        for (json, want) in [
            (r#"{"a": "x", "n": 1.0}"#, r#"{"a": "x", "n": 1.0}"#),
            (r#"{"a":  "the s3cr\"et-value here"}"#, r#"{"a":  "the s3cr… (12) here"}"#),
            (r#"["\u0073\u0033cr\"et-value"]"#, r#"["s3cr… (12)"]"#),
            (r#"{"s3": "\\"}"#, r#"{"-": "\\"}"#),
            // A word of the protocol stays, as a key.
            (r#"{"tools" : ["tools"], "toolbox": 1}"#, r#"{"tools" : ["t… (4)s"], "t… (4)box": 1}"#),
        ] {
            let raw = RawValue::from_string(json.to_owned()).unwrap();
            assert_eq!(redact.json(&raw).get(), want);
        }
    }
}
