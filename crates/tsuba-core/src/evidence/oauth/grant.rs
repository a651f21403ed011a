//! What was granted: an introspection answer (RFC 7662, 2.2), a token response (RFC 6749, 5.1), the claims of a token in use, or a row
//! of a list of grants as consoles export it.

use super::fields::Fields;
use crate::prelude::*;
use crate::read::{Node, Value};
use crate::text::{Located, Pointer, normal};
use jiff::Timestamp;
use jiff::civil::{Date, DateTime};

/// Where a grant is told.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum GrantSource {
    /// By an authorization server that was asked about the token (RFC 7662).
    Introspection,
    /// By the answer with which the token was issued (RFC 6749, 5.1).
    Response,
    /// By the token itself (RFC 9068).
    Claims,
    /// By a list of grants.
    List,
}

/// An end or a moment, as far as it is told.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum When {
    /// Nothing is said of it.
    #[default]
    Unsaid,
    /// It is said that there is none.
    Never(Located),
    /// It is said in a form that is not understood.
    Unclear,
    /// Seconds since 1970.
    At(i64, Located),
}

impl When {
    /// The moment, in seconds since 1970.
    pub fn seconds(&self) -> Option<i64> {
        match self {
            Self::At(seconds, _) => Some(*seconds),
            Self::Unsaid | Self::Unclear | Self::Never(_) => None,
        }
    }
}

/// A grant.
#[derive(Clone, Debug)]
pub struct Grant {
    /// Who tells it.
    pub source: GrantSource,
    /// The whole of it.
    pub start: Located,
    /// Where the scopes stand; the whole where there are none.
    pub at: Located,
    /// What was granted.
    pub scopes: Vec<String>,
    /// Whom it is meant for; `None` where nothing is said of it.
    pub audience: Option<Vec<Located>>,
    /// Who issued it (`iss`).
    pub issuer: Option<Located>,
    /// Moments are written in milliseconds, where seconds are meant (RFC 7519, 2).
    pub in_milliseconds: bool,
    /// The program that it was granted to, or the server that it opens, by their names and addresses.
    pub names: Vec<Located>,
    /// When it was granted.
    pub issued: When,
    /// When it ends.
    pub expires: When,
    /// When it was last used.
    pub used: When,
}

const SCOPES: &[&str] = &["grantedscopes", "permissions", "scope", "scopes", "scopesgranted", "scp"];
const PROGRAMS: &[&str] = &[
    "app",
    "appid",
    "application",
    "applicationid",
    "applicationname",
    "appname",
    "client",
    "clientid",
    "clientname",
    "connector",
    "displaytext",
    "integration",
    "oauthclient",
];
const SERVERS: &[&str] = &["aud", "audience", "mcpserver", "resource", "resourceserver", "server", "toolserver"];
const HOLDERS: &[&str] = &[
    "account",
    "email",
    "grantedby",
    "grantee",
    "holder",
    "owner",
    "person",
    "principal",
    "sub",
    "subject",
    "user",
    "useremail",
    "userid",
    "userkey",
    "username",
];
const ISSUED: &[&str] = &[
    "authorized",
    "authorizedat",
    "consentedat",
    "created",
    "createdat",
    "granted",
    "grantedat",
    "grantedon",
    "iat",
    "issued",
    "issuedat",
];
const EXPIRES: &[&str] =
    &["exp", "expiration", "expires", "expiresat", "expireson", "expiry", "expirydate", "validuntil"];
const USED: &[&str] = &[
    "lastaccess",
    "lastaccessed",
    "lastactivity",
    "lastseen",
    "lastused",
    "lastusedat",
    "lastuse",
    "lastuseddate",
    "usedat",
];

/// More seconds than this would be after the year 5000: milliseconds.
const MILLISECONDS: i64 = 100_000_000_000;

/// What stands in a list for no moment at all.
const NEVER: &[&str] = &["-", "0", "n/a", "never", "no expiration", "no expiry", "none", "null", "unlimited"];

impl Grant {
    /// Reads an introspection answer or a token response; tokens in it go to `secrets`.
    pub(super) fn read(fields: &Fields<'_>, asked: bool, secrets: &mut Vec<(String, Located)>) -> Option<Self> {
        let known = fields.has("client_id") || fields.has("token_type");
        let active = fields.node.get("active").filter(|node| matches!(node.value, Value::Bool(_)));
        let says = ["scope", "exp", "sub", "aud"].iter().any(|key| fields.has(key));
        if active.is_some_and(|node| node.truth() == Some(true)) && ((known && says) || asked) {
            return Some(Self::of(fields, GrantSource::Introspection));
        }
        if fields.text("access_token").is_some_and(|token| token.text.len() >= 8) && fields.text("token_type").is_some()
        {
            for key in ["access_token", "refresh_token", "id_token"] {
                secrets.extend(
                    fields.text(key).filter(|token| token.text.len() >= 8).map(|token| (key.to_owned(), token)),
                );
            }
            let mut grant = Self::of(fields, GrantSource::Response);
            // It says for how long, counted from a moment that nobody wrote down.
            grant.expires = When::Unsaid;
            return Some(grant);
        }
        None
    }

    /// The claims of a token, as a capture notes them.
    pub(super) fn of_claims(fields: &Fields<'_>) -> Self {
        let mut grant = Self::of(fields, GrantSource::Claims);
        // A token says all of itself: what is not there is not so.
        if grant.expires == When::Unsaid {
            grant.expires = When::Never(grant.start.clone());
        }
        grant.audience.get_or_insert_default();
        grant
    }

    /// Reads a row of a list of grants: scopes, whom they were granted to or what they open, and by whom or when.
    pub(super) fn of_row(fields: &Fields<'_>) -> Option<Self> {
        let has = |names: &[&str]| fields.node.members().iter().any(|member| is(names, &member.key.text));
        let named = has(PROGRAMS) || has(SERVERS);
        (has(SCOPES) && named && (has(HOLDERS) || has(ISSUED) || has(EXPIRES) || has(USED)))
            .then(|| Self::of(fields, GrantSource::List))
            .filter(|grant| !grant.scopes.is_empty())
    }

    fn of(fields: &Fields<'_>, source: GrantSource) -> Self {
        let mut grant = Self {
            source,
            start: fields.start(),
            at: fields.start(),
            scopes: Vec::new(),
            audience: None,
            issuer: None,
            in_milliseconds: false,
            names: Vec::new(),
            issued: When::Unsaid,
            expires: When::Unsaid,
            used: When::Unsaid,
        };
        for member in fields.node.effective() {
            let (key, node) = (member.key.text.as_str(), &member.value);
            let pointer = fields.pointer.key(key);
            let texts = || {
                let items = node.items().iter().enumerate().filter_map(|(i, item)| item.located(pointer.index(i)));
                node.located(pointer.clone()).into_iter().chain(items)
            };
            // What a token may do is said by its roles, too; in a list such a column says what a person is.
            let roles = source != GrantSource::List && super::token::grants(key);
            if roles && !is(SCOPES, key) {
                let mut found = Vec::new();
                gather(node, 0, &mut found);
                if grant.scopes.is_empty() && !found.is_empty() {
                    grant.at = Located { text: String::new(), span: node.span, pointer };
                }
                grant.scopes.extend(found);
            } else if is(SCOPES, key) {
                let scopes: Vec<String> = texts().flat_map(|text| listed(&text.text).collect::<Vec<_>>()).collect();
                if !scopes.is_empty() && (grant.scopes.is_empty() || source != GrantSource::List) {
                    grant.at = Located { text: String::new(), span: node.span, pointer };
                    grant.scopes.extend(scopes);
                }
            } else if is(SERVERS, key) {
                grant.audience.get_or_insert_default().extend(texts());
                grant.names.extend(texts());
            } else if is(PROGRAMS, key) {
                let name = node.first(&["name", "id"]).and_then(|(below, name)| name.located(pointer.key(below)));
                grant.names.extend(texts().chain(name));
            } else if key == "iss" {
                grant.issuer = node.located(pointer.clone());
            } else if is(ISSUED, key) {
                grant.issued = when(node, &pointer);
            } else if is(EXPIRES, key) {
                grant.expires = when(node, &pointer);
                let number = node.scalar().and_then(|text| text.parse::<i64>().ok());
                grant.in_milliseconds = source != GrantSource::List && number.is_some_and(|at| at > MILLISECONDS);
            } else if is(USED, key) {
                grant.used = when(node, &pointer);
            }
        }
        grant
    }
}

/// Roles nest at most this deep.
const MAX_ROLES: usize = 4;

/// The texts of a value and of what it holds.
fn gather(node: &Node, depth: usize, out: &mut Vec<String>) {
    out.extend(node.text().filter(|text| !text.is_empty()).map(ToOwned::to_owned));
    if depth < MAX_ROLES {
        node.items().iter().for_each(|item| gather(item, depth + 1, out));
        node.effective().for_each(|member| gather(&member.value, depth + 1, out));
    }
}

/// Is this the first line of a table of grants?
pub(super) fn is_header(line: &str) -> bool {
    let columns = || line.split([',', ';', '\t']);
    let has = |names: &[&str]| columns().any(|column| is(names, column));
    columns().count() > 2 && has(SCOPES) && (has(PROGRAMS) || has(SERVERS))
}

/// Is a key one of these, whatever its dress?
fn is(names: &[&str], key: &str) -> bool {
    let plain = normal(key);
    names.contains(&plain.as_str())
}

/// The scopes of a cell: divided by blanks, commas, semicolons or bars.
fn listed(text: &str) -> impl Iterator<Item = String> {
    text.split([' ', ',', ';', '|', '\n', '\r', '\t']).filter(|scope| !scope.is_empty()).map(ToOwned::to_owned)
}

/// A moment: seconds or milliseconds since 1970, a date, a timestamp.
fn when(node: &Node, pointer: &Pointer) -> When {
    if node.value == Value::Null {
        return When::Never(Located { text: String::new(), span: node.span, pointer: pointer.clone() });
    }
    let Some(at) = node.located(pointer.clone()) else { return When::Unclear };
    let text = at.text.trim();
    if NEVER.contains(&text.to_ascii_lowercase().as_str()) {
        return When::Never(at);
    }
    let number = text.parse::<i64>().ok().or_else(|| match node.value {
        Value::Number(_) => text.parse::<f64>().ok().map(|number| number as i64),
        _ => None,
    });
    let number = number.map(|number| if number > MILLISECONDS { number / 1000 } else { number });
    let utc = |moment: DateTime| jiff::tz::TimeZone::UTC.to_timestamp(moment).ok().map(|moment| moment.as_second());
    let message = number
        .or_else(|| text.parse::<Timestamp>().ok().map(Timestamp::as_second))
        .or_else(|| text.parse::<DateTime>().ok().and_then(utc))
        .or_else(|| text.parse::<Date>().ok().and_then(|date| utc(date.at(0, 0, 0, 0))));
    message.map_or(When::Unclear, |seconds| When::At(seconds, at))
}

#[cfg(test)]
mod tests {
    use super::super::oauth_documents;
    use super::*;
    use crate::read::{Input, read};

    fn grants(path: &str, text: &str) -> Vec<Grant> {
        oauth_documents(&read(Input { path: path.into(), bytes: text.into(), ..Input::default() }).unwrap()).grants
    }

    #[test]
    fn grants_are_known_by_their_shape() {
        for (path, text, want) in [
            (
                "x.json",
                r#"{"active": true, "client_id": "desk", "scope": "tides.read crew.write"}"#,
                "tides.read crew.write",
            ),
            (
                "x.json",
                r#"{"access_token": "q8ZkXv2LmPw0", "token_type": "Bearer", "scope": "tides.read"}"#,
                "tides.read",
            ),
            ("x.json", r#"[{"app": "tide-table", "user": "mira", "scopes": ["a", "b"]}]"#, "a b"),
            ("x.json", r#"{"grants": [{"clientId": "d", "scope": "a b", "created_at": "2026-01-02"}]}"#, "a b"),
            ("g.csv", "User,Application Name,Scopes\nmira,tide-table,a b\n", "a b"),
            ("g.csv", "server;granted at;scope\ntide;2026-01-02;\"a, b\"\n", "a b"),
            // Look-alikes.
            ("x.json", r#"{"active": false, "client_id": "desk", "scope": "tides.read"}"#, ""),
            ("x.json", r#"{"active": true, "scope": "global", "name": "x"}"#, ""),
            ("x.json", r#"[{"name": "comment", "scope": ["source.js"]}]"#, ""),
            ("x.json", r#"{"app": "tide-table", "user": "mira", "scopes": ["a"]}"#, ""),
            ("x.json", r#"[{"app": "tide-table", "user": "mira", "scopes": []}]"#, ""),
            ("g.csv", "user,scope\nmira,tides\n", ""),
            ("g.csv", "app,scope\ntide,tides\n", ""),
        ] {
            let found = grants(path, text);
            let scopes: Vec<&str> = found.iter().flat_map(|grant| &grant.scopes).map(String::as_str).collect();
            assert_eq!(scopes.join(" "), want, "{text}");
        }
    }

    #[test]
    fn moments_are_read_in_the_forms_in_use() {
        for (text, want) in [
            ("1795478400", Some(1_795_478_400)),
            ("1795478400000", Some(1_795_478_400)),
            ("2026-11-24", Some(1_795_478_400)),
            ("2026-11-24T00:00:00Z", Some(1_795_478_400)),
            ("2026-11-24 00:00:00", Some(1_795_478_400)),
            ("2026-11-24T02:00:00+02:00", Some(1_795_478_400)),
            ("yesterday", None),
        ] {
            let table = format!("app,user,scope,expires\ntide,mira,a,{text}\n");
            assert_eq!(grants("g.csv", &table)[0].expires.seconds(), want, "{text}");
        }
        let table = "app,user,scope,expires,last used\ntide,mira,a,Never,\n";
        assert!(matches!(grants("g.csv", table)[0], Grant { expires: When::Never(_), used: When::Never(_), .. }));
        let table = "app,user,scope\ntide,mira,a\n";
        assert!(matches!(grants("g.csv", table)[0], Grant { expires: When::Unsaid, used: When::Unsaid, .. }));
    }
}
