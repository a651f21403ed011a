//! Shapes of values that settle the question without a name: keys in PEM form, paths, addresses, identifiers, hashes.

use super::formats::{Format, Piece};
use super::words::Words;
use crate::prelude::*;
use base64::Engine as _;
use base64::engine::{DecodePaddingMode, GeneralPurpose, GeneralPurposeConfig, general_purpose};
use core::ops::Range;

/// At most the first `max` bytes of a text.
pub(super) fn head(value: &str, max: usize) -> &str {
    let mut end = value.len().min(max);
    while !value.is_char_boundary(end) {
        end -= 1;
    }
    value.get(..end).unwrap_or(value)
}

/// How many bytes of telling prefix a format has.
pub(super) fn literal_prefix(format: &Format) -> usize {
    match format.pieces.first() {
        Some(Piece::Is(literal)) => literal.len(),
        Some(Piece::Run(..)) | None => 0,
    }
}

/// The private key block in `value`, line ends written out or escaped.
pub(super) fn private_key(value: &str) -> Option<Range<usize>> {
    let marker = value.find("PRIVATE KEY-----")?;
    let start = value.get(..marker)?.rfind("-----BEGIN ")?;
    let body = marker + "PRIVATE KEY-----".len();
    let end = value.get(body..)?.find("-----END ").map_or(value.len(), |at| {
        let tail = value.get(body + at + 9..).unwrap_or_default();
        tail.find("-----").map_or(value.len(), |dashes| body + at + 9 + dashes + 5)
    });
    // A block without a body is a sample.
    let letters = value.get(body..end)?.bytes().filter(u8::is_ascii_alphanumeric).count();
    (letters > 64).then_some(start..end)
}

/// A certificate or public key in PEM or OpenSSH form.
pub(super) fn is_public_block(value: &str) -> bool {
    let pem = value.contains("-----BEGIN ") && !value.contains("PRIVATE KEY");
    pem || ["ssh-rsa ", "ssh-ed25519 ", "ecdsa-sha2-", "age1"].iter().any(|p| value.starts_with(p))
}

/// The user and password of HTTP Basic authentication (RFC 7617).
pub(super) fn basic_login(encoded: &str) -> Option<String> {
    let config = GeneralPurposeConfig::new().with_decode_padding_mode(DecodePaddingMode::Indifferent);
    let engine = GeneralPurpose::new(&base64::alphabet::STANDARD, config);
    let bytes =
        engine.decode(encoded.trim()).or_else(|_| general_purpose::URL_SAFE_NO_PAD.decode(encoded.trim())).ok()?;
    String::from_utf8(bytes).ok().filter(|login| login.contains(':') && !login.chars().any(char::is_control))
}

/// `scheme://…`
pub(super) fn is_address(value: &str) -> bool {
    let Some((scheme, rest)) = value.split_once("://") else { return false };
    !rest.is_empty() && !scheme.is_empty() && scheme.chars().all(|c| c.is_ascii_alphanumeric() || "+.-:".contains(c))
}

/// Only lower-case hexadecimal digits, or only upper-case ones.
pub(super) fn is_hex(value: &str) -> bool {
    value.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b))
        || value.bytes().all(|b| b.is_ascii_digit() || (b'A'..=b'F').contains(&b))
}

/// A number, a truth value, one of the words that settings take.
pub(super) fn is_plain_setting(value: &str) -> bool {
    const SETTINGS: &[&str] = &[
        "true",
        "false",
        "yes",
        "no",
        "on",
        "off",
        "none",
        "null",
        "auto",
        "default",
        "enabled",
        "disabled",
        "bearer",
        "basic",
        "oauth",
        "oauth2",
        "jwt",
        "apikey",
        "api-key",
        "api_key",
        "keyring",
        "keychain",
        "prompt",
        "stdio",
        "sse",
        "http",
        "https",
        "debug",
        "info",
        "warn",
        "error",
        "trace",
        "development",
        "production",
        "staging",
        "local",
        "required",
        "optional",
        "always",
        "never",
        "env",
        "file",
        "digest",
        "ntlm",
        "mtls",
        "pkce",
        "header",
        "query",
        "cookie",
    ];
    let lower = value.to_ascii_lowercase();
    SETTINGS.contains(&lower.as_str()) || (value.parse::<f64>().is_ok() && value.len() <= 12)
}

/// Shapes that are no secret whatever the name says.
pub(super) fn is_no_secret(value: &str) -> bool {
    is_plain_setting(value)
        || is_path(value)
        || is_uuid(value)
        || is_labelled_hash(value)
        || is_email(value)
        || is_version(value)
        || is_cron(value)
        || is_date(value)
        || is_host(value)
        || is_locale(value)
        || is_resource_name(value)
}

fn is_path(value: &str) -> bool {
    let rooted = ["/", "./", "../", "~/", "~", ".\\", "..\\", "\\\\"].iter().any(|p| value.starts_with(p));
    let drive = matches!(value.as_bytes(), [letter, b':', b'\\' | b'/', ..] if letter.is_ascii_alphabetic());
    const ENDINGS: &[&str] = &[
        "json", "pem", "key", "txt", "yaml", "yml", "toml", "env", "crt", "cer", "p12", "pfx", "db", "sqlite",
        "sqlite3", "js", "mjs", "ts", "py", "sh", "exe", "jsonl", "ini", "conf", "cfg", "log", "csv", "md", "keytab",
        "jks", "gpg", "asc",
    ];
    let file = value.rsplit_once('.').is_some_and(|(stem, ending)| {
        ENDINGS.contains(&ending.to_ascii_lowercase().as_str())
            && stem.chars().all(|c| c.is_ascii_alphanumeric() || "._-/\\ ".contains(c))
            && !stem.is_empty()
    });
    // A base64 secret may begin with a slash; a path has further ones or a dot.
    (rooted && (value.len() < 36 || value.matches(['/', '\\']).count() > 1) && !value.ends_with('=')) || drive || file
}

pub(super) fn is_uuid(value: &str) -> bool {
    let bare = value.trim_matches(['{', '}']);
    let groups: Vec<usize> = bare.split('-').map(str::len).collect();
    groups == [8, 4, 4, 4, 12] && bare.chars().all(|c| c == '-' || c.is_ascii_hexdigit())
}

/// `sha256-…`, `sha256:…`, `md5:…`: an integrity value.
fn is_labelled_hash(value: &str) -> bool {
    let lower = value.to_ascii_lowercase();
    ["sha1-", "sha256-", "sha384-", "sha512-", "sha256:", "sha512:", "sha1:", "md5:", "blake3:"]
        .iter()
        .any(|p| lower.starts_with(p))
}

fn is_email(value: &str) -> bool {
    let Some((user, host)) = value.split_once('@') else { return false };
    !user.is_empty() && is_host(host)
}

fn is_version(value: &str) -> bool {
    let bare = value.trim_start_matches(['v', '^', '~', '=', '>', '<']);
    bare.contains('.')
        && bare.split(['.', '-', '+']).take(2).all(|p| !p.is_empty() && p.chars().all(|c| c.is_ascii_digit()))
        && bare.chars().all(|c| c.is_ascii_alphanumeric() || ".-+".contains(c))
        && bare.len() < 32
}

fn is_cron(value: &str) -> bool {
    let fields: Vec<&str> = value.split_whitespace().collect();
    (5..=7).contains(&fields.len())
        && fields.iter().all(|f| {
            f.chars().all(|c| c.is_ascii_digit() || "*,-/?LW#".contains(c))
                || (f.len() <= 7 && f.chars().all(|c| c.is_ascii_uppercase() || "-,".contains(c)))
        })
}

fn is_date(value: &str) -> bool {
    let digits = value.bytes().filter(u8::is_ascii_digit).count();
    value.len() >= 8
        && digits >= 6
        && value.bytes().all(|b| b.is_ascii_digit() || b"-:/.TZ+ ".contains(&b))
        && value.contains(['-', ':', '/'])
}

/// A host name with optional port: labels of which the last is letters.
fn is_host(value: &str) -> bool {
    let (host, port) = value.split_once(':').unwrap_or((value, ""));
    let labels: Vec<&str> = host.split('.').collect();
    let plain = labels.iter().all(|l| {
        !l.is_empty() && l.len() <= 40 && l.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-')
    });
    let numeric = labels.len() == 4 && labels.iter().all(|l| l.parse::<u8>().is_ok());
    let top = labels.last().is_some_and(|l| l.len() >= 2 && l.len() <= 12 && l.chars().all(|c| c.is_ascii_lowercase()));
    (numeric || (labels.len() >= 2 && plain && top) || host == "localhost") && port.chars().all(|c| c.is_ascii_digit())
}

/// The name under which a cloud keeps something: `arn:partition:service:…`, `projects/…/secrets/…`.
fn is_resource_name(value: &str) -> bool {
    (value.starts_with("arn:") && value.matches(':').count() >= 5)
        || (["projects/", "subscriptions/", "/subscriptions/"].iter().any(|p| value.starts_with(p))
            && value.matches('/').count() >= 3)
}

fn is_locale(value: &str) -> bool {
    matches!(value.as_bytes(), [a, b, b'_' | b'-', c, d, ..] if a.is_ascii_lowercase() && b.is_ascii_lowercase() && c.is_ascii_uppercase() && d.is_ascii_uppercase())
        && value.len() <= 12
}

/// `prod/db/password`, `ledger-db-password`: the name under which something is kept, not the thing.
pub(super) fn is_identifier_path(value: &str, words: &Words) -> bool {
    let plain = value.chars().all(|c| c.is_ascii_lowercase() || "/_-.:".contains(c));
    plain && value.contains('/') && words.coverage(value) > 0.6
}

/// Default logins that everybody knows.
pub(super) fn is_trivial(value: &str) -> bool {
    const DEFAULTS: &[&str] = &[
        "postgres",
        "password",
        "passwd",
        "pass",
        "admin",
        "administrator",
        "root",
        "toor",
        "secret",
        "changeme",
        "changeit",
        "test",
        "guest",
        "user",
        "mysql",
        "mongo",
        "redis",
        "sa",
        "default",
        "123",
        "1234",
        "12345",
        "123456",
        "example",
        "dev",
        "local",
        "localdev",
        "devpassword",
        "docker",
    ];
    DEFAULTS.contains(&value.to_ascii_lowercase().as_str())
}
