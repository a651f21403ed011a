//! Dates: today's, and those that are typed.

use anyhow::Context as _;
use jiff::civil::Date;

/// The date in UTC.
pub(crate) fn today() -> Date {
    jiff::tz::TimeZone::UTC.to_datetime(jiff::Timestamp::now()).date()
}

/// A date of an option.
pub(crate) fn date(option: &str, text: &str) -> anyhow::Result<Date> {
    text.parse().with_context(|| format!("{option} {text}: not a date; write it as 2026-11-24"))
}

/// The date of `--as-of`, else today's.
pub(crate) fn as_of(text: Option<&str>) -> anyhow::Result<Date> {
    text.map_or_else(|| Ok(today()), |text| date("--as-of", text))
}
