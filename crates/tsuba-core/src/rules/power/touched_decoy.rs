use crate::judge::{Check, Circumstance, Listings, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "power/touched-decoy",
    title: "server opened a decoy file",
    severity: Severity::Critical,
    verdict: Verdict::Refuse,
    message: "in the cage the server opened {file}, a decoy",
    why: "Nothing but looking for credentials leads to such a file. Outside of the cage it would have been the person's own.",
    fix: "Refuse the server, and look for it on every machine where it has run.",
    before: r#"{ "schema": "tsuba-evidence/1", "setup": ".mcp.json", "entry": "quay-files", "cage": { "decoys": ["~/.ssh/id_ed25519"] } }"#,
    after: r#"{ "schema": "tsuba-evidence/1", "setup": ".mcp.json", "entry": "quay-files", "cage": {} }"#,
    references: &["CWE-552", "CWE-506"],
    ways: Ways::PLAIN,
    check: Check::Listing(check),
};

/// Settings that the libraries of some services read by themselves, whatever the server is for.
const READ_BY_LIBRARIES: &[&str] =
    &["~/.netrc", "~/.aws/credentials", "~/.kube/config", "~/.docker/config.json", "~/.config/gcloud"];

fn check(listings: &Listings<'_>, out: &mut Out<'_>) {
    for decoy in listings.listing.captured.iter().flat_map(|captured| &captured.touched.decoys) {
        let by_library = READ_BY_LIBRARIES.iter().any(|file| decoy.text.starts_with(file));
        // A client for such a service opens them too: high, not critical.
        out.hit(decoy).arg("file", decoy.text.clone()).circumstance_if(by_library, Circumstance::Weak);
    }
}
