use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/token-in-query",
    title: "access token accepted in the URL",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "the server takes tokens from {where}",
    why: "Addresses are kept in histories, logs and proxies: the token lies in all of them.",
    fix: "Accept tokens in the Authorization header only, as this protocol demands.",
    before: r#"{"resource": "https://tides.saltmarsh-line.example/mcp", "authorization_servers": ["https://id.saltmarsh-line.example"], "bearer_methods_supported": ["header", "query"]}"#,
    after: r#"{"resource": "https://tides.saltmarsh-line.example/mcp", "authorization_servers": ["https://id.saltmarsh-line.example"], "bearer_methods_supported": ["header"]}"#,
    references: &["RFC 6750, 2.3", "RFC 9728, 2", "RFC 9700, 4.3.2"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for method in oauth.oauth_documents.resources.iter().flat_map(|resource| &resource.methods) {
        let place = match method.text.as_str() {
            "query" => "the address's query",
            "body" => "a form's body",
            _ => continue,
        };
        out.hit(method).arg("where", place).circumstance_if(method.text == "body", Circumstance::Faint);
    }
}
