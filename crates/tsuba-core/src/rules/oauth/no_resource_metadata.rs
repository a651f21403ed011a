use crate::evidence::oauth::Ask;
use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/no-resource-metadata",
    title: "the server requires authorization but names no authorization server",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{what}",
    why: "Without them a client takes whatever authorization server it is told of, or its user pastes a token that fits by chance.",
    fix: "Publish protected-resource metadata at the well-known address and point to them in the challenge.",
    before: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "no-token", "url": "https://tides.saltmarsh-line.example/mcp", "status": 401, "headers": {"WWW-Authenticate": "Bearer"}}, {"ask": "resource-metadata", "url": "https://tides.saltmarsh-line.example/.well-known/oauth-protected-resource/mcp", "status": 404}]}"#,
    after: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "no-token", "url": "https://tides.saltmarsh-line.example/mcp", "status": 401, "headers": {"WWW-Authenticate": "Bearer resource_metadata=\"https://tides.saltmarsh-line.example/.well-known/oauth-protected-resource/mcp\""}}, {"ask": "resource-metadata", "url": "https://tides.saltmarsh-line.example/.well-known/oauth-protected-resource/mcp", "status": 200, "body": {"resource": "https://tides.saltmarsh-line.example/mcp", "authorization_servers": ["https://id.saltmarsh-line.example"]}}]}"#,
    references: &["RFC 9728, 2", "RFC 9728, 3", "RFC 9728, 5.1", "protocol 2025-11-25, authorization"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let papers = oauth.oauth_documents;
    let looked = papers.answers_to(Ask::ResourceMetadata).any(|answer| answer.status() > 0);
    let refused = papers.answers_to(Ask::NoToken).find(|answer| answer.status() == 401);
    if let Some(answer) = refused.filter(|_| looked && papers.resources.is_empty()) {
        let at = answer.status.as_ref().unwrap_or(&answer.start);
        let page = papers.answers_to(Ask::ResourceMetadata).any(|answer| answer.status() == 200 && answer.page);
        let what = "the server requires a token and publishes no metadata that say whose";
        let page = if page { ": a page for people lies in their place" } else { "" };
        out.hit(at).arg("what", format!("{what}{page}"));
    }
    // The RFC leaves the list out where it may; clients of this protocol need it (protocol 2025-11-25, authorization).
    for paper in papers.resources.iter().filter(|paper| paper.servers.is_empty()) {
        out.hit(paper.at()).arg(
            "what",
            "the metadata of the resource names no authorization server, so clients take whichever they are told of",
        )
            .advice("List the authorization servers whose tokens the server takes in authorization_servers.");
    }
}
