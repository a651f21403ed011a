use crate::judge::{Check, Circumstance, Entries, OAuth, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::{Located, Remote};
use crate::understand::{is_internal, is_metadata_service};

pub(super) static RULE: Rule = Rule {
    id: "exposure/internal-target",
    title: "URL points to an internal address",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{host} is {what}",
    why: "A server that fetches for the model from there hands out what was never meant to leave: machine credentials, internal services.",
    fix: "Leave it out, or name the one internal service that is meant.",
    before: r#"{ "mcpServers": { "tide-table": { "url": "http://169.254.169.254/latest/mcp" } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "url": "https://tides.saltmarsh-line.example/mcp" } } }"#,
    references: &["CWE-918", "RFC 3927", "RFC 9728, 7.7", "protocol 2025-11-25, security best practices"],
    ways: Ways::OF_CALLERS,
    check: Check::Each(&[Check::Entry(check), Check::OAuth(named)]),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    let words = entry
        .plan
        .iter()
        .flat_map(|plan| plan.words())
        .chain(entry.variables.iter().map(|v| &v.value))
        .filter(|w| w.text.contains("://"));
    let places = entry.remote.iter().map(|r| &r.url).chain(words);
    let mut seen = BTreeSet::new();
    for place in places {
        let remote = Remote::parse(place);
        let metadata = is_metadata_service(&remote.host);
        if metadata && seen.insert(place.span) {
            out.hit(place)
                .arg("host", remote.host)
                .arg("what", "where a cloud machine reads its own credentials")
                .circumstance(Circumstance::Admin);
        }
    }
    if let Some(remote) = entry.remote.as_ref().filter(|r| r.is_private() && !seen.contains(&r.url.span)) {
        out.hit(&remote.url)
            .arg("host", &remote.host)
            .arg("what", "an address of a private network")
            .circumstance(Circumstance::Ordinary);
    }
}

/// Addresses inside that a public server, or its authorization server, has clients fetch from.
fn named(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let papers = oauth.oauth_documents;
    let public = |address: &str| {
        let place = Located { text: address.to_owned(), ..Located::default() };
        !Remote::parse(&place).host.is_empty() && is_internal(&place).is_none()
    };
    let mut seen = BTreeSet::new();
    let mut tell = |is_public: bool, what: &str, address: &Located| {
        let Some(inside) = is_internal(address) else { return };
        let remote = Remote::parse(address);
        // From there nobody has a client fetch anything, wherever the server is.
        let grave = !matches!(inside, "this machine" | "an address of a private network");
        // Every refusal points there: it is told once.
        if !(is_public || grave) || !seen.insert((what.to_owned(), address.text.clone())) {
            return;
        }
        out.hit(address)
            .arg("host", remote.host)
            .arg(
                "what",
                format!("{inside}, and {} names it as {what}", if is_public { "a public server" } else { "a server" }),
            )
            .circumstance_if(grave, Circumstance::Admin);
    };
    for paper in &papers.resources {
        let own = paper.resource.as_ref().map(|at| at.text.as_str());
        let public = own.or(paper.asked.as_ref().map(|asked| asked.address.as_str())).is_some_and(public);
        paper.servers.iter().for_each(|server| tell(public, "authorization server", server));
        paper.keys.iter().for_each(|keys| tell(public, "key set", keys));
    }
    for server in &papers.servers {
        let issuer = server.issuer.as_ref().map(|at| at.text.as_str());
        let public = server.asked.as_ref().map(|asked| asked.address.as_str()).or(issuer).is_some_and(public);
        server.issuer.iter().for_each(|issuer| tell(public, "issuer", issuer));
        for endpoint in &server.endpoints {
            tell(public, &endpoint.name.replace('_', " "), &endpoint.address);
        }
    }
    for answer in &papers.answers {
        let public = answer.url.as_ref().is_some_and(|url| public(&url.text));
        if let Some((address, at)) = answer.parameter("resource_metadata").zip(answer.challenge.as_ref()) {
            tell(public, "the place of its metadata", &at.with_text(address));
        }
        answer.location.iter().for_each(|location| tell(public, "the place to go on to", location));
        answer.endpoint.iter().for_each(|endpoint| tell(public, "the address for messages", endpoint));
    }
}
