//! Credentials inside addresses and connection strings.

use super::name::NameSays;
use super::{Kind, Lexicon, Part, Place, Why, name_says, part, reference, shape};
use crate::prelude::*;
use crate::text::is_server_address;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD_NO_PAD;

/// Collects the credentials in every address and connection string of `value`. With `paths`, a generated segment of a path is
/// one: the address of a hosted server is often the key to it, while the address of a document names the document.
pub(super) fn collect(lexicon: &Lexicon, value: &str, paths: bool, base: usize, out: &mut Vec<Part>) {
    let mut at = 0;
    while let Some(found) = value.get(at..).and_then(|rest| rest.find("://")) {
        let separator = at + found;
        let scheme_start = value.get(..separator).map_or(0, |head| {
            head.rfind(|c: char| !(c.is_ascii_alphanumeric() || "+.-".contains(c)))
                .map_or(0, |i| i + head.get(i..).and_then(|s| s.chars().next()).map_or(1, char::len_utf8))
        });
        let rest = value.get(separator + 3..).unwrap_or_default();
        let end = separator + 3 + rest.find([' ', '"', '\'', '\n', '|', '>', ';']).unwrap_or(rest.len());
        let scheme = value.get(scheme_start..separator).unwrap_or_default();
        address(lexicon, scheme, value, separator + 3..end, paths, base, out);
        at = end.max(separator + 3);
    }
    key_values(lexicon, value, base, out);
}

/// Is a generated part of this address's path the key to what it leads to? So it is for tool servers and for hooks that
/// anybody may post to who knows the address.
pub(super) fn is_capability(name: &str, address: &str) -> bool {
    let hooks = |text: &str| text.to_ascii_lowercase().contains("hook");
    is_server_address(address) || (address.contains("://") && (hooks(name) || hooks(address)))
}

/// One address: `text[range]` is what follows `://`.
fn address(
    lexicon: &Lexicon,
    scheme: &str,
    text: &str,
    range: core::ops::Range<usize>,
    paths: bool,
    base: usize,
    out: &mut Vec<Part>,
) {
    let Some(rest) = text.get(range.clone()) else { return };
    let scheme = scheme.to_ascii_lowercase();
    let web = matches!(scheme.strip_prefix("git+").unwrap_or(&scheme), "http" | "https" | "ws" | "wss");
    let authority_end = rest.find(['/', '?', '#']).unwrap_or(rest.len());
    // A password may itself hold a slash: with an `@` further on and no dot before the slash, the authority goes on.
    let authority_end = match rest.rfind('@') {
        Some(sign)
            if sign > authority_end
                && !web
                && rest.get(..authority_end).is_some_and(|a| a.contains(':') && !a.contains('.')) =>
        {
            rest.get(sign..).and_then(|tail| tail.find(['/', '?', '#'])).map_or(rest.len(), |n| sign + n)
        }
        _ => authority_end,
    };
    let authority = rest.get(..authority_end).unwrap_or_default();
    if let Some((login, host)) = authority.rsplit_once('@') {
        if let Some((user, password)) = login.split_once(':') {
            let start = range.start + user.len() + 1;
            password_part(lexicon, (user, password), host, base + start, web, out);
        } else if web && lexicon.is_random(login) && !is_reporting(login, rest.get(authority_end..).unwrap_or_default())
        {
            // `https://TOKEN@host`: the user name is the token.
            out.push(Part {
                place: Some(Place::Url),
                ..part(base + range.start..base + range.start + login.len(), Kind::Plaintext, Why::Password)
            });
        }
    }
    if let Some(query) = rest.find(['?', '#']) {
        query_parts(lexicon, rest, query + 1, web, base + range.start, out);
    }
    if web && paths {
        path_parts(lexicon, rest, authority_end, base + range.start, out);
    }
}

/// An address to which a program reports its errors: the key in it is public, so that every copy of the program can have it, and the path is the number of a
/// project.
fn is_reporting(login: &str, path: &str) -> bool {
    let number = path.trim_matches('/').rsplit('/').next().unwrap_or_default();
    login.len() == 32 && shape::is_hex(login) && !number.is_empty() && number.bytes().all(|byte| byte.is_ascii_digit())
}

fn password_part(
    lexicon: &Lexicon,
    (user, password): (&str, &str),
    host: &str,
    at: usize,
    web: bool,
    out: &mut Vec<Part>,
) {
    if password.is_empty() {
        return;
    }
    let trivial = shape::is_trivial(password);
    // `user:password@host` is how every manual writes it.
    let manual = reference::names_itself(user) && reference::names_itself(password);
    let local = host.starts_with("localhost")
        || host.starts_with("127.")
        || host.starts_with("[::1]")
        || host.starts_with("host.docker.internal");
    let kind = if !reference::references(password).is_empty() {
        Kind::Reference
    } else if manual || (trivial && local) || (!trivial && lexicon.is_placeholder(password)) {
        Kind::Placeholder
    } else {
        Kind::Plaintext
    };
    let place = if web { Place::Url } else { Place::ConnectionString };
    out.push(Part { trivial, place: Some(place), ..part(at..at + password.len(), kind, Why::Password) });
}

/// `?api_key=…&token=…`
fn query_parts(lexicon: &Lexicon, rest: &str, from: usize, web: bool, base: usize, out: &mut Vec<Part>) {
    let place = if web { Place::Url } else { Place::ConnectionString };
    let mut at = from;
    let query = rest.get(from..).unwrap_or_default();
    for pair in query.split(['&', '#']) {
        if let Some((name, value)) = pair.split_once('=') {
            let start = base + at + name.len() + 1;
            if let Some(kind) = packed(lexicon, value) {
                if kind == Kind::Plaintext {
                    out.push(Part { place: Some(place), ..part(start..start + value.len(), kind, Why::Password) });
                }
                at += pair.len() + 1;
                continue;
            }
            let says = match lexicon.says(name) {
                // In an address even `key`, `sig`, `code` alone name a credential, unless it is a word.
                NameSays::Perhaps if is_key(lexicon, name, value) => NameSays::Secret,
                NameSays::Nothing
                    if matches!(name, "sig" | "code" | "k" | "auth" | "access") && lexicon.is_random(value) =>
                {
                    NameSays::Secret
                }
                other => other,
            };
            if says >= NameSays::Secret && !value.is_empty() && !shape::is_plain_setting(value) {
                let kind = if !reference::references(value).is_empty() {
                    Kind::Reference
                } else if lexicon.is_placeholder(value) {
                    Kind::Placeholder
                } else {
                    Kind::Plaintext
                };
                if kind != Kind::Plaintext || value.len() >= 6 {
                    out.push(Part { place: Some(place), ..part(start..start + value.len(), kind, Why::Name(says)) });
                }
            }
        }
        at += pair.len() + 1;
    }
}

/// What settings are that an address carries in base64, where it does: a secret, if one of them is.
fn packed(lexicon: &Lexicon, value: &str) -> Option<Kind> {
    const MAX_PACKED_BYTES: usize = 16 << 10;
    // `{"` begins so.
    if !value.starts_with("eyJ") || value.len() > MAX_PACKED_BYTES || value.contains('.') {
        return None;
    }
    let plain: String =
        value.replace("%3D", "=").replace("%2B", "+").replace("%2F", "/").replace(['-'], "+").replace('_', "/");
    let bytes = STANDARD_NO_PAD.decode(plain.trim_end_matches('=')).ok()?;
    let settings: serde_json::Value = serde_json::from_slice(&bytes).ok()?;
    settings.is_object().then(|| if holds_secret(lexicon, "", &settings, 0) { Kind::Plaintext } else { Kind::Public })
}

fn holds_secret(lexicon: &Lexicon, name: &str, value: &serde_json::Value, depth: usize) -> bool {
    const MAX_DEPTH: usize = 8;
    match value {
        serde_json::Value::String(text) => {
            lexicon.judge(name, Place::Setting, text).iter().any(|part| part.kind == Kind::Plaintext)
        }
        serde_json::Value::Array(items) if depth < MAX_DEPTH => {
            items.iter().any(|item| holds_secret(lexicon, name, item, depth + 1))
        }
        serde_json::Value::Object(members) if depth < MAX_DEPTH => {
            members.iter().any(|(name, value)| holds_secret(lexicon, name, value, depth + 1))
        }
        _ => false,
    }
}

/// Is the value of a parameter whose name only hints at a secret one? A word or a number is none.
fn is_key(lexicon: &Lexicon, name: &str, value: &str) -> bool {
    if shape::is_uuid(value) {
        // `session=UUID` names a session; `key=UUID` is how hosted servers hand out addresses.
        return ["key", "auth", "sig"].iter().any(|word| name.to_ascii_lowercase().contains(word));
    }
    let digits = value.bytes().any(|b| b.is_ascii_digit());
    let unlike_words = value.len() >= 12 && lexicon.words.coverage(value) < 0.4;
    !shape::is_no_secret(value) && (lexicon.is_random(value) || (digits && value.len() >= 8) || unlike_words)
}

/// A path segment that looks generated is the key of a hosted server, unless the segment before says it is an identifier.
fn path_parts(lexicon: &Lexicon, rest: &str, from: usize, base: usize, out: &mut Vec<Part>) {
    let end = rest.find(['?', '#']).unwrap_or(rest.len());
    let served = format!("://{rest}");
    let mut at = from;
    let mut before = "";
    for segment in rest.get(from..end).unwrap_or_default().split('/') {
        const OBJECTS: &[&str] = &[
            "project",
            "team",
            "org",
            "workspace",
            "tenant",
            "account",
            "commit",
            "file",
            "blob",
            "tree",
            "asset",
            "raw",
            "database",
            "notebook",
            "spreadsheet",
            "document",
            "resource",
            "user",
        ];
        let begins = |word: &&str| before.get(..word.len()).is_some_and(|before| before.eq_ignore_ascii_case(word));
        let names_an_object = || OBJECTS.iter().any(begins);
        // Forty or sixty-four hexadecimal digits are a commit or a digest, except where a server answers.
        let hash = shape::is_hex(segment) && matches!(segment.len(), 40 | 64) && !is_server_address(&served);
        let looks_random = segment.len() >= 16 && lexicon.is_random(segment) && !hash
            || shape::is_uuid(segment) && served.to_ascii_lowercase().contains("hook");
        if looks_random && !names_an_object() {
            let start = base + at;
            out.push(Part {
                place: Some(Place::Url),
                ..part(start..start + segment.len(), Kind::Plaintext, Why::Random)
            });
        } else if !reference::references(segment).is_empty()
            && name_says(segment.trim_matches(['$', '{', '}', '%'])) >= NameSays::Secret
        {
            let start = base + at;
            out.push(Part {
                place: Some(Place::Url),
                ..part(start..start + segment.len(), Kind::Reference, Why::Name(NameSays::Secret))
            });
        }
        before = segment;
        at += segment.len() + 1;
    }
}

/// Key-value connection strings: `Server=h;User=u;Password=p`, `host=h password=p`, `AccountKey=…`.
fn key_values(lexicon: &Lexicon, value: &str, base: usize, out: &mut Vec<Part>) {
    let separator = if value.contains(';') { ';' } else { ' ' };
    let pairs = value.split(separator).filter(|pair| pair.contains('=')).count();
    if pairs < 2 || (separator == ' ' && value.contains("://")) {
        return;
    }
    let mut at = 0;
    for pair in value.split(separator) {
        if let Some((name, secret)) = pair.split_once('=') {
            let key = name.trim().to_ascii_lowercase().replace(' ', "");
            let names_secret = [
                "password",
                "pwd",
                "accountkey",
                "sharedaccesskey",
                "sharedaccesssignature",
                "secret",
                "accesskey",
                "apikey",
                "token",
            ]
            .contains(&key.as_str());
            if names_secret && !secret.trim().is_empty() {
                let start = base + at + name.len() + 1;
                let trivial = shape::is_trivial(secret);
                let kind = if !reference::references(secret).is_empty() {
                    Kind::Reference
                } else if !trivial && lexicon.is_placeholder(secret) {
                    Kind::Placeholder
                } else {
                    Kind::Plaintext
                };
                out.push(Part {
                    trivial,
                    place: Some(Place::ConnectionString),
                    ..part(start..start + secret.len(), kind, Why::ConnectionKey)
                });
            }
        }
        at += pair.len() + separator.len_utf8();
    }
}
