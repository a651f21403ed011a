use crate::judge::{Check, Circumstance, Listings, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::boundary;

pub(super) static RULE: Rule = Rule {
    id: "wording/oversized",
    title: "text too long to review",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "{what} is {size} long",
    why: "Nobody reviews a text of that length at each change, and it fills the context in which the company's own instructions stand.",
    fix: "Have the author move the manual into a resource and leave a description of a few sentences.",
    before: concat!(
        r#"{ "tools": [{ "name": "quote_fare", "description": ""#,
        include_str!("oversized.txt"),
        r#"", "inputSchema": { "type": "object" } }] }"#
    ),
    after: r#"{ "tools": [{ "name": "quote_fare", "description": "Quotes a fare for a route and a day.", "inputSchema": { "type": "object" } }] }"#,
    references: &["CWE-400"],
    ways: Ways::PLAIN,
    check: Check::Listing(check),
};

/// A text of this many characters takes a quarter of an hour to review.
const LONG: usize = 8_000;
/// Nobody reads so much.
const HUGE: usize = 40_000;

fn check(listings: &Listings<'_>, out: &mut Out<'_>) {
    for passage in listings.listing.passages.iter().filter(|p| p.at.text.len() >= LONG) {
        let count = passage.at.text.chars().count();
        if count < LONG {
            continue;
        }
        // The beginning is enough to find it by.
        let end = boundary(&passage.at.text, 60);
        out.hit(&passage.at.part(listings.source(), 0..end))
            .arg("what", listings.listing.whereabouts(passage))
            .arg("size", format!("{count} characters"))
            .circumstance_if(count >= HUGE, Circumstance::Grave);
    }
}
