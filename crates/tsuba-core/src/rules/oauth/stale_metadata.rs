use crate::evidence::oauth::{ServerMetadata, SignedMetadata};
use crate::judge::{Check, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};

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
    references: &["RFC 8414, 3", "RFC 7591, 3.2.1", "RFC 9728, 3.2", "RFC 9728, 2.2", "RFC 8414, 2.1"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let servers = &oauth.oauth_documents.servers;
    for (index, server) in servers.iter().enumerate() {
        for (name, known) in &server.elsewhere {
            let Some(address) = server.endpoint(name) else { continue };
            out.hit(address).arg("what", copies(server, name, known, &address.text));
        }
        let issuer = |of: &ServerMetadata| of.issuer.as_ref().map(|issuer| issuer.text.clone());
        let earlier = servers.iter().take(index).filter(|other| issuer(other) == issuer(server));
        let differs = earlier.flat_map(|other| {
            server.endpoints.iter().filter_map(move |endpoint| {
                let known = other.endpoint(&endpoint.name)?;
                (server.endpoint(&endpoint.name) == Some(&endpoint.address) && known.text != endpoint.address.text)
                    .then_some((endpoint, known))
            })
        });
        for (endpoint, known) in differs {
            out.hit(&endpoint.address).arg("what", copies(server, &endpoint.name, &known.text, &endpoint.address.text));
        }
    }
    let resources = oauth.oauth_documents.resources.iter().filter_map(|paper| paper.signed.as_ref());
    let signed = resources.chain(servers.iter().filter_map(|paper| paper.signed.as_ref()));
    for signed in signed {
        copy(signed, oauth, out);
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

fn copies(server: &ServerMetadata, name: &str, one: &str, other: &str) -> String {
    format!(
        "two copies of the metadata of {} name two addresses for its {}: {one} and {other}",
        server.name(),
        name.replace('_', " "),
    )
}

/// A signed copy that says something else than what is written beside it: clients that check signatures follow the one, the others the other.
fn copy(signed: &SignedMetadata, oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let Some(claims) = &signed.claims else {
        out.hit(&signed.at).arg("what", "the signed copy of the metadata is no token that can be read");
        return;
    };
    for (member, says) in &signed.differs {
        out.hit(&signed.at).arg("what", format!("the signed copy of the metadata has another {member}: {says}"));
    }
    let today = oauth.today.duration_since(jiff::civil::date(1970, 1, 1)).as_secs();
    if claims.expires.is_some_and(|end| end < today) {
        out.hit(&signed.at).arg("what", "the signed copy of the metadata has expired");
    }
    if signed.strange_key {
        out.hit(&signed.at)
            .arg("what", "the signed copy of the metadata is signed with a key that is not in its issuer's key set")
            .confidence(Confidence::Likely);
    }
}
