use super::shared::told;
use crate::evidence::oauth::{Answer, Answered, Ask};
use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::Located;

pub(super) static RULE: Rule = Rule {
    id: "oauth/bad-challenge",
    title: "no usable WWW-Authenticate challenge",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "a call without a token is {how} with {status}, and {lack}",
    why: "A client that is not told where to log in guesses, or its user is asked to paste a token; both lead to wider credentials than needed.",
    fix: "Answer 401 with WWW-Authenticate: Bearer and the parameter resource_metadata.",
    before: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "no-token", "url": "https://tides.saltmarsh-line.example/mcp", "status": 401}]}"#,
    after: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "no-token", "url": "https://tides.saltmarsh-line.example/mcp", "status": 401, "headers": {"WWW-Authenticate": "Bearer resource_metadata=\"https://tides.saltmarsh-line.example/.well-known/oauth-protected-resource/mcp\""}}]}"#,
    references: &["RFC 6750, 3", "RFC 9110, 11.6.1", "RFC 9728, 5.1", "protocol 2025-11-25, authorization"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for answer in oauth.oauth_documents.answers_to(Ask::NoToken) {
        // Clients also look at the well-known places: a challenge without the pointer is a detour, no dead end.
        let found = !oauth.oauth_documents.resources.is_empty();
        let Some((lack, at, detour)) = lack(answer) else { continue };
        out.hit(at)
            .arg("status", answer.status().to_string())
            .arg("how", if matches!(answer.status(), 401 | 403) { "refused" } else { "answered" })
            .arg("lack", lack)
            .circumstance_if(detour && found, Circumstance::Faint);
    }
}

/// What is missing in a refusal, where that shows, and whether clients find their way all the same.
fn lack(answer: &Answer) -> Option<(String, &Located, bool)> {
    let status = answer.status.as_ref().unwrap_or(&answer.start);
    match answer.status() {
        401 | 403 => {}
        200 => {
            let what = match answer.answered? {
                Answered::Refusal => "an error that wants a login, which no client takes for a refusal",
                Answered::Page => "a page for people, and no challenge",
                Answered::Result | Answered::Error | Answered::Other => return None,
            };
            return Some((format!("the answer is {what}"), status, false));
        }
        _ => {
            let location = answer.location.as_ref().filter(|_| answer.leads_on())?;
            let login = leads_to_login(&location.text, answer.url.as_ref().map(|url| url.text.as_str()));
            return login.then(|| (format!("the answer leads on to {}", told(&location.text)), location, false));
        }
    }
    let Some(challenge) = &answer.challenge else {
        return Some(("the answer has no challenge".to_owned(), status, false));
    };
    let lower = challenge.text.to_ascii_lowercase();
    let bearer = ["bearer", "dpop"].iter().any(|scheme| lower.split([' ', ',']).any(|word| word == *scheme));
    if answer.is_well_formed() == Some(false) {
        return Some(("the challenge is malformed: clients cannot read it".to_owned(), challenge, false));
    }
    if !bearer {
        return Some(("the challenge is for no bearer token".to_owned(), challenge, false));
    }
    let Some(pointer) = answer.parameter("resource_metadata") else {
        return Some(("the challenge does not say where its metadata are".to_owned(), challenge, true));
    };
    let absolute = url::Url::parse(&pointer).is_ok_and(|url| matches!(url.scheme(), "http" | "https"));
    (!absolute)
        .then(|| ("the challenge says where its metadata are with what is no address".to_owned(), challenge, true))
}

/// Words in the path of a page where people log in.
const LOGIN: &[&str] = &[
    "login",
    "signin",
    "sign-in",
    "log-in",
    "auth",
    "authorize",
    "oauth",
    "oauth2",
    "sso",
    "saml",
    "account",
    "accounts",
    "session",
];

/// Does a redirect lead to a page where people log in? To another form of the same address it does not.
fn leads_to_login(location: &str, from: Option<&str>) -> bool {
    let from = from.and_then(|from| url::Url::parse(from).ok());
    let Some(to) = from.as_ref().map_or_else(|| url::Url::parse(location), |from| from.join(location)).ok() else {
        return false;
    };
    let elsewhere = from.is_some_and(|from| from.host_str() != to.host_str());
    elsewhere || to.path().split('/').any(|part| LOGIN.contains(&part.to_ascii_lowercase().as_str()))
}
