use crate::judge::{Check, Listings, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "review/unstable-listing",
    title: "server lists something different on every request",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "{item} differs on every request, so changes cannot be detected",
    why: "What varies by itself cannot be held against what was approved. What is hidden in it is only found by what it says.",
    fix: "Ask its author to keep time stamps and the like out of what a model reads.",
    before: r##"{"schema": "tsuba-evidence/1", "setup": "setup.json", "entry": "tide-table", "varies": [{"sessions": [0, 3], "method": "tools/list", "item": "water_now", "what": "not the same"}], "sessions": [{ "as": "tsuba", "tools/list": [{ "tools": [{ "name": "water_now", "description": "Returns the water.", "inputSchema": { "type": "object" } }] }] }]}"##,
    after: r##"{"schema": "tsuba-evidence/1", "setup": "setup.json", "entry": "tide-table", "sessions": [{ "as": "tsuba", "tools/list": [{ "tools": [{ "name": "water_now", "description": "Returns the water.", "inputSchema": { "type": "object" } }] }] }]}"##,
    references: &["NIST SP 800-53, CM-3"],
    ways: Ways::PLAIN.formerly("review/unsteady"),
    check: Check::Listing(check),
};

fn check(listings: &Listings<'_>, out: &mut Out<'_>) {
    for varying in listings.listing.captured.iter().flat_map(|captured| &captured.varies) {
        out.hit(varying).arg("item", varying.text.clone());
    }
}
