use crate::judge::{Check, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::Analysis;

pub(super) static RULE: Rule = Rule {
    id: "scope/wildcard",
    title: "wildcard scope",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "the card asks for {scope}",
    why: "Whoever follows the card grants all there is, now and later. Nobody can tell afterwards what was needed.",
    fix: "Name the scopes that the skills need, one by one.",
    before: r##"{ "name": "harbour-pilot", "protocolVersion": "1.0", "url": "https://pilot.saltmarsh-line.example/a2a", "capabilities": {}, "skills": [{ "id": "berths", "name": "Berths", "description": "Finds a berth." }], "securitySchemes": { "id": { "type": "oauth2", "flows": { "clientCredentials": { "tokenUrl": "https://id.saltmarsh-line.example/token", "scopes": { "berths:*": "x" } } } } } }"##,
    after: r##"{ "name": "harbour-pilot", "protocolVersion": "1.0", "url": "https://pilot.saltmarsh-line.example/a2a", "capabilities": {}, "skills": [{ "id": "berths", "name": "Berths", "description": "Finds a berth." }], "securitySchemes": { "id": { "type": "oauth2", "flows": { "clientCredentials": { "tokenUrl": "https://id.saltmarsh-line.example/token", "scopes": { "berths:read": "x" } } } } } }"##,
    references: &["RFC 9700, 2.3", "RFC 6749, 3.3"],
    ways: Ways::PLAIN,
    check: Check::Setup(check),
};

fn check(analysis: &Analysis, out: &mut Out<'_>) {
    for scope in analysis.exposure.card.iter().flat_map(|card| &card.wild_scopes) {
        out.hit(scope).arg("scope", &scope.text);
    }
}
