use super::shared::{self, MAX_TOLD, told};
use crate::evidence::oauth::{LinkedBy, covers};
use crate::judge::{All, Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::rules::held::used;
use crate::severity::{Confidence, Severity};

pub(super) static RULE: Rule = Rule {
    id: "oauth/resource-mismatch",
    title: "metadata or token of a different server",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{what}",
    why: "Clients and servers must refuse them: a token that is asked for with them is good at the other server, and this one can use it there.",
    fix: "Publish metadata whose resource is this server's own address.",
    before: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "resource-metadata", "url": "https://tides.saltmarsh-line.example/.well-known/oauth-protected-resource/mcp", "status": 200, "body": {"resource": "https://fares.saltmarsh-line.example/mcp", "authorization_servers": ["https://id.saltmarsh-line.example"]}}]}"#,
    after: r#"{"schema": "tsuba-evidence/1", "entry": "tide-table", "url": "https://tides.saltmarsh-line.example/mcp", "http": [{"ask": "resource-metadata", "url": "https://tides.saltmarsh-line.example/.well-known/oauth-protected-resource/mcp", "status": 200, "body": {"resource": "https://tides.saltmarsh-line.example/mcp", "authorization_servers": ["https://id.saltmarsh-line.example"]}}]}"#,
    references: &["RFC 9728, 3.3", "RFC 9728, 7.3", "RFC 8707, 2", "RFC 9068, 4", "OpenID Connect Core 1.0, 2"],
    ways: Ways::OF_CALLERS,
    check: Check::Each(&[Check::OAuth(documents), Check::All(tokens)]),
};

fn documents(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    for paper in &oauth.oauth_documents.resources {
        let asked = paper.asked.as_ref();
        let Some(resource) = paper.resource.as_ref().map(|resource| resource.text.as_str()) else {
            let whose = asked
                .map_or_else(|| "it is".to_owned(), |asked| format!("{}{} is", told(&asked.address), asked.told()));
            let what =
                format!("the metadata names no resource that is an address: no client can tell whether {whose} meant");
            out.hit(&paper.start).arg("what", what);
            continue;
        };
        let shown = told(resource);
        let what = match asked {
            Some(asked) if covers(resource, &asked.address) == Some(false) => match asked.by {
                LinkedBy::Origin => {
                    format!("the metadata describes {shown}, but {} was requested", told(&asked.address))
                }
                _ => format!(
                    "the metadata{} describes {shown}, but the server is {}",
                    asked.told(),
                    told(&asked.address)
                ),
            },
            Some(asked) if query(resource).is_some() && query(resource) != query(&asked.address) => {
                format!(
                    "the metadata{} describes {shown} with a query that {} does not have",
                    asked.told(),
                    told(&asked.address)
                )
            }
            _ if resource.contains('#') => {
                format!("the resource {shown} has a fragment, and no client may accept it")
            }
            _ => continue,
        };
        out.hit(paper.at()).arg("what", what).confidence(shared::confidence(asked));
    }
}

fn query(address: &str) -> Option<&str> {
    address.split('#').next().unwrap_or(address).split_once('?').map(|(_, query)| query)
}

/// Tokens that were made for another server, or for a client.
fn tokens(all: &All<'_>, out: &mut Out<'_>) {
    for token in used(all) {
        let Some(server) = &token.server else { continue };
        let what = if token.identifies && token.at_server {
            let client = token.audience.first().map_or("a client", String::as_str);
            format!(
                "{} is an identity token for {client}, and is used as access token for {}",
                token.what,
                told(server)
            )
        } else {
            let named: Vec<&str> =
                token.audience.iter().map(String::as_str).filter(|aud| aud.contains("://")).collect();
            let meant = |aud: &&str| {
                token.resources.iter().chain([server]).any(|own| covers(aud, own) == Some(true) || *aud == own)
            };
            if named.is_empty() || named.len() < token.audience.len() || named.iter().any(meant) {
                continue;
            }
            let named: Vec<_> = named.into_iter().take(MAX_TOLD).map(told).collect();
            format!("{} is for {}, not for {}", token.what, named.join(", "), told(server))
        };
        // Where no metadata say what the server calls itself, it may go by another name than its address.
        let known = token.resources.is_empty();
        out.hit_in(token.entry_ref, &token.audience_at)
            .arg("what", what)
            .advice(
                "Have a token issued for this server (the resource parameter), and have the server refuse every other.",
            )
            .circumstance_if(known, Circumstance::Weak)
            .confidence(if known { Confidence::Possible } else { Confidence::Likely });
    }
}
