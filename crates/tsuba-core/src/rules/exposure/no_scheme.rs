use crate::judge::{Check, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::{Remote, Scheme};
use crate::understand::Analysis;

pub(super) static RULE: Rule = Rule {
    id: "exposure/no-scheme",
    title: "agent card without authentication or TLS",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "the card {what}",
    why: "A card tells everybody where an agent is and how to call it. Where it asks nobody who they are, its skills are everybody's; without TLS everyone on the way reads along.",
    fix: "Name the scheme by which callers show who they are (securitySchemes), and give https addresses.",
    before: r##"{ "name": "harbour-pilot", "protocolVersion": "1.0", "url": "https://pilot.saltmarsh-line.example/a2a", "capabilities": {}, "skills": [{ "id": "berths", "name": "Berths", "description": "Finds a berth." }] }"##,
    after: r##"{ "name": "harbour-pilot", "protocolVersion": "1.0", "url": "https://pilot.saltmarsh-line.example/a2a", "capabilities": {}, "skills": [{ "id": "berths", "name": "Berths", "description": "Finds a berth." }], "securitySchemes": { "id": { "type": "oauth2", "flows": { "clientCredentials": { "tokenUrl": "https://id.saltmarsh-line.example/token", "scopes": { "berths.read": "x" } } } } } }"##,
    references: &["CWE-306", "CWE-319"],
    ways: Ways::OF_CALLERS,
    check: Check::Setup(check),
};

fn check(analysis: &Analysis, out: &mut Out<'_>) {
    let Some(card) = &analysis.exposure.card else { return };
    for address in &card.addresses {
        let remote = Remote::parse(address);
        if remote.scheme == Scheme::Plain && !remote.loopback {
            out.hit(address).arg("what", format!("gives {} without TLS", remote.host));
        }
    }
    if !card.secured {
        out.hit(&card.start).arg("what", "names no scheme by which callers show who they are");
    }
}
