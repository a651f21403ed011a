use super::shared;
use crate::evidence::oauth::When;
use crate::judge::{All, Check, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use jiff::Timestamp;
use jiff::tz::TimeZone;

pub(super) static RULE: Rule = Rule {
    id: "scope/unused-grant",
    title: "unused grant",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "{what} is not used: {how}",
    why: "Nobody misses it, and nobody would notice if somebody else used it.",
    fix: "Revoke it; whoever needs it again can ask again.",
    before: "[{ \"client\": \"tide-table\", \"user\": \"mira\", \"scope\": \"tides.read\", \"granted_at\": \"2026-01-04\", \"last_used\": \"2026-02-01\" }]",
    after: "[{ \"client\": \"tide-table\", \"user\": \"mira\", \"scope\": \"tides.read\", \"granted_at\": \"2026-01-04\", \"last_used\": \"2026-11-20\" }]",
    references: &["RFC 7009, 1", "RFC 9700, 2.3"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

/// Days without use after which a grant is told.
const LONG: i64 = 90;

fn check(all: &All<'_>, out: &mut Out<'_>) {
    let Ok(today) = TimeZone::UTC.to_timestamp(all.today.at(0, 0, 0, 0)) else { return };
    let days_since = |moment: i64| today.as_second().saturating_sub(moment) / shared::DAY;
    for held in shared::held(all) {
        let old = held.issued.is_none_or(|issued| days_since(issued) > LONG);
        let mut ago = None;
        let (how, sure) = match held.used {
            When::At(used, _) if days_since(used) > LONG => {
                // How long ago that is, is another each day: the finding stays the same.
                ago = Some(format!("{} days ago", days_since(used)));
                let day = Timestamp::from_second(used).map(|used| TimeZone::UTC.to_datetime(used).date().to_string());
                (format!("the last time was {}", day.unwrap_or_default()), Confidence::Certain)
            }
            // What has just been granted may still be used.
            When::Never(_) if old => {
                let sure = if held.issued.is_some() { Confidence::Certain } else { Confidence::Likely };
                ("there was no time that it was".to_owned(), sure)
            }
            When::Unsaid if held.meant.off => {
                ("every entry that it is for is switched off".to_owned(), Confidence::Likely)
            }
            When::Unsaid | When::Unclear | When::Never(_) | When::At(..) => continue,
        };
        let hit = out.hit_in(held.entry_ref, &held.at).arg("what", held.what).arg("how", how).confidence(sure);
        ago.into_iter().for_each(|ago| _ = hit.besides(ago));
    }
}
