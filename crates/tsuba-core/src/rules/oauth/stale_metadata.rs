use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "oauth/stale-metadata",
    title: "stale metadata",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{what}",
    why: "Which copy a client believes is up to the client: a login may go to an address that was given up, and that somebody else may have by now.",
    fix: "Publish one set of metadata, and take old copies away.",
    before: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "server-metadata", "issuer": "https://id.saltmarsh-line.example", "url": "https://id.saltmarsh-line.example/.well-known/oauth-authorization-server", "status": 200, "body": {"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token"}}, {"ask": "server-metadata", "issuer": "https://id.saltmarsh-line.example", "url": "https://id.saltmarsh-line.example/.well-known/openid-configuration", "status": 200, "body": {"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/old/token"}}]}"#,
    after: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "server-metadata", "issuer": "https://id.saltmarsh-line.example", "url": "https://id.saltmarsh-line.example/.well-known/oauth-authorization-server", "status": 200, "body": {"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token"}}, {"ask": "server-metadata", "issuer": "https://id.saltmarsh-line.example", "url": "https://id.saltmarsh-line.example/.well-known/openid-configuration", "status": 200, "body": {"issuer": "https://id.saltmarsh-line.example", "authorization_endpoint": "https://id.saltmarsh-line.example/authorize", "token_endpoint": "https://id.saltmarsh-line.example/token", "userinfo_endpoint": "https://id.saltmarsh-line.example/me"}}]}"#,
    references: &["RFC 8414, 3", "RFC 7591, 3.2.1", "RFC 9728, 3.2"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let servers = &oauth.oauth_documents.servers;
    for (index, server) in servers.iter().enumerate() {
        let earlier = servers.iter().take(index).filter(|other| other.issuer.text == server.issuer.text);
        let differs = earlier.flat_map(|other| {
            server.endpoints.iter().filter_map(move |endpoint| {
                let known = other.endpoint(&endpoint.name)?;
                (server.endpoint(&endpoint.name) == Some(&endpoint.address) && known.text != endpoint.address.text)
                    .then_some((endpoint, known))
            })
        });
        for (endpoint, known) in differs {
            out.hit(&endpoint.address).arg(
                "what",
                format!(
                    "two copies of the metadata of {} name two addresses for its {}: {} and {}",
                    server.issuer.text,
                    endpoint.name.replace('_', " "),
                    known.text,
                    endpoint.address.text
                ),
            );
        }
    }
    let today = oauth.today.duration_since(jiff::civil::date(1970, 1, 1)).as_secs();
    for client in &oauth.oauth_documents.clients {
        if let Some(end) = client.secret_expires.filter(|end| *end > 0 && *end < today) {
            let date =
                jiff::Timestamp::from_second(end).map(|end| end.strftime("%Y-%m-%d").to_string()).unwrap_or_default();
            out.hit(&client.start).arg("what", format!("the client's secret ran out on {date}"));
        }
    }
}
