//! The line of a finding as it may be shown: secrets masked by their place, the marked part known, not too long.

use crate::prelude::*;
use crate::read::Document;
use crate::text::{Clean, Cleaner, Span, mask};
use core::ops::Range;

/// A line of a document with the part that a finding is about.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Excerpt {
    /// What stands before the marked part.
    pub before: Clean,
    /// The marked part; of a place over several lines the first line's share.
    pub marked: Clean,
    /// What stands behind it.
    pub after: Clean,
    /// Is more of the line left out at the start, at the end?
    pub cut: (bool, bool),
}

impl Excerpt {
    /// The whole excerpt in one text.
    pub fn text(&self) -> String {
        let dots = |cut| if cut { "…" } else { "" };
        format!("{}{}{}{}{}", dots(self.cut.0), self.before, self.marked, self.after, dots(self.cut.1))
    }
}

/// Characters kept on either side of the marked part, and of the marked part itself.
const AROUND: usize = 48;
const MARKED: usize = 120;

/// Cuts the excerpt of `span`; `secrets` are the places of secrets in the document, sorted.
pub(super) fn excerpt(document: &Document, span: Span, secrets: &[Span], cleaner: &Cleaner) -> Excerpt {
    let text = document.text.as_str();
    let line = document.lines.position(text, span.start as usize).line;
    let whole = document.lines.range(text, line);
    let marked = whole.start.max(span.start as usize)..whole.end.min(span.end as usize).max(span.start as usize);
    let before = window_back(text, &(whole.start..marked.start), secrets);
    let after = window_forward(text, &(marked.end..whole.end), AROUND, secrets);
    let shown = window_forward(text, &marked, MARKED, secrets);
    let clean = |range: &Range<usize>| cleaner.clean(&masked(text, range, secrets));
    let trimmed_start = text.get(before.clone()).map_or(0, |t| t.len() - t.trim_start().len());
    let lead = if before.start == whole.start { before.start + trimmed_start..before.end } else { before.clone() };
    Excerpt {
        before: clean(&lead),
        marked: clean(&shown),
        after: if shown.end < marked.end { Clean::default() } else { clean(&after) },
        cut: (before.start > whole.start, shown.end < marked.end || after.end < whole.end),
    }
}

/// The text of a range with every secret that touches it masked whole.
fn masked(text: &str, range: &Range<usize>, secrets: &[Span]) -> String {
    let mut out = String::new();
    let mut at = range.start;
    for secret in secrets.iter().map(|s| s.range()).filter(|s| s.start < range.end && s.end > range.start) {
        if secret.start > at {
            out.push_str(text.get(at..secret.start).unwrap_or_default());
        }
        if secret.end > at {
            // The quotes are the notation's, not the secret's.
            let raw = text.get(secret.clone()).unwrap_or_default();
            let bare = raw.trim_matches(['"', '\'']);
            let quote = if bare.len() + 2 == raw.len() { raw.get(..1).unwrap_or_default() } else { "" };
            out.push_str(&format!("{quote}{}{quote}", mask(bare)));
            at = secret.end;
        }
    }
    if at < range.end {
        out.push_str(text.get(at..range.end).unwrap_or_default());
    }
    out
}

/// The last [`AROUND`] characters of a range, not beginning inside a secret.
fn window_back(text: &str, range: &Range<usize>, secrets: &[Span]) -> Range<usize> {
    let part = text.get(range.clone()).unwrap_or_default();
    let start = part.char_indices().rev().take(AROUND).last().map_or(range.end, |(at, _)| range.start + at);
    let start = secrets
        .iter()
        .map(|s| s.range())
        .find(|s| s.start < start && s.end > start)
        .map_or(start, |s| s.start.max(range.start));
    start..range.end
}

/// The first `most` characters of a range, not ending inside a secret.
fn window_forward(text: &str, range: &Range<usize>, most: usize, secrets: &[Span]) -> Range<usize> {
    let part = text.get(range.clone()).unwrap_or_default();
    let end = part.char_indices().nth(most).map_or(range.end, |(at, _)| range.start + at);
    let end =
        secrets.iter().map(|s| s.range()).find(|s| s.start < end && s.end > end).map_or(end, |s| s.end.min(range.end));
    range.start..end
}
