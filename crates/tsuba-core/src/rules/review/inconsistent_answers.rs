use crate::evidence::VariesBy;
use crate::judge::{Check, Circumstance, Listings, Out, Rule, Verdict, Ways};
use crate::severity::{Confidence, Severity};

pub(super) static RULE: Rule = Rule {
    id: "review/inconsistent-answers",
    title: "server returns different tools to different clients",
    severity: Severity::High,
    verdict: Verdict::Refuse,
    message: "to {who} the server lists {item} {what}",
    why: "What was reviewed is not what people's models read: a server that looks at who asks can show a reviewer its good side.",
    fix: "Ask the author why. Approve only what every client is shown, and compare again.",
    before: r#"{ "schema": "tsuba-evidence/1", "setup": ".mcp.json", "entry": "tide-table", "sessions": [{ "era": "handshake", "as": "tsuba" }, { "era": "handshake", "as": "another client" }], "differs": [{ "sessions": [0, 1], "method": "tools/list", "item": "tide_extra", "what": "only in the second" }] }"#,
    after: r#"{ "schema": "tsuba-evidence/1", "setup": ".mcp.json", "entry": "tide-table", "sessions": [{ "era": "handshake", "as": "tsuba" }, { "era": "handshake", "as": "another client" }] }"#,
    references: &["protocol 2025-11-25, lifecycle", "CWE-807"],
    ways: Ways::PLAIN.formerly("review/two-faced"),
    check: Check::Listing(check),
};

fn check(listings: &Listings<'_>, out: &mut Out<'_>) {
    for differs in listings.listing.captured.iter().flat_map(|captured| &captured.differs) {
        let by_name = differs.by == VariesBy::Name;
        let who = match differs.by {
            VariesBy::Name => "a client of another name",
            VariesBy::Abilities => "a client with more capabilities",
            VariesBy::Era => "the same client in another era of the protocol",
        };
        let what = match differs.what.as_str() {
            "only in the first" => "no more",
            "only in the second" => "as well",
            _ => "otherwise",
        };
        // Some tools need a client with more capabilities, and the eras of the protocol have their own forms: that is told, and no fraud.
        out.hit(&differs.at)
            .arg("who", who)
            .arg("item", differs.at.text.clone())
            .arg("what", what)
            .circumstance_if(!by_name, Circumstance::Faint)
            .confidence(if by_name { Confidence::Certain } else { Confidence::Possible });
    }
}
