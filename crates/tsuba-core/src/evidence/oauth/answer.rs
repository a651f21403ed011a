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

/// An answer.
#[derive(Clone, Debug)]
pub struct Answer {
    /// What was asked.
    pub ask: Ask,
    /// The whole of it.
    pub start: Located,
    /// The address that was asked.
    pub url: Option<Located>,
    /// The status, where there was an answer at all.
    pub status: Option<Located>,
    /// `WWW-Authenticate`.
    pub challenge: Option<Located>,
    /// `Location`: where a redirect leads.
    pub location: Option<Located>,
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
        Some(Self {
            ask,
            start: name,
            url: fields.text("url"),
            status,
            challenge: header("www-authenticate"),
            location: header("location"),
        })
    }

    /// The status as a number; 0 where there was no answer.
    pub fn status(&self) -> u16 {
        self.status.as_ref().and_then(|status| status.text.parse().ok()).unwrap_or(0)
    }

    /// A parameter of the challenge, without its quotes (RFC 9110, 11.6.1).
    pub fn parameter(&self, name: &str) -> Option<String> {
        let challenge = self.challenge.as_ref()?.text.as_str();
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

    proptest! {
        #[test]
        fn any_challenge_is_read_to_its_end(challenge in r#"[a-z=", \\]{0,60}"#) {
            prop_assert!(parameters(&challenge).count() <= challenge.len());
        }
    }
}
