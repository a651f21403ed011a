//! Taking secrets out of what is kept: an answer stays as it was written, but for the strings and numbers that hold one.

use crate::evidence::{Evidence, Token};
use crate::wire::Raw;
use serde_json::value::RawValue;
use std::borrow::Cow;
use tsuba_core::text::{Masker, mask};
use tsuba_core::understand::credential::tokens;

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

/// What must not be kept.
#[derive(Clone, Debug)]
pub struct Redact {
    masker: Masker,
    /// A folder that has another name every time, and what it is called instead.
    folder: Option<(String, &'static str)>,
}

impl Default for Redact {
    fn default() -> Self {
        Self::new(Masker::new([], [], tokens))
    }
}

impl Redact {
    /// The secrets that a masker knows, and whatever else has the form of one: a server may tell its own. What only looks as if it could be
    /// one stays: a model would read it.
    pub fn new(masker: Masker) -> Self {
        Self { masker: masker.finding(tokens), folder: None }
    }

    /// With one more secret.
    #[must_use]
    pub fn also(self, secret: &str) -> Self {
        Self { masker: self.masker.also(secret), ..self }
    }

    /// With a folder that is called otherwise.
    #[must_use]
    pub(crate) fn renaming(mut self, folder: String, called: &'static str) -> Self {
        self.folder = Some(folder).filter(|folder| !folder.is_empty()).map(|folder| (folder, called));
        self
    }

    /// A text without secrets.
    pub fn text(&self, text: &str) -> String {
        self.clean(text).into_owned()
    }

    fn clean<'t>(&self, text: &'t str) -> Cow<'t, str> {
        let renamed = match &self.folder {
            Some((folder, called)) if text.contains(folder.as_str()) => text.replace(folder.as_str(), called),
            _ => return self.masker.mask(text),
        };
        Cow::Owned(self.masker.mask(&renamed).into_owned())
    }

    /// JSON without secrets: every string that holds one is written anew, a number that is one becomes a string, everything else stays to the
    /// letter.
    pub fn json(&self, raw: &Raw) -> Raw {
        let text = raw.get();
        let mut out = String::with_capacity(text.len());
        let mut rest = text;
        let mut changed = false;
        while !rest.is_empty() {
            let (before, from) = rest.split_at_checked(rest.find('"').unwrap_or(rest.len())).unwrap_or((rest, ""));
            changed |= self.numbers(before, &mut out);
            let (literal, after) = from.split_at_checked(literal(from)).unwrap_or((from, ""));
            rest = after;
            // Half a character, say, cannot be read: then it is looked through as it is written.
            let said: Option<String> = serde_json::from_str(literal).ok();
            let said = said.unwrap_or_else(|| literal.trim_matches('"').to_owned());
            let clean = self.clean(&said);
            if clean == said || (is_key(rest) && KEYS.contains(&said.as_str())) {
                out.push_str(literal);
            } else {
                changed = true;
                out.push_str(&serde_json::Value::String(clean.into_owned()).to_string());
            }
        }
        if !changed {
            return raw.clone();
        }
        // Strings were put in the place of strings and numbers.
        RawValue::from_string(out).unwrap_or_else(|_| RawValue::NULL.to_owned())
    }

    /// Writes what stands between two strings; true where a number in it was a secret.
    fn numbers(&self, between: &str, out: &mut String) -> bool {
        let places = if between.len() < 4 { Vec::new() } else { self.masker.places(between) };
        if places.is_empty() {
            out.push_str(between);
            return false;
        }
        let is_part = |c: char| c.is_ascii_alphanumeric() || "+-.".contains(c);
        let (mut at, mut changed) = (0, false);
        for place in places {
            let head = between.get(at..place.start.max(at)).unwrap_or_default();
            let start = at + head.trim_end_matches(is_part).len();
            let tail = between.get(place.end.max(start)..).unwrap_or_default();
            let end = between.len() - tail.trim_start_matches(is_part).len();
            let number = between.get(start..end).unwrap_or_default();
            out.push_str(between.get(at..start).unwrap_or_default());
            if number.chars().all(is_part) && !number.is_empty() {
                changed = true;
                out.push_str(&serde_json::Value::String(mask(number)).to_string());
            } else {
                out.push_str(number);
            }
            at = end;
        }
        out.push_str(between.get(at..).unwrap_or_default());
        changed
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

/// Takes everything secret out of what was captured.
pub(crate) fn clean(evidence: &mut Evidence, redact: &Redact) {
    let text = |text: &mut String| *text = redact.text(text);
    evidence.url.iter_mut().for_each(text);
    evidence.command.iter_mut().for_each(text);
    evidence.troubles.iter_mut().for_each(text);
    if let Some(package) = &mut evidence.package {
        package.deprecated.iter_mut().for_each(text);
    }
    if let Some(Token { claims }) = &mut evidence.token {
        text(&mut claims.scope);
        claims.aud.iter_mut().for_each(text);
    }
    if let Some(cage) = &mut evidence.cage {
        for list in [&mut cage.written, &mut cage.programs, &mut cage.names] {
            list.iter_mut().for_each(text);
        }
    }
    for session in &mut evidence.sessions {
        session.answers.values_mut().flatten().for_each(|raw| *raw = redact.json(raw));
        session.errors.values_mut().for_each(|raw| *raw = redact.json(raw));
        session.asked.iter_mut().filter_map(|asked| asked.params.as_mut()).for_each(|raw| *raw = redact.json(raw));
        session.asked.iter_mut().for_each(|asked| text(&mut asked.method));
        session.notices = session.notices.iter().map(|(method, count)| (redact.text(method), *count)).collect();
        session.protocol.iter_mut().for_each(text);
        session.troubles.iter_mut().for_each(text);
        text(&mut session.ended);
    }
    evidence.differs.iter_mut().chain(&mut evidence.varies).filter_map(|differs| differs.item.as_mut()).for_each(text);
    for answer in &mut evidence.http {
        answer.issuer.iter_mut().for_each(text);
        text(&mut answer.url);
        answer.headers.values_mut().for_each(text);
        answer.body.iter_mut().for_each(|raw| *raw = redact.json(raw));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn redact(secrets: &[&'static str]) -> Redact {
        Redact::new(Masker::new(secrets.iter().copied(), [], |_| Vec::new()))
    }

    #[test]
    fn secrets_are_taken_out_however_they_are_escaped() {
        let redact = redact(&["s3cr\"et-value", "tool", "47114711"]);
        for (json, want) in [
            (r#"{"a": "x", "n": 1.0}"#, r#"{"a": "x", "n": 1.0}"#),
            (r#"{"a":  "the s3cr\"et-value here"}"#, r#"{"a":  "the s3…(13 chars) here"}"#),
            (r#"["\u0073\u0033cr\"et-value"]"#, r#"["s3…(13 chars)"]"#),
            (r#"["{\"a\":\"s3cr\\\"et-value\"}"]"#, r#"["{\"a\":\"s3…(14 chars)\"}"]"#),
            (r#"{"n": 47114711, "m":[1,47114711]}"#, r#"{"n": "4…(8 chars)", "m":[1,"4…(8 chars)"]}"#),
            (r#"{"n": 47114711.5}"#, r#"{"n": "4…(10 chars)"}"#),
            // A word of the protocol stays, as a key.
            (r#"{"tools" : ["tools"], "toolbox": 1}"#, r#"{"tools" : ["…(4 chars)s"], "…(4 chars)box": 1}"#),
        ] {
            let raw = RawValue::from_string(json.to_owned()).unwrap();
            let got = redact.json(&raw);
            assert!(serde_json::from_str::<serde_json::Value>(got.get()).is_ok(), "{got}");
            assert_eq!(got.get(), want);
        }
    }

    #[test]
    fn a_folder_is_called_otherwise() {
        let redact = redact(&[]).renaming("/tmp/x1".to_owned(), "/fetched");
        assert_eq!(redact.text("node /tmp/x1/a.js"), "node /fetched/a.js");
    }

    #[test]
    fn many_secrets_cost_no_more_than_their_number() {
        let tokens: Vec<String> = (0..4000).map(|n| format!("tide_{n:04}Q7k{:04}Zx", 9999 - n)).collect();
        let text = serde_json::to_string(&tokens).unwrap();
        let redact = Redact::new(Masker::new(tokens.iter().map(String::as_str), [], |_| Vec::new()));
        let started = std::time::Instant::now();
        let clean = redact.json(&RawValue::from_string(text).unwrap());
        assert!(!clean.get().contains("Q7k") && started.elapsed().as_secs() < 5, "{:?}", started.elapsed());
    }
}
