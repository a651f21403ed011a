use crate::judge::{Check, Circumstance, OAuth, Out, Rule, Verdict, Ways};
use crate::policy::Ruling;
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::Located;

pub(super) static RULE: Rule = Rule {
    id: "oauth/provider-not-allowed",
    title: "identity provider not allowed by policy",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "the policy {how} the identity provider {issuer}",
    why: "Who issues the tokens decides who may act. The company has decided whose tokens its people use.",
    fix: "Have the server accept tokens of an allowed provider, or have the policy (tsuba.toml) changed.",
    before: r##"--- tsuba.toml
[allow]
identity_providers = ["id.saltmarsh-line.example"]
--- resource.json
{ "resource": "https://tides.saltmarsh-line.example/mcp", "authorization_servers": ["https://login.tides.example"] }"##,
    after: r##"--- tsuba.toml
[allow]
identity_providers = ["id.saltmarsh-line.example"]
--- resource.json
{ "resource": "https://tides.saltmarsh-line.example/mcp", "authorization_servers": ["https://id.saltmarsh-line.example"] }"##,
    references: &["RFC 9728, 2", "RFC 8414, 2"],
    ways: Ways::OF_CALLERS,
    check: Check::OAuth(check),
};

fn check(oauth: &OAuth<'_>, out: &mut Out<'_>) {
    let named = oauth.oauth_documents.resources.iter().flat_map(|resource| &resource.servers);
    let own = oauth.oauth_documents.servers.iter().filter_map(|server| server.issuer.as_ref());
    let taken = oauth.oauth_documents.acceptances.iter().flat_map(|taken| &taken.issuers);
    let mut issuers: Vec<&Located> = named.chain(own).chain(taken).collect();
    // A capture holds what the resource names and what that server says of itself: the same provider is told once.
    let mut seen = BTreeSet::new();
    issuers.retain(|issuer| seen.insert(issuer.text.trim_end_matches('/')));
    for issuer in issuers {
        let ruling = oauth.policy.identity_provider(&issuer.text);
        let Some(how) = ruling.against() else { continue };
        out.hit(issuer)
            .arg("how", how)
            .arg("issuer", &issuer.text)
            .circumstance_if(matches!(ruling, Ruling::Refused(_)), Circumstance::Grave);
    }
}
