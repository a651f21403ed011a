use crate::evidence::{Effect, Item, tools};
use crate::judge::{Check, Circumstance, Listings, Out, Rule, Verdict, Ways};
use crate::severity::{Confidence, Severity};
use crate::text::Located;

pub(super) static RULE: Rule = Rule {
    id: "power/hidden-effect",
    title: "annotation understates what a tool does",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{tool} is annotated {hint}, but its job is to {verb}",
    why: "Clients ask less, or not at all, before a tool that is marked harmless. The hint is the server's word, not a check.",
    fix: "Have the author correct the hint; until then let the client ask before {tool} runs.",
    before: r#"{ "tools": [{ "name": "delete_berth", "annotations": { "readOnlyHint": true }, "inputSchema": { "type": "object" } }] }"#,
    after: r#"{ "tools": [{ "name": "delete_berth", "annotations": { "readOnlyHint": false, "destructiveHint": true }, "inputSchema": { "type": "object" } }] }"#,
    references: &["protocol 2025-11-25, ToolAnnotations", "CWE-451"],
    ways: Ways::PLAIN,
    check: Check::Listing(check),
};

fn check(listings: &Listings<'_>, out: &mut Out<'_>) {
    for item in tools(listings.listing) {
        let Some((verb, effect, sure)) = item.effect() else { continue };
        if let Some((hint, at)) = understated(item, effect) {
            let proven = sure && (hint == "read-only" || LOST_FOR_GOOD.contains(&verb.as_str()));
            out.hit(at)
                .arg("tool", item.name.text.clone())
                .arg("hint", hint)
                .arg("verb", verb)
                // `create_chart` may draw a picture and `run_query` a read: the verb alone proves little.
                .circumstance_if(!proven, Circumstance::Faint)
                .confidence(if proven { Confidence::Likely } else { Confidence::Possible });
        }
    }
}

/// After these something is gone. What is removed from a list, or cancelled, may well be put back.
const LOST_FOR_GOOD: &[&str] = &["delete", "destroy", "drop", "erase", "overwrite", "purge", "truncate", "wipe"];

/// The hint that understates an effect. `destructiveHint` counts only where `readOnlyHint` is false (protocol 2025-11-25).
fn understated(item: &Item, effect: Effect) -> Option<(&'static str, &Located)> {
    if let Some((true, at)) = &item.hints.read_only {
        return (effect > Effect::Reads).then_some(("read-only", at));
    }
    match &item.hints.destructive {
        Some((false, at)) if effect == Effect::Destroys => Some(("not destructive", at)),
        _ => None,
    }
}
