use crate::judge::{Check, Circumstance, Confidence, Listings, Out, Rule, Severity, Verdict};

pub(super) static RULE: Rule = Rule {
    id: "review/two-faced",
    title: "a server answers one client otherwise than another",
    severity: Severity::High,
    verdict: Verdict::Refuse,
    says: "asked by {who}, the server lists {item} {what}",
    why: "What was reviewed is not what people's models read: a server that looks at who asks can show a reviewer its good side.",
    fix: "Ask the author why. Approve only what every client is shown, and compare again.",
    before: r#"{ "schema": "tsuba-evidence/1", "setup": ".mcp.json", "entry": "tide-table", "sessions": [{ "era": "handshake", "as": "tsuba" }, { "era": "handshake", "as": "another client" }], "differs": [{ "sessions": [0, 1], "method": "tools/list", "item": "tide_extra", "what": "only in the second" }] }"#,
    after: r#"{ "schema": "tsuba-evidence/1", "setup": ".mcp.json", "entry": "tide-table", "sessions": [{ "era": "handshake", "as": "tsuba" }, { "era": "handshake", "as": "another client" }] }"#,
    references: &["protocol 2025-11-25, lifecycle", "CWE-807"],
    check: Check::Listing(check),
};

fn check(listings: &Listings<'_>, out: &mut Out<'_>) {
    for differs in listings.listing.captured.iter().flat_map(|captured| &captured.differs) {
        // The eras of the protocol have their own forms, and some servers list more in the newer.
        out.hit(&differs.at)
            .word("who", if differs.by_client { "another client" } else { "another era of the protocol" })
            .word("item", differs.at.text.clone())
            .word(
                "what",
                match differs.what.as_str() {
                    "only in the first" => "no more",
                    "only in the second" => "as well",
                    _ => "otherwise",
                },
            )
            .because_if(!differs.by_client, Circumstance::Faint)
            .sure(if differs.by_client { Confidence::Certain } else { Confidence::Possible });
    }
}
