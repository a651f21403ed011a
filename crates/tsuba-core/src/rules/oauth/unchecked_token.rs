use crate::evidence::oauth::{Acceptance, Answer, Answered, Ask, Skipped};
use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/unchecked-token",
    title: "tokens accepted without checking issuer, audience, lifetime or signature",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{who} {what}",
    why: "A token that was made for another service, by somebody else, or long ago is as good as one that was made for this gateway: whoever gets hold of any of them is let in.",
    fix: "Name the issuer and the audience that stands for this gateway, and leave every check on.",
    before: r#"{ "listen": "0.0.0.0:8080", "auth": { "issuer": "https://id.saltmarsh-line.example" }, "routes": [{ "path": "/tides", "stdio": { "cmd": "tide-table" } }] }"#,
    after: r#"{ "listen": "0.0.0.0:8080", "auth": { "issuer": "https://id.saltmarsh-line.example", "audiences": ["https://gate.saltmarsh-line.example"] }, "routes": [{ "path": "/tides", "stdio": { "cmd": "tide-table" } }] }"#,
    references: &["RFC 9068, 4", "RFC 6750, 5.2", "RFC 8707", "RFC 8725, 3.8 and 3.9"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

const GATEWAY: &str = "the gateway";

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    any_token(oauth, out);
    for taken in &oauth.oauth_documents.acceptances {
        for (what, at) in &taken.skipped {
            let (what, grave) = match what {
                Skipped::Signature => ("does not check who signed a token", true),
                Skipped::Issuer => ("does not check who issued a token", false),
                Skipped::Audience => ("does not check whom a token was made for", false),
                Skipped::Lifetime => ("does not check whether a token's time is over", false),
            };
            out.hit(at).arg("who", GATEWAY).arg("what", what).circumstance_if(grave, Circumstance::Grave);
        }
        audience(taken, out);
        // Keys say who signed; where one provider signs for many issuers, that is not yet who issued.
        if let ([], [keys, ..]) = (taken.issuers.as_slice(), taken.keys.as_slice()) {
            let what = "takes every token that is signed with these keys, whoever issued it";
            out.hit(keys).arg("who", GATEWAY).arg("what", what).circumstance(Circumstance::Weak);
        }
    }
}

/// A server that refuses calls without a token, and takes one that nobody has issued.
fn any_token(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let papers = oauth.oauth_documents;
    let refuses = papers.answers_to(Ask::NoToken).any(|answer| matches!(answer.status(), 401 | 403));
    let refused = |answer: &&Answer| matches!(answer.answered, Some(Answered::Refusal | Answered::Page));
    let taken = papers.answers_to(Ask::WrongToken).find(|answer| answer.status() == 200 && !refused(answer));
    if let Some(answer) = taken.filter(|_| refuses) {
        out.hit(answer.status.as_ref().unwrap_or(&answer.start))
            .arg("who", "the server")
            .arg("what", "takes a token that nobody has issued: whoever makes one up is let in")
            .circumstance(Circumstance::Grave);
    }
}

fn audience(taken: &Acceptance, out: &mut Out<'_>) {
    if taken.skipped.iter().any(|(what, _)| *what == Skipped::Audience) {
        return;
    }
    let whose = |acceptance: &Acceptance| match acceptance.issuers.as_slice() {
        [issuer] => format!("of {}", issuer.text),
        [] => "that these keys have signed".to_owned(),
        _ => "of its issuers".to_owned(),
    };
    if let Some(any) = &taken.any_audience {
        out.hit(any)
            .arg("who", GATEWAY)
            .arg("what", format!("takes every token {}, whomever it was made for", whose(taken)));
    } else if taken.audiences.is_empty() {
        let at = taken.issuers.first().or(taken.keys.first()).unwrap_or(&taken.start);
        let what = format!("names no audience, and so takes every token {}, whomever it was made for", whose(taken));
        // Some take the resource's name for the audience, and do not say so.
        out.hit(at).arg("who", GATEWAY).arg("what", what).circumstance_if(taken.resource.is_some(), Circumstance::Weak);
    }
}
