//! What a scope lets its holder do (RFC 6749, 3.3): its level of access and what it is about, read from its words. Scopes have no
//! grammar of their own; what is read here is what issuers have in common: `tides.read`, `write:crew`, `Mail.ReadWrite`, an address
//! whose last part says it.

use crate::prelude::*;
use crate::text::{singular, words_of};

/// How far a scope reaches.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Access {
    /// It lets read.
    Read,
    /// It lets change.
    Change,
    /// It lets hand something on to others.
    Send,
    /// It lets remove.
    Destroy,
    /// It lets run something.
    Run,
    /// It lets administer.
    Administer,
}

/// A scope, read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Scope {
    /// How far it reaches; `None` where it does not say.
    pub(crate) access: Option<Access>,
    /// What it is about, in singular words; empty where it is about everything that its server has.
    pub(crate) subject: Vec<String>,
}

/// Scopes of the login itself (OpenID Connect Core 1.0, 5.4 and 11): they say who somebody is and how long, and open nothing.
const LOGIN: &[&str] =
    &["openid", "profile", "email", "address", "phone", "offline_access", "offline", "refresh_token"];

/// Words that say a level, and whether they say nothing else.
const LEVELS: &[(&str, Access, bool)] = &[
    ("append", Access::Change, true),
    ("browse", Access::Read, true),
    ("create", Access::Change, true),
    ("delete", Access::Destroy, true),
    ("deploy", Access::Run, false),
    ("destroy", Access::Destroy, true),
    ("edit", Access::Change, true),
    ("execute", Access::Run, true),
    ("export", Access::Read, false),
    ("get", Access::Read, true),
    ("import", Access::Change, false),
    ("insert", Access::Change, true),
    ("invoke", Access::Run, true),
    ("list", Access::Read, false),
    ("manage", Access::Change, true),
    ("modify", Access::Change, true),
    ("post", Access::Send, false),
    ("publish", Access::Send, true),
    ("purge", Access::Destroy, true),
    ("read", Access::Read, true),
    ("reader", Access::Read, true),
    ("readonly", Access::Read, true),
    ("readwrite", Access::Change, true),
    ("remove", Access::Destroy, true),
    ("run", Access::Run, false),
    ("search", Access::Read, false),
    ("send", Access::Send, true),
    ("share", Access::Send, false),
    ("trigger", Access::Run, false),
    ("update", Access::Change, true),
    ("upload", Access::Change, false),
    ("view", Access::Read, false),
    ("viewer", Access::Read, true),
    ("write", Access::Change, true),
    ("writer", Access::Change, true),
];

/// Words for tool servers as such, whatever they are about.
const TOOLS: &[&str] = &["call", "connect", "execute", "invoke", "mcp", "server", "tool", "tools"];

/// Words of a scope that say neither what it is about nor how far it reaches.
const NOISE: &[&str] = &[
    "access",
    "account",
    "all",
    "any",
    "api",
    "app",
    "as",
    "auth",
    "basic",
    "by",
    "data",
    "default",
    "for",
    "full",
    "impersonation",
    "in",
    "me",
    "of",
    "on",
    "only",
    "org",
    "own",
    "private",
    "public",
    "resource",
    "scope",
    "self",
    "service",
    "shared",
    "tenant",
    "the",
    "to",
    "user",
    "v",
    "workspace",
];

impl Scope {
    /// Reads a scope; `None` for one of the login itself.
    pub(crate) fn read(scope: &str) -> Option<Self> {
        let lower = scope.to_ascii_lowercase();
        if LOGIN.contains(&lower.as_str()) || lower.ends_with("userinfo.email") || lower.ends_with("userinfo.profile") {
            return None;
        }
        // Of an address, and of what is named under one, the last part says what is granted.
        let last = match scope.split_once("://") {
            Some((_, rest)) => rest.trim_end_matches('/').rsplit('/').next().unwrap_or(rest),
            None => scope,
        };
        let words = words_of(last);
        let about_tools = words.iter().any(|word| TOOLS.contains(&word.as_str()));
        let clear =
            words.iter().filter_map(|word| level(word)).filter(|(_, sure)| *sure).map(|(access, _)| access).max();
        // `post` is a thing in `post:read`, and a level where nothing else is.
        let ends = [words.last(), words.first()].into_iter().flatten();
        let vague = ends.filter_map(|word| level(word)).map(|(access, _)| access).next();
        // Who may run tools may do with them what they do.
        let access = clear.or(vague).filter(|access| !(about_tools && *access == Access::Run));
        let access = if administers(scope) { Some(Access::Administer) } else { access };
        let says_level = |word: &str| level(word).is_some_and(|(_, sure)| sure || clear.is_none());
        let admin = ["admin", "administrator", "superuser", "root", "owner", "sudo"];
        let subject = words
            .iter()
            .filter(|word| !says_level(word) && !TOOLS.contains(&word.as_str()) && !admin.contains(&word.as_str()))
            .filter(|word| word.len() > 1 && !word.bytes().all(|byte| byte.is_ascii_digit()))
            // Services call their mail by a name of their own that ends so.
            .map(|word| if word.ends_with("mail") { "mail".to_owned() } else { singular(word) })
            .filter(|word| NOISE.binary_search(&word.as_str()).is_err())
            .collect();
        Some(Self { access, subject })
    }
}

fn level(word: &str) -> Option<(Access, bool)> {
    let index = LEVELS.binary_search_by(|(known, ..)| (*known).cmp(word)).ok()?;
    LEVELS.get(index).map(|(_, access, sure)| (*access, *sure))
}

/// Is this scope one of administration? `tides:admin` is, `admin.read` is only reading.
pub(crate) fn administers(scope: &str) -> bool {
    let words: Vec<String> = words_of(scope).iter().map(|word| singular(word)).collect();
    let names = |list: &[&str]| words.iter().any(|w| list.contains(&w.as_str()));
    let whole = ["service_role", "*", "*:*", "all", "full_access", "root", "owner", "sudo"];
    let role = whole.iter().any(|role| scope.eq_ignore_ascii_case(role));
    let reads = ["read", "view", "readonly", "reader", "viewer", "auditor"];
    role || (names(&["admin", "administrator", "superuser", "superadmin", "sysadmin"]) && !names(&reads))
}

/// Does this scope reach everything of its kind: `tides:*`, `Files.ReadWrite.All`?
pub(crate) fn reaches_everything(scope: &str) -> bool {
    let wild = [":*", ".*", "/*"].iter().any(|end| scope.ends_with(end));
    let words = words_of(scope);
    let says = |list: &[&str]| words.iter().any(|word| list.contains(&word.as_str()));
    wild || (words.last().is_some_and(|last| last == "all")
        && says(&["readwrite", "write", "manage", "fullcontrol", "full"]))
}

#[cfg(test)]
mod tests {
    use super::Access::*;
    use super::*;

    #[test]
    fn what_administers_or_reaches_everything_is_known() {
        for (scope, administers_, everything) in [
            ("tides:admin", true, false),
            ("ROLE_ADMIN", true, false),
            ("harbour-admins", true, false),
            ("Global Administrator", true, false),
            ("Owner", true, false),
            ("admin.read", false, false),
            ("admin-viewer", false, false),
            ("product-owner-notes", false, false),
            ("tides:*", false, true),
            ("Files.ReadWrite.All", false, true),
            ("Files.Read.All", false, false),
            ("tides.write", false, false),
            ("call", false, false),
        ] {
            assert_eq!((administers(scope), reaches_everything(scope)), (administers_, everything), "{scope}");
        }
    }

    #[test]
    fn scopes_are_read_by_their_words() {
        assert!(LEVELS.is_sorted_by(|a, b| a.0 < b.0) && NOISE.is_sorted());
        for (scope, access, subject) in [
            ("tides.read", Some(Read), "tide"),
            ("read:tides", Some(Read), "tide"),
            ("tides:write", Some(Change), "tide"),
            ("Crew.ReadWrite.All", Some(Change), "crew"),
            ("https://id.saltmarsh-line.example/auth/berths.readonly", Some(Read), "berth"),
            ("https://graph.saltmarsh-line.example/Mail.Send", Some(Send), "mail"),
            ("post:read", Some(Read), "post"),
            ("crew:post", Some(Send), "crew"),
            ("posts:delete", Some(Destroy), "post"),
            ("list.write", Some(Change), "list"),
            ("pipeline:run", Some(Run), "pipeline"),
            ("admin:crew", Some(Administer), "crew"),
            ("admin.read", Some(Read), ""),
            ("*", Some(Administer), ""),
            ("write", Some(Change), ""),
            ("tides", None, "tide"),
            ("user_impersonation", None, ""),
            ("mcp:tools:execute", None, ""),
            ("tools.call", None, ""),
            ("mcp:write", Some(Change), ""),
            ("https://id.saltmarsh-line.example/.default", None, ""),
            ("quaymail.modify", Some(Change), "mail"),
            ("crew.roster.metadata.view", Some(Read), "crew roster metadata"),
        ] {
            let want = Scope { access, subject: subject.split_whitespace().map(ToOwned::to_owned).collect() };
            assert_eq!(Scope::read(scope), Some(want), "{scope}");
        }
        for login in [
            "openid",
            "profile",
            "email",
            "offline_access",
            "OpenID",
            "https://id.saltmarsh-line.example/auth/userinfo.email",
        ] {
            assert_eq!(Scope::read(login), None, "{login}");
        }
    }
}
