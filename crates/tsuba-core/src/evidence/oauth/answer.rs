//! What a capture was answered over HTTP.

use super::fields::Fields;
use crate::prelude::*;
use crate::text::Located;

/// The questions that a capture asks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Ask {
    /// A call without a token.
    NoToken,
    /// A call with a token that no issuer has issued.
    WrongToken,
    /// A call with a foreign `Origin`.
    ForeignOrigin,
    /// A call with a foreign `Host`.
    ForeignHost,
    /// A `GET` of the server's address.
    Get,
    /// A call with TLS of an address that is written without.
    OverTls,
    /// Metadata of the protected resource.
    ResourceMetadata,
    /// Metadata of the authorization server.
    ServerMetadata,
    /// The key set.
    Keys,
    /// The registration endpoint, with an empty body that can register nothing.
    Registration,
    /// What the introspection endpoint says of the token in use (RFC 7662).
    Introspection,
}

impl Ask {
    /// Every question with its name in evidence files.
    pub const ALL: [(Self, &'static str); 11] = [
        (Self::NoToken, "no-token"),
        (Self::WrongToken, "wrong-token"),
        (Self::ForeignOrigin, "foreign-origin"),
        (Self::ForeignHost, "foreign-host"),
        (Self::Get, "get"),
        (Self::OverTls, "over-tls"),
        (Self::ResourceMetadata, "resource-metadata"),
        (Self::ServerMetadata, "server-metadata"),
        (Self::Keys, "keys"),
        (Self::Registration, "registration"),
        (Self::Introspection, "introspection"),
    ];
}

/// What a call with status 200 was answered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Answered {
    /// What was asked for.
    Result,
    /// That it cannot be had without a login, although the status says otherwise.
    Refusal,
    /// A page for people.
    Page,
    /// Another error.
    Error,
    /// Something else.
    Other,
}

impl Answered {
    /// Each with its name in evidence files.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Result, "result"),
        (Self::Refusal, "refusal"),
        (Self::Page, "page"),
        (Self::Error, "error"),
        (Self::Other, "other"),
    ];
}

/// An answer.
#[derive(Clone, Debug)]
pub struct Answer {
    /// What was asked.
    pub ask: Ask,
    /// The whole of it.
    pub start: Located,
    /// The address that was asked.
    pub url: Option<Located>,
    /// The issuer whose metadata were asked for.
    pub issuer: Option<Located>,
    /// The status, where there was an answer at all.
    pub status: Option<Located>,
    /// `WWW-Authenticate`.
    pub challenge: Option<Located>,
    /// `Location`: where a redirect leads.
    pub location: Option<Located>,
    /// What a call was answered, where that was looked at.
    pub answered: Option<Answered>,
    /// The address that an older server's event stream names for messages (protocol 2024-11-05, HTTP with SSE).
    pub endpoint: Option<Located>,
    /// `Access-Control-Allow-Origin`.
    pub allowed_origin: Option<Located>,
    /// `Access-Control-Allow-Credentials`.
    pub allows_credentials: bool,
    /// Is it a page for people, by its `Content-Type`?
    pub page: bool,
}

impl Answer {
    pub(super) fn read(fields: &Fields<'_>) -> Option<Self> {
        let name = fields.text("ask")?;
        let (ask, _) = Ask::ALL.into_iter().find(|(_, known)| *known == name.text)?;
        let status = fields.node.get("status").and_then(|node| node.located(fields.pointer.key("status")));
        let headers = fields.node.get("headers");
        let header = |wanted: &str| {
            let pointer = fields.pointer.key("headers");
            let members = headers?.members();
            let member = members.iter().find(|member| member.key.text.eq_ignore_ascii_case(wanted))?;
            member.value.located(pointer.key(&member.key.text))
        };
        let answered = fields.text("answered");
        let answered = answered.and_then(|told| Answered::ALL.into_iter().find(|(_, name)| *name == told.text));
        Some(Self {
            ask,
            start: name,
            url: fields.text("url"),
            issuer: fields.text("issuer"),
            status,
            challenge: header("www-authenticate"),
            location: header("location"),
            answered: answered.map(|(answered, _)| answered),
            endpoint: fields.text("endpoint"),
            allowed_origin: header("access-control-allow-origin"),
            allows_credentials: header("access-control-allow-credentials").is_some_and(|told| told.text == "true"),
            page: header("content-type").is_some_and(|kind| kind.text.to_ascii_lowercase().contains("html")),
        })
    }

    /// The status as a number; 0 where there was no answer.
    pub fn status(&self) -> u16 {
        self.status.as_ref().and_then(|status| status.text.parse().ok()).unwrap_or(0)
    }

    /// Is it a redirect?
    pub fn leads_on(&self) -> bool {
        matches!(self.status(), 301 | 302 | 303 | 307 | 308)
    }

    /// Is its challenge written as challenges are (RFC 9110, 11.6.1)? `None` where there is none.
    pub fn is_well_formed(&self) -> Option<bool> {
        let challenge = self.challenge.as_ref()?.text.trim();
        // A list of none is well-formed, and says nothing.
        Some(challenge.is_empty() || http_auth::parse_challenges(challenge).is_ok())
    }

    /// A parameter of the challenge, without its quotes (RFC 9110, 11.6.1). What is not well-formed is read as far as it goes.
    pub fn parameter(&self, name: &str) -> Option<String> {
        let challenge = self.challenge.as_ref()?.text.as_str();
        if let Ok(challenges) = http_auth::parse_challenges(challenge) {
            let mut all = challenges.iter().flat_map(|challenge| &challenge.params);
            return all.find(|(known, _)| known.eq_ignore_ascii_case(name)).map(|(_, value)| value.to_unescaped());
        }
        parameters(challenge).find(|(known, _)| known.eq_ignore_ascii_case(name)).map(|(_, value)| value)
    }
}

/// The parameters of challenges: `name=value` and `name="value"`, at commas and blanks.
fn parameters(challenge: &str) -> impl Iterator<Item = (&str, String)> {
    let mut rest = challenge;
    core::iter::from_fn(move || {
        loop {
            let (before, after) = rest.split_once('=')?;
            let name = before.rsplit([' ', ',', '\t', '"']).next().unwrap_or(before);
            let (value, left) = match after.strip_prefix('"') {
                Some(quoted) => unquoted(quoted),
                None => {
                    let end = after.find([',', ' ', '\t']).unwrap_or(after.len());
                    (after.get(..end).unwrap_or_default().to_owned(), after.get(end..).unwrap_or_default())
                }
            };
            rest = left;
            if !name.is_empty() {
                return Some((name, value));
            }
        }
    })
}

/// A quoted string up to its end, and what follows it (RFC 9110, 5.6.4).
fn unquoted(quoted: &str) -> (String, &str) {
    let (mut value, mut escaped) = (String::new(), false);
    for (at, c) in quoted.char_indices() {
        match c {
            '\\' if !escaped => escaped = true,
            '"' if !escaped => return (value, quoted.get(at + 1..).unwrap_or_default()),
            c => {
                value.push(c);
                escaped = false;
            }
        }
    }
    (value, "")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn parameters_of_a_challenge_are_read() {
        for (challenge, want) in [
            ("Bearer", vec![]),
            (
                r#"Bearer resource_metadata="https://tide.example/m", scope="a b""#,
                vec![("resource_metadata", "https://tide.example/m"), ("scope", "a b")],
            ),
            (
                r#"Bearer realm="say \"ho\"",error=invalid_token"#,
                vec![("realm", "say \"ho\""), ("error", "invalid_token")],
            ),
            ("DPoP algs=\"ES256\" , Bearer scope=tides", vec![("algs", "ES256"), ("scope", "tides")]),
            (r#"Bearer scope="never closed"#, vec![("scope", "never closed")]),
            ("Basic dGlkZTp0aWRl====", vec![("dGlkZTp0aWRl", "===")]),
        ] {
            let read: Vec<(&str, String)> = parameters(challenge).collect();
            let read: Vec<(&str, &str)> = read.iter().map(|(name, value)| (*name, value.as_str())).collect();
            assert_eq!(read, want, "{challenge}");
        }
    }

    #[test]
    fn challenges_are_written_as_the_grammar_has_it() {
        for (challenge, want, scope) in [
            ("Bearer", true, None),
            (r#"Bearer realm="a", scope="tides.read""#, true, Some("tides.read")),
            (r#"DPoP algs="ES256", Bearer scope="a\"b""#, true, Some("a\"b")),
            ("Bearer scope=a", true, Some("a")),
            (r#"Bearer scope="a"#, false, Some("a")),
            (r#"Bearer scope="a" error="b""#, false, Some("a")),
            (r#"Bearer "a""#, false, None),
            (r#"scope="a""#, false, Some("a")),
            ("Bearer resource_metadata=https://tide.example/m", false, None),
        ] {
            let answer = Answer {
                ask: Ask::NoToken,
                start: Located::default(),
                url: None,
                issuer: None,
                status: None,
                challenge: Some(Located { text: challenge.into(), ..Located::default() }),
                location: None,
                answered: None,
                endpoint: None,
                allowed_origin: None,
                allows_credentials: false,
                page: false,
            };
            assert_eq!(
                (answer.is_well_formed(), answer.parameter("scope").as_deref()),
                (Some(want), scope),
                "{challenge}"
            );
        }
    }

    proptest! {
        #[test]
        fn any_challenge_is_read_to_its_end(challenge in r#"[a-z=", \\]{0,60}"#) {
            prop_assert!(parameters(&challenge).count() <= challenge.len());
        }
    }
}
