use crate::judge::{Check, Listings, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "supply/deprecated",
    title: "deprecated package",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{package} is deprecated by its publisher: {why}",
    why: "Nobody mends it any more, and versions are often taken back because something is wrong with them.",
    fix: "Use what its publisher names in its place, or a version that is still kept up.",
    before: r##"{"schema": "tsuba-evidence/1", "setup": "setup.json", "entry": "tide-table", "package": {"client": "npm", "name": "@saltmarsh/tide-table", "asked": "@saltmarsh/tide-table@^2", "version": "2.4.1", "deprecated": "use @saltmarsh/tides"}, "sessions": []}"##,
    after: r##"{"schema": "tsuba-evidence/1", "setup": "setup.json", "entry": "tide-table", "package": {"client": "npm", "name": "@saltmarsh/tide-table", "asked": "@saltmarsh/tide-table@^2", "version": "2.4.1"}, "sessions": []}"##,
    references: &["CWE-1104"],
    ways: Ways::PLAIN,
    check: Check::Listing(check),
};

fn check(listings: &Listings<'_>, out: &mut Out<'_>) {
    let Some(package) = listings.listing.captured.as_ref().and_then(|captured| captured.package.as_ref()) else {
        return;
    };
    let Some(why) = package.deprecated.as_ref().filter(|why| !why.text.trim().is_empty()) else { return };
    out.hit(why).arg("package", package.named()).arg("why", why.text.clone());
}
