use crate::judge::{Check, Listings, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use jiff::civil::Date;

pub(super) static RULE: Rule = Rule {
    id: "supply/young-version",
    title: "version published only recently",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{package} was published on {day}",
    why: "A stolen publisher's account is mostly noticed within days: who waits a week lets others find out.",
    fix: "Pin the version before it, or wait until it is a week old.",
    before: r##"{"schema": "tsuba-evidence/1", "setup": "setup.json", "entry": "tide-table", "package": {"client": "npm", "name": "@saltmarsh/tide-table", "asked": "@saltmarsh/tide-table@^2", "version": "2.4.1", "published": "2026-11-22"}, "sessions": []}"##,
    after: r##"{"schema": "tsuba-evidence/1", "setup": "setup.json", "entry": "tide-table", "package": {"client": "npm", "name": "@saltmarsh/tide-table", "asked": "@saltmarsh/tide-table@^2", "version": "2.4.1", "published": "2026-10-02"}, "sessions": []}"##,
    references: &["CWE-494", "CWE-1357"],
    ways: Ways::PLAIN,
    check: Check::Listing(check),
};

/// Days in which a version is young.
const YOUNG: i32 = 7;

fn check(listings: &Listings<'_>, out: &mut Out<'_>) {
    let Some(package) = listings.listing.captured.as_ref().and_then(|captured| captured.package.as_ref()) else {
        return;
    };
    let Some(at) = &package.published else { return };
    let Ok(date) = at.text.parse::<Date>() else { return };
    let Ok(days) = listings.today.since(date).map(|span| span.get_days()) else { return };
    if days < YOUNG {
        let when = match days {
            ..=0 => "today".to_owned(),
            1 => "yesterday".to_owned(),
            days => format!("{days} days ago"),
        };
        // How long ago that is, is another each day: the finding stays the same.
        out.hit(at).arg("package", package.named()).arg("day", date.to_string()).besides(when);
    }
}
