//! What a name says about its value.

use crate::prelude::*;
use crate::text::words_of;

/// How strongly a name says that its value is a secret.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum NameSays {
    /// The value is public by its kind: an identifier, a publishable key.
    Public,
    /// The value names an object or says something about a secret: an identifier, a file, a limit.
    About,
    /// Nothing.
    Nothing,
    /// Perhaps: `KEY`, `AUTH`, `SESSION`.
    Perhaps,
    /// The value is a token or key.
    Secret,
    /// The value is a password that a person may have chosen.
    Password,
}

const PASSWORD: &[&str] =
    &["password", "passwd", "pwd", "passphrase", "passcode", "pass", "pw", "passwort", "kennwort", "mnemonic"];
const SECRET: &[&str] = &[
    "secret",
    "secrets",
    "token",
    "apikey",
    "apitoken",
    "accesskey",
    "accesstoken",
    "authtoken",
    "secretkey",
    "privatekey",
    "credential",
    "credentials",
    "authorization",
    "bearer",
    "cookie",
    "pat",
    "jwt",
    "apisecret",
    "clientsecret",
    "authkey",
    "signingkey",
    "encryptionkey",
    "masterkey",
    "servicekey",
    "dsn",
    "appkey",
    "apipassword",
    "sessiontoken",
    "refreshtoken",
    "bottoken",
    "usertoken",
    "webhooksecret",
];
/// Before `key`, these make a secret of it.
const KEY_OF: &[&str] = &[
    "api",
    "access",
    "secret",
    "private",
    "auth",
    "signing",
    "encryption",
    "master",
    "service",
    "role",
    "account",
    "admin",
    "app",
    "application",
    "license",
    "subscription",
    "shared",
    "storage",
    "functions",
    "function",
    "deploy",
    "ssh",
    "hmac",
    "webhook",
    "server",
    "project",
    "integration",
    "rest",
    "write",
    "read",
    "live",
    "prod",
    "production",
    "test",
    "x",
    "ai",
    "management",
    "personal",
    "user",
    "bot",
];
/// At the end of a name, these say that the value is about a secret and not the secret.
const ABOUT: &[&str] = &[
    "id",
    "ids",
    "url",
    "uri",
    "urls",
    "path",
    "file",
    "filename",
    "dir",
    "directory",
    "folder",
    "name",
    "names",
    "type",
    "types",
    "endpoint",
    "host",
    "hostname",
    "port",
    "ttl",
    "limit",
    "limits",
    "count",
    "length",
    "size",
    "expiry",
    "expires",
    "expiration",
    "header",
    "headers",
    "prefix",
    "suffix",
    "scope",
    "scopes",
    "region",
    "provider",
    "enabled",
    "disabled",
    "algorithm",
    "alg",
    "mode",
    "format",
    "location",
    "store",
    "storage",
    "vault",
    "manager",
    "issuer",
    "audience",
    "version",
    "timeout",
    "budget",
    "max",
    "min",
    "field",
    "env",
    "var",
    "variable",
    "arn",
    "ref",
    "reference",
    "hint",
    "policy",
    "rotation",
    "interval",
    "usage",
    "cache",
    "required",
    "method",
    "source",
    "class",
    "encoding",
    "domain",
    "user",
    "username",
    "email",
    "number",
    "kind",
    "label",
    "alias",
    "index",
    "model",
    "window",
    "level",
    "status",
    "strategy",
    "backend",
    "service",
    "seconds",
    "minutes",
    "hours",
    "days",
    "ms",
    "lifetime",
    "age",
    "placeholder",
    "description",
    "title",
    "prompt",
    "column",
    "param",
    "parameter",
    "command",
    "cmd",
    "helper",
    "script",
    "validation",
    "grace",
    "verify",
    "check",
];
/// At the end of a name that says nothing else, these say that the value names a thing: it may look random and is no secret.
const OBJECT: &[&str] = &[
    "sheet",
    "spreadsheet",
    "page",
    "thread",
    "channel",
    "board",
    "calendar",
    "document",
    "doc",
    "commit",
    "sha",
    "sha1",
    "sha256",
    "md5",
    "hash",
    "digest",
    "checksum",
    "integrity",
    "fingerprint",
    "etag",
    "trace",
    "span",
    "traceparent",
    "revision",
    "build",
    "uuid",
    "guid",
    "image",
    "voice",
    "bucket",
    "instance",
    "customer",
    "assistant",
    "project",
    "team",
    "workspace",
    "organization",
    "organisation",
    "org",
    "tenant",
    "account",
    "database",
    "table",
    "base",
    "repo",
    "repository",
    "branch",
    "tag",
    "release",
    "cluster",
    "deployment",
    "container",
    "job",
    "run",
    "task",
    "issue",
    "ticket",
    "figma",
    "design",
    "template",
    "playlist",
    "video",
    "space",
    "site",
    "zone",
    "order",
    "release",
    "sid",
];
/// Before `key` or `token`, these make something public or technical of it.
const NOT_SECRET_BEFORE: &[&str] = &[
    "public",
    "publishable",
    "anon",
    "primary",
    "foreign",
    "sort",
    "partition",
    "hash",
    "cache",
    "max",
    "min",
    "num",
    "total",
    "output",
    "input",
    "context",
    "prompt",
    "completion",
    "per",
    "eos",
    "bos",
    "pad",
    "stop",
    "shortcut",
    "hot",
    "site",
    "map",
    "lookup",
    "group",
    "routing",
    "ignore",
    "first",
    "last",
    "thinking",
    "reasoning",
    "new",
    "csrf",
];
const PUBLIC_TAIL: &[&[&str]] = &[
    &["client", "id"],
    &["app", "id"],
    &["application", "id"],
    &["tenant", "id"],
    &["project", "id"],
    &["project", "ref"],
    &["team", "id"],
    &["org", "id"],
    &["organization", "id"],
    &["workspace", "id"],
    &["account", "id"],
    &["location", "id"],
    &["key", "id"],
    &["public", "key"],
    &["publishable", "key"],
    &["anon", "key"],
    &["account", "sid"],
    &["site", "key"],
    &["installation", "id"],
    &["user", "id"],
    &["database", "id"],
    &["channel", "id"],
    &["guild", "id"],
    &["site", "id"],
    &["subscription", "id"],
    &["zone", "id"],
    &["token", "id"],
];

/// Judges a name.
pub(crate) fn name_says(name: &str) -> NameSays {
    let words = words_of(name);
    let words: Vec<&str> =
        words.iter().map(String::as_str).filter(|w| !w.chars().all(|c| c.is_ascii_digit())).collect();
    if PUBLIC_TAIL.iter().any(|tail| words.ends_with(tail))
        || matches!(words.as_slice(), [one] if ["clientid", "appid", "tenantid", "projectid", "publickey"].contains(one))
    {
        return NameSays::Public;
    }
    let Some(last) = words.last() else { return NameSays::Nothing };
    let technical = |at: usize| {
        at.checked_sub(1).and_then(|i| words.get(i)).is_some_and(|before| NOT_SECRET_BEFORE.contains(before))
    };
    if ABOUT.contains(last) {
        return NameSays::About;
    }
    if words.iter().any(|w| PASSWORD.contains(w) || ["password", "passwd"].iter().any(|p| w.ends_with(p))) {
        return NameSays::Password;
    }
    let mut best = NameSays::Nothing;
    for (at, word) in words.iter().enumerate() {
        let before = at.checked_sub(1).and_then(|i| words.get(i));
        let says = match *word {
            "token" | "tokens" if technical(at) => NameSays::Nothing,
            // Many tokens are a count, unless the list is spelled out as credentials.
            "tokens" => NameSays::Perhaps,
            "key" | "keys" if technical(at) => NameSays::Nothing,
            "key" | "keys" if before.is_some_and(|b| KEY_OF.contains(b)) => NameSays::Secret,
            "string" if before == Some(&"connection") => NameSays::Secret,
            "header" | "value" | "key" | "keys" | "auth" | "oauth" | "seed" | "authentication" | "session"
            | "login" | "sas" | "signature" | "webhook" | "creds" | "cred" | "otp" | "connection" => NameSays::Perhaps,
            // Also run together: `harbourtoken`, `crewsecret`.
            w if SECRET.contains(&w) || ["token", "secret", "apikey"].iter().any(|end| w.ends_with(end)) => {
                NameSays::Secret
            }
            _ => NameSays::Nothing,
        };
        best = best.max(says);
    }
    if best == NameSays::Nothing && OBJECT.contains(last) { NameSays::About } else { best }
}

/// Every word that alone makes a secret of a name.
#[cfg(test)]
pub(super) fn telling() -> impl Iterator<Item = &'static str> {
    PASSWORD.iter().chain(SECRET).copied().chain(["api_key", "connection_string"])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_say_what_their_value_is() {
        use NameSays::*;
        for (want, names) in [
            (Password, "PASSWORD DB_PASS smtpPwd PGPASSWORD_ADMIN mail_passwd user-passphrase"),
            (
                Secret,
                "TOKEN API_KEY apiKey X-Api-Key CLIENT_SECRET ACCESS_TOKEN SECRET_KEY AWS_SECRET_ACCESS_KEY Authorization \
                      PRIVATE_KEY SERVICE_ROLE_KEY bearer DATABASE_CONNECTION_STRING SENTRY_DSN SLACK_BOT_TOKEN apikey ENCRYPTION_KEY",
            ),
            (Perhaps, "KEY AUTH SESSION TIDE_KEY WEBHOOK"),
            (
                Public,
                "CLIENT_ID clientId AZURE_TENANT_ID PROJECT_REF AWS_ACCESS_KEY_ID PUBLIC_KEY SUPABASE_ANON_KEY TEAM_ID",
            ),
            (Nothing, "MAX_TOKENS TOKENIZER KEYBOARD PRIMARY_KEY MONKEY CACHE_KEY MAX_OUTPUT_TOKENS GREETING"),
            (
                About,
                "LOG_LEVEL TOKEN_LIMIT TOKEN_URL API_KEY_FILE SECRET_NAME PASSWORD_PATH HOST AUTH_TYPE TOKEN_ENDPOINT PORT \
                       SECRET_PROVIDER CREDENTIALS_FILE PASSWORD_POLICY SPREADSHEET_ID REQUEST_ID SHEET GIT_SHA",
            ),
        ] {
            for name in names.split_whitespace() {
                let got = name_says(name);
                assert_eq!(got, want, "{name}");
            }
        }
    }
}
