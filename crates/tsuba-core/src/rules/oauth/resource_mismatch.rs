use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/resource-mismatch",
    title: "metadata describes a different server",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "the metadata describes {resource}, but {asked} was requested",
    why: "Clients must refuse them: a token that is asked for with them is good at the other server, and this one can use it there.",
    fix: "Publish metadata whose resource is this server's own address.",
    before: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "resource-metadata", "url": "https://tides.saltmarsh-line.example/.well-known/oauth-protected-resource/mcp", "status": 200, "body": {"resource": "https://fares.saltmarsh-line.example/mcp", "authorization_servers": ["https://id.saltmarsh-line.example"]}}]}"#,
    after: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "resource-metadata", "url": "https://tides.saltmarsh-line.example/.well-known/oauth-protected-resource/mcp", "status": 200, "body": {"resource": "https://tides.saltmarsh-line.example/mcp", "authorization_servers": ["https://id.saltmarsh-line.example"]}}]}"#,
    references: &["RFC 9728, 3.3", "RFC 9728, 7.3", "RFC 8707, 2"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for resource in oauth.oauth_documents.resources.iter().filter(|resource| resource.is_of_asked() == Some(false)) {
        out.hit(&resource.resource)
            .arg("resource", resource.resource.text.clone())
            .arg("asked", resource.asked.clone().unwrap_or_default());
    }
}
