//! The catalogue of publicly documented token formats, as data. An issuer is described by its kind.

use super::base62_crc32;

/// Characters a stretch of a token is made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Alphabet {
    Digits,
    /// Lower-case hexadecimal digits.
    Hex,
    /// A–Z and 0–9.
    UpperDigits,
    /// a–z and 0–9.
    LowerDigits,
    /// A–Z, a–z, 0–9.
    Alnum,
    /// As `Alnum`, with `_`.
    Word,
    /// base64url: as `Word`, with `-`.
    Url,
    /// Standard base64 with padding.
    Base64,
}

impl Alphabet {
    pub(super) fn has(self, c: char) -> bool {
        match self {
            Self::Digits => c.is_ascii_digit(),
            Self::Hex => c.is_ascii_digit() || ('a'..='f').contains(&c),
            Self::UpperDigits => c.is_ascii_uppercase() || c.is_ascii_digit(),
            Self::LowerDigits => c.is_ascii_lowercase() || c.is_ascii_digit(),
            Self::Alnum => c.is_ascii_alphanumeric(),
            Self::Word => c.is_ascii_alphanumeric() || c == '_',
            Self::Url => c.is_ascii_alphanumeric() || c == '_' || c == '-',
            Self::Base64 => c.is_ascii_alphanumeric() || matches!(c, '+' | '/' | '='),
        }
    }
}

/// A piece of a format.
#[derive(Clone, Copy, Debug)]
pub(super) enum Piece {
    /// These characters.
    Is(&'static str),
    /// From so many to so many characters of an alphabet.
    Run(Alphabet, usize, usize),
}

/// How wide a token of a format reaches.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Nature {
    /// A secret of no telling width.
    Secret,
    /// A secret of a kind that reaches a whole account although a narrower kind exists; the text names that one.
    Broad(&'static str),
    /// A secret that may administer.
    Admin,
    /// Meant to be public.
    Public,
}

/// A token format.
#[derive(Debug)]
pub struct Format {
    /// A stable short name.
    pub id: &'static str,
    /// What kind of thing it is, in words.
    pub what: &'static str,
    /// How wide it reaches.
    pub nature: Nature,
    pub(super) pieces: &'static [Piece],
    /// The check the format itself carries: true when it holds.
    pub(super) check: Option<fn(&str) -> bool>,
}

const fn secret(id: &'static str, what: &'static str, pieces: &'static [Piece]) -> Format {
    Format { id, what, nature: Nature::Secret, pieces, check: None }
}

const fn of(nature: Nature, id: &'static str, what: &'static str, pieces: &'static [Piece]) -> Format {
    Format { id, what, nature, pieces, check: None }
}

const fn checked(nature: Nature, id: &'static str, what: &'static str, pieces: &'static [Piece]) -> Format {
    Format { id, what, nature, pieces, check: Some(base62_crc32) }
}

use Alphabet::{Alnum, Base64, Digits, Hex, LowerDigits, UpperDigits, Url, Word};
use Nature::{Admin, Broad, Public, Secret};
use Piece::{Is, Run};

const FINE: &str = "a fine-grained token limited to the repositories and permissions needed";
const PROJECT_KEY: &str = "a key bound to one project with restricted permissions";

/// All formats; where two could match, the earlier counts.
pub(super) const FORMATS: &[Format] = &[
    // Code hosting.
    checked(
        Broad(FINE),
        "code-host-classic",
        "a code-hosting personal access token (classic, account-wide)",
        &[Is("ghp_"), Run(Alnum, 36, 255)],
    ),
    secret(
        "code-host-fine-grained",
        "a code-hosting fine-grained access token",
        &[Is("github_pat_"), Run(Alnum, 22, 22), Is("_"), Run(Alnum, 59, 100)],
    ),
    checked(Secret, "code-host-oauth", "a code-hosting OAuth access token", &[Is("gho_"), Run(Alnum, 36, 255)]),
    checked(
        Secret,
        "code-host-user-to-server",
        "a code-hosting user-to-server token",
        &[Is("ghu_"), Run(Alnum, 36, 255)],
    ),
    checked(Secret, "code-host-server", "a code-hosting app installation token", &[Is("ghs_"), Run(Alnum, 36, 255)]),
    checked(Secret, "code-host-refresh", "a code-hosting refresh token", &[Is("ghr_"), Run(Alnum, 36, 255)]),
    of(
        Broad("a project or group access token with the scopes needed"),
        "forge-personal",
        "a code-forge personal access token",
        &[Is("glpat-"), Run(Url, 20, 320)],
    ),
    secret("forge-deploy", "a code-forge deploy token", &[Is("gldt-"), Run(Url, 20, 320)]),
    secret("forge-runner", "a code-forge runner token", &[Is("glrt-"), Run(Url, 20, 320)]),
    secret("forge-trigger", "a code-forge pipeline trigger token", &[Is("glptt-"), Run(Hex, 40, 64)]),
    secret("forge-ci-job", "a code-forge job token", &[Is("glcbt-"), Run(Url, 20, 320)]),
    secret("forge-agent", "a code-forge cluster agent token", &[Is("glagent-"), Run(Url, 40, 320)]),
    of(Admin, "forge-scim", "a code-forge provisioning token", &[Is("glsoat-"), Run(Url, 20, 320)]),
    secret("repository-app-password", "a repository-hosting app password", &[Is("ATBB"), Run(Alnum, 28, 64)]),
    // Package registries.
    checked(
        Broad("a granular token for one package"),
        "js-registry",
        "a JavaScript registry token",
        &[Is("npm_"), Run(Alnum, 36, 36)],
    ),
    of(
        Broad("a token limited to one project"),
        "python-registry",
        "a Python registry upload token",
        &[Is("pypi-AgE"), Run(Url, 50, 500)],
    ),
    secret("ruby-registry", "a Ruby registry key", &[Is("rubygems_"), Run(Hex, 48, 48)]),
    secret("rust-registry", "a Rust registry token", &[Is("cio"), Run(Alnum, 32, 32)]),
    secret("dotnet-registry", "a .NET registry key", &[Is("oy2"), Run(LowerDigits, 43, 43)]),
    of(
        Broad("an access token with read-only rights"),
        "image-registry",
        "an image-registry personal access token",
        &[Is("dckr_pat_"), Run(Url, 27, 64)],
    ),
    // Model providers.
    of(
        Admin,
        "model-admin",
        "a model-provider administration key",
        &[Is("sk-ant-admin"), Run(Digits, 2, 2), Is("-"), Run(Url, 60, 140)],
    ),
    secret(
        "model-api-a",
        "a model-provider API key",
        &[Is("sk-ant-"), Run(LowerDigits, 3, 8), Is("-"), Run(Url, 60, 140)],
    ),
    of(Admin, "model-admin-b", "a model-provider administration key", &[Is("sk-admin-"), Run(Url, 40, 200)]),
    secret("model-project", "a model-provider project key", &[Is("sk-proj-"), Run(Url, 40, 200)]),
    secret("model-service", "a model-provider service-account key", &[Is("sk-svcacct-"), Run(Url, 40, 200)]),
    secret("model-router", "a model-router API key", &[Is("sk-or-v1-"), Run(Hex, 64, 64)]),
    of(Broad(PROJECT_KEY), "model-account", "a model-provider account-wide key", &[Is("sk-"), Run(Alnum, 40, 64)]),
    secret("model-hub", "a model-hub access token", &[Is("hf_"), Run(Alnum, 30, 60)]),
    secret("model-hub-org", "a model-hub organisation token", &[Is("api_org_"), Run(Alnum, 30, 60)]),
    secret("model-host-a", "a model-hosting API token", &[Is("r8_"), Run(Alnum, 37, 37)]),
    secret("model-host-b", "a model-inference API key", &[Is("gsk_"), Run(Alnum, 48, 60)]),
    secret("model-host-c", "a model-provider API key", &[Is("xai-"), Run(Alnum, 70, 90)]),
    secret("search-for-models", "a search API key for models", &[Is("tvly-"), Run(Url, 20, 60)]),
    secret("answer-engine", "an answer-engine API key", &[Is("pplx-"), Run(Alnum, 40, 60)]),
    secret("crawl-for-models", "a crawling API key for models", &[Is("fc-"), Run(Hex, 32, 32)]),
    secret("search-browser", "a web-search subscription key", &[Is("BSA"), Run(Url, 24, 32)]),
    // Clouds.
    of(Public, "cloud-key-id", "a cloud access key identifier", &[Is("AKIA"), Run(UpperDigits, 16, 16)]),
    of(Public, "cloud-session-key-id", "a cloud session key identifier", &[Is("ASIA"), Run(UpperDigits, 16, 16)]),
    of(
        Broad("a key restricted to one API and to your addresses"),
        "cloud-api-key",
        "a cloud API key",
        &[Is("AIza"), Run(Url, 35, 35)],
    ),
    secret("cloud-oauth", "a cloud OAuth access token", &[Is("ya29."), Run(Url, 20, 300)]),
    secret("cloud-oauth-secret", "a cloud OAuth client secret", &[Is("GOCSPX-"), Run(Url, 28, 28)]),
    secret(
        "cloud-directory-secret",
        "a cloud directory client secret",
        &[Run(Alnum, 3, 3), Is("8Q~"), Run(Url, 34, 37)],
    ),
    secret("droplet-personal", "a hosting-provider personal access token", &[Is("dop_v1_"), Run(Hex, 64, 64)]),
    secret("droplet-oauth", "a hosting-provider OAuth token", &[Is("doo_v1_"), Run(Hex, 64, 64)]),
    secret("edge-platform", "an edge-platform access token", &[Is("fo1_"), Run(Url, 43, 43)]),
    secret("app-platform", "an application-platform API key", &[Is("HRKU-"), Run(Url, 36, 64)]),
    secret(
        "monitoring-access",
        "a monitoring access token",
        &[Is("dt0c01."), Run(UpperDigits, 24, 24), Is("."), Run(UpperDigits, 64, 64)],
    ),
    secret(
        "infrastructure-cloud",
        "an infrastructure-automation token",
        &[Run(Alnum, 14, 14), Is(".atlasv1."), Run(Url, 60, 80)],
    ),
    secret("secret-store-service", "a secret-store service token", &[Is("hvs."), Run(Url, 24, 200)]),
    secret("secret-store-batch", "a secret-store batch token", &[Is("hvb."), Run(Url, 100, 300)]),
    secret(
        "secret-manager-config",
        "a secret-manager service token",
        &[Is("dp.st."), Run(Url, 2, 60), Is("."), Run(Alnum, 40, 48)],
    ),
    secret("secret-manager-personal", "a secret-manager personal token", &[Is("dp.pt."), Run(Alnum, 40, 48)]),
    secret("vault-service-account", "a password-vault service account token", &[Is("ops_eyJ"), Run(Url, 100, 1500)]),
    // Chat, mail, telephony.
    secret(
        "chat-bot",
        "a chat bot token",
        &[Is("xoxb-"), Run(Digits, 9, 14), Is("-"), Run(Digits, 9, 14), Is("-"), Run(Alnum, 20, 40)],
    ),
    of(
        Broad("a bot token with the scopes needed"),
        "chat-user",
        "a chat user token",
        &[Is("xoxp-"), Run(Digits, 9, 14), Is("-"), Run(Digits, 9, 14), Is("-"), Run(Url, 20, 80)],
    ),
    secret("chat-browser", "a chat browser-session token", &[Is("xoxc-"), Run(Url, 40, 200)]),
    secret("chat-cookie", "a chat session cookie", &[Is("xoxd-"), Run(Base64, 40, 300)]),
    secret(
        "chat-app",
        "a chat app-level token",
        &[
            Is("xapp-"),
            Run(Digits, 1, 1),
            Is("-"),
            Run(UpperDigits, 9, 14),
            Is("-"),
            Run(Digits, 9, 14),
            Is("-"),
            Run(Hex, 32, 80),
        ],
    ),
    secret("messenger-bot", "a messenger bot token", &[Run(Digits, 8, 10), Is(":AA"), Run(Url, 32, 34)]),
    secret(
        "community-bot",
        "a community-chat bot token",
        &[Run(Alnum, 24, 28), Is("."), Run(Url, 6, 6), Is("."), Run(Url, 27, 40)],
    ),
    secret("mail-sender-a", "a mail-sending API key", &[Is("SG."), Run(Url, 22, 22), Is("."), Run(Url, 43, 43)]),
    secret("mail-sender-b", "a mail-sending API key", &[Is("key-"), Run(Hex, 32, 32)]),
    secret("mail-sender-c", "a mail-sending API key", &[Is("xkeysib-"), Run(Hex, 64, 64), Is("-"), Run(Alnum, 16, 16)]),
    secret("mail-sender-d", "a mail-sending API key", &[Is("re_"), Run(Alnum, 8, 12), Is("_"), Run(Alnum, 20, 30)]),
    secret("mailing-list", "a mailing-list API key", &[Run(Hex, 32, 32), Is("-us"), Run(Digits, 1, 2)]),
    secret("telephony", "a telephony API key", &[Is("SK"), Run(Hex, 32, 32)]),
    of(Public, "telephony-account", "a telephony account identifier", &[Is("AC"), Run(Hex, 32, 32)]),
    // Payments and shops.
    of(
        Broad("a restricted key with the permissions needed"),
        "payments-live",
        "a live payments key",
        &[Is("sk_live_"), Run(Alnum, 24, 120)],
    ),
    secret("payments-test", "a test-mode payments key", &[Is("sk_test_"), Run(Alnum, 24, 120)]),
    secret("payments-restricted", "a restricted payments key", &[Is("rk_live_"), Run(Alnum, 24, 120)]),
    secret("payments-webhook", "a payments webhook signing secret", &[Is("whsec_"), Run(Base64, 24, 80)]),
    of(Public, "payments-publishable", "a publishable payments key", &[Is("pk_live_"), Run(Alnum, 20, 120)]),
    of(Public, "payments-publishable-test", "a publishable test key", &[Is("pk_test_"), Run(Alnum, 20, 120)]),
    secret("shop-admin", "a shop administration token", &[Is("shpat_"), Run(Hex, 32, 32)]),
    secret("shop-private", "a shop private-app token", &[Is("shppa_"), Run(Hex, 32, 32)]),
    secret("shop-shared", "a shop shared secret", &[Is("shpss_"), Run(Hex, 32, 32)]),
    secret("payments-square", "a payments access token", &[Is("EAAA"), Run(Url, 60, 60)]),
    // Work tools.
    secret("notes-a", "a workspace integration token", &[Is("ntn_"), Run(Alnum, 40, 60)]),
    secret("notes-b", "a workspace integration token", &[Is("secret_"), Run(Alnum, 43, 43)]),
    secret("issues-a", "an issue-tracker API key", &[Is("lin_api_"), Run(Alnum, 32, 48)]),
    secret("issues-b", "an issue-tracker OAuth token", &[Is("lin_oauth_"), Run(Hex, 64, 64)]),
    of(
        Broad("a scoped API token"),
        "issues-c",
        "an account-wide work-suite API token",
        &[Is("ATATT3xFfGF0"), Run(Base64, 100, 250)],
    ),
    secret("design", "a design-tool personal access token", &[Is("figd_"), Run(Url, 36, 60)]),
    secret("tables", "a spreadsheet-database token", &[Is("pat"), Run(Alnum, 14, 14), Is("."), Run(Hex, 64, 64)]),
    secret("api-workbench", "an API-workbench key", &[Is("PMAK-"), Run(Hex, 24, 24), Is("-"), Run(Hex, 34, 34)]),
    secret(
        "crm-private-app",
        "a customer-management private-app token",
        &[
            Is("pat-"),
            Run(LowerDigits, 2, 3),
            Is("-"),
            Run(Hex, 8, 8),
            Is("-"),
            Run(Hex, 4, 4),
            Is("-"),
            Run(Hex, 4, 4),
            Is("-"),
            Run(Hex, 4, 4),
            Is("-"),
            Run(Hex, 12, 12),
        ],
    ),
    secret("automation-hub", "an automation-actor API token", &[Is("apify_api_"), Run(Alnum, 34, 46)]),
    // Monitoring and data.
    of(Admin, "dashboards-cloud", "a dashboards cloud policy token", &[Is("glc_"), Run(Base64, 32, 400)]),
    secret(
        "dashboards-service",
        "a dashboards service-account token",
        &[Is("glsa_"), Run(Alnum, 32, 32), Is("_"), Run(Hex, 8, 8)],
    ),
    secret("errors-user", "an error-tracker user token", &[Is("sntryu_"), Run(Hex, 64, 64)]),
    secret(
        "errors-org",
        "an error-tracker organisation token",
        &[Is("sntrys_"), Run(Base64, 60, 400), Is("_"), Run(Base64, 40, 48)],
    ),
    secret("telemetry-user", "a telemetry user key", &[Is("NRAK-"), Run(UpperDigits, 27, 27)]),
    of(
        Broad("a personal key with the scopes needed"),
        "product-analytics",
        "a product-analytics personal key",
        &[Is("phx_"), Run(Alnum, 40, 60)],
    ),
    of(Public, "product-analytics-public", "a product-analytics project key", &[Is("phc_"), Run(Alnum, 40, 60)]),
    secret("warehouse", "a data-platform access token", &[Is("dapi"), Run(Hex, 32, 32)]),
    of(Admin, "database-platform", "a database-platform access token", &[Is("sbp_"), Run(Hex, 40, 40)]),
    of(Admin, "database-secret", "a database-platform secret key", &[Is("sb_secret_"), Run(Url, 20, 60)]),
    of(
        Public,
        "database-publishable",
        "a database-platform publishable key",
        &[Is("sb_publishable_"), Run(Url, 20, 60)],
    ),
    secret("database-hosting", "a database-hosting API key", &[Is("napi_"), Run(LowerDigits, 60, 70)]),
    secret("database-service-token", "a database service token", &[Is("pscale_tkn_"), Run(Url, 32, 64)]),
    secret("database-password", "a database branch password", &[Is("pscale_pw_"), Run(Url, 32, 64)]),
    secret("vector-store", "a vector-database API key", &[Is("pcsk_"), Run(Word, 50, 90)]),
    secret("deployment-platform", "a deployment-platform token", &[Is("rnd_"), Run(Alnum, 28, 40)]),
    // Keys of protocols.
    secret("age-identity", "a file-encryption identity", &[Is("AGE-SECRET-KEY-1"), Run(UpperDigits, 58, 58)]),
    secret(
        "overlay-auth",
        "an overlay-network authentication key",
        &[Is("tskey-"), Run(LowerDigits, 3, 10), Is("-"), Run(Url, 16, 80)],
    ),
    secret("tunnel-auth", "a tunnel authentication token", &[Is("2"), Run(Alnum, 26, 26), Is("_"), Run(Alnum, 20, 22)]),
    secret(
        "json-web-token",
        "a JSON Web Token",
        &[Is("eyJ"), Run(Url, 10, 4000), Is("."), Run(Url, 4, 8000), Is("."), Run(Url, 8, 2000)],
    ),
    secret(
        "json-web-token-unsigned",
        "an unsigned JSON Web Token",
        &[Is("eyJ"), Run(Url, 10, 4000), Is(".eyJ"), Run(Url, 4, 8000), Is(".")],
    ),
    secret(
        "backend-deployment",
        "a backend deployment key",
        &[Is("prod:"), Run(Url, 2, 60), Is("|"), Run(Base64, 40, 200)],
    ),
    secret("map-secret", "a map-service secret token", &[Is("sk.eyJ"), Run(Url, 40, 300), Is("."), Run(Url, 20, 40)]),
    of(
        Public,
        "map-public",
        "a map-service public token",
        &[Is("pk.eyJ"), Run(Url, 40, 300), Is("."), Run(Url, 20, 40)],
    ),
    secret("observability-key", "an observability API key", &[Is("hcaik_"), Run(LowerDigits, 58, 64)]),
];

#[cfg(test)]
mod tests {
    use super::*;
    use alloc::collections::BTreeSet;

    #[test]
    fn the_catalogue_is_sound() {
        let ids: BTreeSet<_> = FORMATS.iter().map(|f| f.id).collect();
        assert_eq!(ids.len(), FORMATS.len(), "an id occurs twice");
        assert!(FORMATS.len() >= 60);
        for format in FORMATS {
            assert!(!format.what.is_empty() && !format.pieces.is_empty(), "{}", format.id);
            for piece in format.pieces {
                if let Run(_, from, to) = piece {
                    assert!(from <= to && *to > 0, "{}", format.id);
                }
            }
        }
    }
}
