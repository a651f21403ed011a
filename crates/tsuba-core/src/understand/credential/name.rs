//! What a name says about its value.

use crate::prelude::*;
use crate::text::{is_one_of, spaced};

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

const PASSWORD: &[&str] = &[
    "contrasena",
    "contraseña",
    "kennwort",
    "mnemonic",
    "motdepasse",
    "pass",
    "passcode",
    "passphrase",
    "passwd",
    "password",
    "passwort",
    "pw",
    "pwd",
    "senha",
    "wachtwoord",
    "пароль",
];
const SECRET: &[&str] = &[
    "accesskey",
    "accesstoken",
    "apikey",
    "apipassword",
    "apisecret",
    "apitoken",
    "appkey",
    "authkey",
    "authorization",
    "authtoken",
    "bearer",
    "bottoken",
    "clientsecret",
    "cookie",
    "credential",
    "credentials",
    "dsn",
    "encryptionkey",
    "geheimnis",
    "geheimschluessel",
    "jeton",
    "jwt",
    "masterkey",
    "pat",
    "privatekey",
    "refreshtoken",
    "secret",
    "secretkey",
    "secreto",
    "secrets",
    "segredo",
    "servicekey",
    "sessiontoken",
    "signingkey",
    "token",
    "usertoken",
    "webhooksecret",
    "секрет",
    "токен",
];
/// Languages that put no space between words: anywhere in a name.
const PASSWORD_ANYWHERE: &[&str] =
    &["パスワード", "口令", "密码", "密碼", "비밀번호", "암호", "पासवर्ड", "كلمة المرور", "كلمة_المرور", "كلمة السر"];
const SECRET_ANYWHERE: &[&str] =
    &["トークン", "シークレット", "秘密鍵", "令牌", "密钥", "密鑰", "토큰", "비밀키", "टोकन", "الرمز المميز", "ключ"];
/// Before `key`, these make a secret of it.
const KEY_OF: &[&str] = &[
    "access",
    "account",
    "admin",
    "ai",
    "api",
    "app",
    "application",
    "auth",
    "bot",
    "deploy",
    "encryption",
    "function",
    "functions",
    "hmac",
    "integration",
    "license",
    "live",
    "management",
    "master",
    "personal",
    "private",
    "prod",
    "production",
    "project",
    "read",
    "rest",
    "role",
    "secret",
    "server",
    "service",
    "shared",
    "signing",
    "ssh",
    "storage",
    "subscription",
    "test",
    "user",
    "webhook",
    "write",
    "x",
];
/// At the end of a name, these say that the value is about a secret and not the secret.
const ABOUT: &[&str] = &[
    "age",
    "aide",
    "aiuto",
    "ajuda",
    "alg",
    "algorithm",
    "alias",
    "arn",
    "audience",
    "ayuda",
    "backend",
    "beschreibung",
    "budget",
    "cache",
    "check",
    "class",
    "cmd",
    "column",
    "command",
    "count",
    "days",
    "descricao",
    "descripcion",
    "description",
    "descrizione",
    "dica",
    "dir",
    "directory",
    "disabled",
    "domain",
    "email",
    "enabled",
    "encoding",
    "endpoint",
    "env",
    "example",
    "examples",
    "expiration",
    "expires",
    "expiry",
    "field",
    "file",
    "filename",
    "folder",
    "format",
    "grace",
    "header",
    "headers",
    "help",
    "helper",
    "hilfe",
    "hint",
    "hinweis",
    "host",
    "hostname",
    "hours",
    "id",
    "ids",
    "index",
    "indice",
    "info",
    "instructions",
    "interval",
    "issuer",
    "kind",
    "label",
    "length",
    "level",
    "lifetime",
    "limit",
    "limits",
    "location",
    "manager",
    "max",
    "message",
    "method",
    "min",
    "minutes",
    "mode",
    "model",
    "ms",
    "name",
    "names",
    "notice",
    "number",
    "param",
    "parameter",
    "path",
    "pattern",
    "patterns",
    "pista",
    "placeholder",
    "policy",
    "port",
    "prefix",
    "prompt",
    "provider",
    "question",
    "ref",
    "reference",
    "regex",
    "regexp",
    "region",
    "required",
    "rotation",
    "rule",
    "rules",
    "scope",
    "scopes",
    "script",
    "seconds",
    "service",
    "size",
    "source",
    "status",
    "storage",
    "store",
    "strategy",
    "suffix",
    "template",
    "text",
    "timeout",
    "tip",
    "title",
    "ttl",
    "type",
    "types",
    "uitleg",
    "uri",
    "url",
    "urls",
    "usage",
    "user",
    "username",
    "validation",
    "var",
    "variable",
    "vault",
    "verify",
    "version",
    "window",
    "подсказка",
    "ヒント",
    "提示",
];
/// At the end of a name that says nothing else, these say that the value names a thing: it may look random and is no secret.
const OBJECT: &[&str] = &[
    "account",
    "assistant",
    "base",
    "board",
    "branch",
    "bucket",
    "build",
    "calendar",
    "channel",
    "checksum",
    "cluster",
    "commit",
    "container",
    "customer",
    "database",
    "deployment",
    "design",
    "digest",
    "doc",
    "document",
    "etag",
    "figma",
    "fingerprint",
    "guid",
    "hash",
    "image",
    "instance",
    "integrity",
    "issue",
    "job",
    "md5",
    "order",
    "org",
    "organisation",
    "organization",
    "page",
    "playlist",
    "project",
    "release",
    "repo",
    "repository",
    "revision",
    "run",
    "sha",
    "sha1",
    "sha256",
    "sheet",
    "sid",
    "site",
    "space",
    "span",
    "spreadsheet",
    "table",
    "tag",
    "task",
    "team",
    "template",
    "tenant",
    "thread",
    "ticket",
    "trace",
    "traceparent",
    "uuid",
    "video",
    "voice",
    "workspace",
    "zone",
];
/// Before `key` or `token`, these make something public or technical of it.
const NOT_SECRET_BEFORE: &[&str] = &[
    "anon",
    "bos",
    "cache",
    "completion",
    "context",
    "csrf",
    "eos",
    "first",
    "foreign",
    "group",
    "hash",
    "hot",
    "ignore",
    "input",
    "last",
    "lookup",
    "map",
    "max",
    "min",
    "new",
    "num",
    "output",
    "pad",
    "partition",
    "per",
    "primary",
    "prompt",
    "public",
    "publishable",
    "reasoning",
    "routing",
    "shortcut",
    "site",
    "sort",
    "stop",
    "thinking",
    "total",
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
    &["verify", "key"],
    &["verification", "key"],
    &["verifying", "key"],
    &["host", "key"],
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
    if name.is_empty() {
        return NameSays::Nothing;
    }
    let spaced = spaced(name);
    let is_number = |word: &&str| word.bytes().all(|byte| byte.is_ascii_digit());
    let words: Vec<&str> = spaced.split_ascii_whitespace().filter(|word| !is_number(word)).collect();
    if PUBLIC_TAIL.iter().any(|tail| words.ends_with(tail))
        || matches!(words.as_slice(), [one] if ["clientid", "appid", "tenantid", "projectid", "publickey"].contains(one))
    {
        return NameSays::Public;
    }
    let Some(last) = words.last() else { return NameSays::Nothing };
    let technical = |at: usize| {
        at.checked_sub(1).and_then(|i| words.get(i)).is_some_and(|before| is_one_of(NOT_SECRET_BEFORE, before))
    };
    if is_one_of(ABOUT, last) {
        return NameSays::About;
    }
    let run_together =
        |w: &str| ["password", "passwd", "passwort", "kennwort", "wachtwoord"].iter().any(|p| w.ends_with(p));
    let foreign = !name.is_ascii() && PASSWORD_ANYWHERE.iter().any(|word| name.contains(word));
    if foreign || words.iter().any(|w| is_one_of(PASSWORD, w) || run_together(w)) || spaced.contains("mot de passe") {
        return NameSays::Password;
    }
    if !name.is_ascii() && SECRET_ANYWHERE.iter().any(|word| name.contains(word)) {
        return NameSays::Secret;
    }
    let mut best = NameSays::Nothing;
    for (at, word) in words.iter().enumerate() {
        let before = at.checked_sub(1).and_then(|i| words.get(i));
        let says = match *word {
            "token" | "tokens" if technical(at) => NameSays::Nothing,
            // Many tokens are a count, unless the list is spelled out as credentials.
            "tokens" => NameSays::Perhaps,
            "key" | "keys" if technical(at) => NameSays::Nothing,
            "key" | "keys" if before.is_some_and(|b| is_one_of(KEY_OF, b)) => NameSays::Secret,
            "string" if before == Some(&"connection") => NameSays::Secret,
            "clave" | "chave" | "chiave" | "sleutel" | "schluessel" | "schlüssel" => NameSays::Perhaps,
            "header" | "value" | "key" | "keys" | "auth" | "oauth" | "seed" | "authentication" | "session"
            | "login" | "sas" | "signature" | "webhook" | "creds" | "cred" | "otp" | "connection" => NameSays::Perhaps,
            // Also run together: `harbourtoken`, `crewsecret`.
            w if is_one_of(SECRET, w) || ["token", "secret", "apikey"].iter().any(|end| w.ends_with(end)) => {
                NameSays::Secret
            }
            _ => NameSays::Nothing,
        };
        best = best.max(says);
    }
    if best == NameSays::Nothing && is_one_of(OBJECT, last) { NameSays::About } else { best }
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
    fn lists_are_sorted() {
        for list in [PASSWORD, SECRET, KEY_OF, ABOUT, OBJECT, NOT_SECRET_BEFORE] {
            assert!(list.is_sorted(), "{list:?}");
        }
    }

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
            (Perhaps, "KEY AUTH SESSION TIDE_KEY WEBHOOK GEZEITEN_SCHLUESSEL"),
            (
                Password,
                "DB_KENNWORT datenbankpasswort MOT_DE_PASSE CONTRASENA SENHA_DB WACHTWOORD Пароль 数据库密码 パスワード",
            ),
            (Secret, "API_トークン 访问令牌 ТОКЕН"),
            (About, "PASSWORD_RULE TOKEN_REGEX SECRET_PATTERN KENNWORT_HINWEIS MOT_DE_PASSE_AIDE SECRET_QUESTION"),
            (
                Public,
                "CLIENT_ID TIDE_VERIFY_KEY clientId AZURE_TENANT_ID PROJECT_REF AWS_ACCESS_KEY_ID PUBLIC_KEY SUPABASE_ANON_KEY TEAM_ID",
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
