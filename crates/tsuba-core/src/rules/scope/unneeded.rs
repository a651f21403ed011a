use super::shared;
use crate::evidence::{Listing, Needs, tools};
use crate::judge::{All, Check, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};

pub(super) static RULE: Rule = Rule {
    id: "scope/unneeded",
    title: "grant wider than the tools need",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{scopes} can be removed from {what}: {why}",
    why: "What no tool needs is only good to whoever steers the model or takes the credential.",
    fix: "Grant {kept} and leave out {scopes}.",
    before: r#"[{ "app": "tide-table", "user": "mira", "scopes": ["tides.read", "tides.write"] }, { "serverInfo": { "name": "tide-table" }, "tools": [{ "name": "list_tides", "description": "Lists the tides of a harbour.", "inputSchema": { "type": "object" } }] }]"#,
    after: r#"[{ "app": "tide-table", "user": "mira", "scopes": ["tides.read"] }, { "serverInfo": { "name": "tide-table" }, "tools": [{ "name": "list_tides", "description": "Lists the tides of a harbour.", "inputSchema": { "type": "object" } }] }]"#,
    references: &["RFC 6749, 3.3", "RFC 9700, 2.3", "RFC 7662, 2.2"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    // Thousands of grants may be for the same servers.
    let mut known: BTreeMap<Vec<*const Listing>, Option<Needs>> = BTreeMap::new();
    for held in shared::held(all) {
        let key = held.meant.listings.iter().map(|listing| core::ptr::from_ref(*listing)).collect();
        let needs = known.entry(key).or_insert_with(|| Needs::of_all(&held.meant.listings)).as_ref();
        let Some((first, needs)) = held.meant.listings.first().zip(needs) else { continue };
        let spare = needs.spare(&held.scopes);
        let scopes: Vec<&str> = spare.too_strong.iter().chain(&spare.foreign).map(String::as_str).collect();
        if scopes.is_empty() {
            continue;
        }
        // Words for the same thing may differ; that a tool only reads is told by the tool.
        let sure = if spare.too_strong.is_empty() { Confidence::Possible } else { Confidence::Likely };
        let it = if scopes.len() == 1 { "it" } else { "them" };
        let server = match held.meant.listings.len() {
            1 => first.server.text.clone(),
            count => format!("its {count} servers"),
        };
        let why = match (
            spare.too_strong.is_empty(),
            held.meant.listings.iter().map(|listing| tools(listing).count()).sum::<usize>(),
        ) {
            (true, 1) => format!("the one tool of {server} is not about {it}"),
            (true, count) => format!("none of the {count} tools of {server} is about {it}"),
            (false, 1) => format!("the one tool of {server} does less"),
            (false, count) => format!("the {count} tools of {server} do less"),
        };
        let kept = if spare.kept.is_empty() { "no scope at all".to_owned() } else { spare.kept.join(", ") };
        out.hit_in(held.entry_ref, &held.at)
            .arg("what", held.what)
            .arg("scopes", scopes.join(", "))
            .arg("why", why)
            .arg("kept", kept)
            .confidence(sure);
    }
}
