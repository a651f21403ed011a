use crate::evidence::oauth::{Answer, Ask};
use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};

pub(super) static RULE: Rule = Rule {
    id: "oauth/no-server-metadata",
    title: "authorization server publishes no metadata",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{issuer} {what}",
    why: "A client that finds no metadata falls back to addresses that it makes up, and cannot know whether PKCE is supported or whose keys sign.",
    fix: "Publish metadata at the well-known address of the issuer, as JSON, or name an issuer that does.",
    before: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "server-metadata", "issuer": "https://id.saltmarsh-line.example", "url": "https://id.saltmarsh-line.example/.well-known/oauth-authorization-server", "status": 404}]}"#,
    after: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "server-metadata", "issuer": "https://id.saltmarsh-line.example", "url": "https://id.saltmarsh-line.example/.well-known/oauth-authorization-server", "status": 200, "body": {"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token"}}]}"#,
    references: &["RFC 8414, 3", "OpenID Connect Discovery 1.0, 4", "protocol 2025-11-25, authorization"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let papers = oauth.oauth_documents;
    let mut asked: BTreeMap<&str, Vec<&Answer>> = BTreeMap::new();
    for answer in papers.answers_to(Ask::ServerMetadata) {
        if let Some(issuer) = &answer.issuer {
            asked.entry(&issuer.text).or_default().push(answer);
        }
    }
    for (issuer, answers) in asked {
        let found = papers.servers.iter().filter_map(|server| server.asked.as_ref()).any(|own| own.address == issuer);
        let Some(first) = answers.first().filter(|_| !found) else { continue };
        let silent = answers.iter().all(|answer| answer.status() == 0);
        let what = if silent {
            "does not answer: nobody can log in"
        } else if answers.iter().any(|answer| answer.status() == 200 && answer.page) {
            "has a page for people where its metadata should be"
        } else {
            "publishes no metadata"
        };
        let at = first.url.as_ref().unwrap_or(&first.start);
        // The network of whoever asks may be at fault.
        out.hit(at)
            .arg("issuer", issuer)
            .arg("what", what)
            .circumstance_if(silent, Circumstance::Weak)
            .confidence(if silent { Confidence::Possible } else { Confidence::Certain });
    }
}
