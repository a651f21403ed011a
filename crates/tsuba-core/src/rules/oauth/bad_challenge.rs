use crate::evidence::oauth::Ask;
use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/bad-challenge",
    title: "incomplete WWW-Authenticate challenge",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "a call without a token is refused with {status}, and {lack}",
    why: "A client that is not told where to log in guesses, or its user is asked to paste a token; both lead to wider credentials than needed.",
    fix: "Answer 401 with WWW-Authenticate: Bearer and the parameter resource_metadata.",
    before: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "no-token", "url": "https://tides.saltmarsh-line.example/mcp", "status": 401}]}"#,
    after: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "no-token", "url": "https://tides.saltmarsh-line.example/mcp", "status": 401, "headers": {"WWW-Authenticate": "Bearer resource_metadata=\"https://tides.saltmarsh-line.example/.well-known/oauth-protected-resource/mcp\""}}]}"#,
    references: &["RFC 6750, 3", "RFC 9728, 5.1", "protocol 2025-11-25, authorization"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for answer in oauth.oauth_documents.answers_to(Ask::NoToken).filter(|answer| matches!(answer.status(), 401 | 403)) {
        let schemes = |text: &str| {
            let lower = text.to_ascii_lowercase();
            ["bearer", "dpop"].iter().any(|scheme| lower.split([' ', ',']).any(|word| word == *scheme))
        };
        let message = answer.challenge.as_ref().filter(|challenge| schemes(&challenge.text));
        let lack = match (&answer.challenge, message) {
            (None, _) => "the answer has no challenge",
            (Some(_), None) => "the challenge is for no bearer token",
            (Some(_), Some(_)) if answer.parameter("resource_metadata").is_none() => {
                "the challenge does not say where its metadata are"
            }
            (Some(_), Some(_)) => continue,
        };
        // Clients also look at the well-known places: a challenge without the pointer is a detour, no dead end.
        let found = !oauth.oauth_documents.resources.is_empty();
        let at = answer.challenge.as_ref().or(answer.status.as_ref()).unwrap_or(&answer.start);
        out.hit(at)
            .arg("status", answer.status().to_string())
            .arg("lack", lack)
            .circumstance_if(message.is_some() && found, Circumstance::Faint);
    }
}
