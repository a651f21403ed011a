//! The line of a finding as it may be shown: secrets masked by their place, the marked part known, not too long.

use crate::prelude::*;
use crate::read::Document;
use crate::text::{Clean, Redactor, Span, boundary, joined, mask};
use core::ops::Range;

/// A line of a document with the part that a finding is about.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Excerpt {
    /// The line as it may be shown; where more of it is left out at its start or its end, with a sign for that.
    pub text: Clean,
    /// The part that is meant, in characters; of a place over several lines the first line's share.
    pub marked: Range<usize>,
}

/// Characters kept on either side of the marked part, and of the marked part itself.
const AROUND: usize = 48;
const MARKED: usize = 120;

/// The secrets that touch a range; `secrets` are sorted and do not overlap.
fn touching<'s>(secrets: &'s [Span], range: &Range<usize>) -> &'s [Span] {
    let from = secrets.partition_point(|s| s.end as usize <= range.start);
    let to = secrets.partition_point(|s| (s.start as usize) < range.end);
    secrets.get(from..to.max(from)).unwrap_or_default()
}

/// Cuts the excerpt of `span`; `secrets` are the places of secrets in the document, sorted and not overlapping.
pub(super) fn excerpt(document: &Document, span: Span, secrets: &[Span], cleaner: &Redactor) -> Excerpt {
    let text = document.text.as_str();
    let line = document.lines.position(text, span.start as usize).line;
    let whole = document.lines.range(text, line);
    let marked = whole.start.max(span.start as usize)..whole.end.min(span.end as usize).max(span.start as usize);
    let (secrets, seen) = around(text, &whole, &marked, secrets, cleaner);
    let secrets = secrets.as_slice();
    // A mark that touches a secret is the whole of the secret, so that its mask is drawn once.
    let touched = touching(secrets, &marked).iter().map(|s| s.range());
    let marked =
        touched.fold(marked.clone(), |m, s| m.start.min(s.start.max(whole.start))..m.end.max(s.end.min(whole.end)));
    let before = window_back(text, &(whole.start..marked.start), secrets);
    let after = window_forward(text, &(marked.end..whole.end), AROUND, secrets);
    let shown = window_forward(text, &marked, MARKED, secrets);
    let clean = |range: &Range<usize>| {
        let masked = masked(text, range, secrets);
        // A mark that grew to the whole of a long secret reaches further than was looked.
        let looked = range.start >= seen.start && range.end <= seen.end;
        if looked { cleaner.clean_masked(&masked) } else { cleaner.clean(&masked) }
    };
    let trimmed_start = text.get(before.clone()).map_or(0, |t| t.len() - t.trim_start().len());
    let lead = if before.start == whole.start { before.start + trimmed_start..before.end } else { before.clone() };
    let dots = |cut| Clean::constant(if cut { "…" } else { "" });
    let (front, back) = (dots(before.start > whole.start), dots(shown.end < marked.end || after.end < whole.end));
    let (lead, shown, after) =
        (clean(&lead), clean(&shown), if shown.end < marked.end { Clean::default() } else { clean(&after) });
    let width = |text: &Clean| text.as_str().chars().count();
    let start = width(&front) + width(&lead);
    Excerpt { marked: start..start + width(&shown), text: Clean::joined(&[&front, &lead, &shown, &after, &back]) }
}

/// What is looked through for secrets that nobody has named: so much on either side of the marked part (bytes), and on to the end of a word.
const NEAR: usize = 4 * AROUND;
const MAX_WORD: usize = 1 << 10;

/// The secrets around the marked part: those that are known by their place, and those that look like one; and how far was looked.
fn around(
    text: &str,
    line: &Range<usize>,
    marked: &Range<usize>,
    secrets: &[Span],
    cleaner: &Redactor,
) -> (Vec<Span>, Range<usize>) {
    let shown = marked.start..marked.end.min(marked.start + 4 * MARKED);
    let ends = |c: char| c.is_whitespace() || "\"',;".contains(c);
    let start = boundary(text, shown.start.saturating_sub(NEAR).max(line.start));
    let before = text.get(boundary(text, start.saturating_sub(MAX_WORD).max(line.start))..start).unwrap_or_default();
    let start = start - before.len() + before.rfind(ends).map_or(0, |at| at + 1);
    let end = boundary(text, (shown.end + NEAR).min(line.end));
    let after = text.get(end..boundary(text, (end + MAX_WORD).min(line.end))).unwrap_or_default();
    let end = end + after.find(ends).unwrap_or(after.len());
    let places = cleaner.masker().places(text.get(start..end).unwrap_or_default());
    let unnamed = places.into_iter().map(|place| start + place.start..start + place.end);
    let known = touching(secrets, &(start..end)).iter().map(|secret| secret.range());
    let all = joined(unnamed.chain(known).collect()).into_iter().map(|place| Span::new(place.start, place.end));
    (all.collect(), start..end)
}

/// Quotes as notations write them; those of a configuration in a notebook or in HTML are escapes.
const QUOTES: &[&str] = &["\"", "'", "\\\"", "&quot;"];

/// The text of a range with every secret that touches it masked whole. `secrets` are sorted and do not overlap, as [`secret_spans`] gives
/// them. The rest may hold others, in places that nobody has looked at: a [`Redactor`] knows them.
///
/// [`secret_spans`]: super::secret_spans
pub fn masked(text: &str, range: &Range<usize>, secrets: &[Span]) -> String {
    let mut out = String::new();
    if range.is_empty() {
        return out;
    }
    let mut at = range.start;
    for secret in touching(secrets, range).iter().map(|s| s.range()) {
        if secret.start > at {
            out.push_str(text.get(at..secret.start).unwrap_or_default());
        }
        if secret.end > at {
            // The quotes are the notation's, not the secret's.
            let raw = text.get(secret.clone()).unwrap_or_default();
            let (quote, bare) = QUOTES
                .iter()
                .find_map(|quote| Some((*quote, raw.strip_prefix(quote)?.strip_suffix(quote)?)))
                .unwrap_or(("", raw.trim_matches(['"', '\''])));
            out.push_str(&format!("{quote}{}{quote}", mask(bare)));
            at = secret.end;
        }
    }
    if at < range.end {
        out.push_str(text.get(at..range.end).unwrap_or_default());
    }
    out
}

/// The secret that a place lies inside of.
fn inside(secrets: &[Span], at: usize) -> Option<Range<usize>> {
    touching(secrets, &(at..at + 1)).iter().map(|s| s.range()).find(|s| s.start < at)
}

/// The last [`AROUND`] characters of a range, not beginning inside a secret.
fn window_back(text: &str, range: &Range<usize>, secrets: &[Span]) -> Range<usize> {
    let part = text.get(range.clone()).unwrap_or_default();
    let start = part.char_indices().rev().take(AROUND).last().map_or(range.end, |(at, _)| range.start + at);
    let start = inside(secrets, start).map_or(start, |s| s.start.max(range.start));
    start..range.end
}

/// The first `most` characters of a range, not ending inside a secret.
fn window_forward(text: &str, range: &Range<usize>, most: usize, secrets: &[Span]) -> Range<usize> {
    let part = text.get(range.clone()).unwrap_or_default();
    let end = part.char_indices().nth(most).map_or(range.end, |(at, _)| range.start + at);
    let end = inside(secrets, end).map_or(end, |s| s.end.min(range.end));
    range.start..end
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::{Input, read};
    use crate::text::Masker;

    fn shown(text: &str, mark: &str, secret: &str) -> String {
        let document = read(Input { path: "a.yaml".into(), bytes: text.into(), ..Input::default() }).unwrap();
        let place = |part: &str| text.find(part).map(|at| Span::new(at, at + part.len()));
        let secrets: Vec<Span> = place(secret).filter(|_| !secret.is_empty()).into_iter().collect();
        let e = excerpt(&document, place(mark).unwrap(), &secrets, &Redactor::new(Masker::new([], [], |_| Vec::new())));
        let part =
            |range: Range<usize>| e.text.as_str().chars().skip(range.start).take(range.len()).collect::<String>();
        let Range { start, end } = e.marked;
        format!("{}[{}]{}", part(0..start), part(start..end), part(end..usize::MAX))
    }

    #[test]
    fn secrets_are_masked_by_place_before_anything_is_cut() {
        let long = "x".repeat(300);
        for (text, mark, secret, want) in [
            ("a:\n  key: one two\n", "one", "", "key: [one] two".to_owned()),
            ("key: hunter2hunter2", "hunter2hunter2", "hunter2hunter2", "key: [hu…(14 chars)]".into()),
            ("key: hunter2hunter2 b", "b", "hunter2hunter2", "key: hu…(14 chars) [b]".into()),
            ("key: hunter2hunter2", "ter2", "hunter2hunter2", "key: [hu…(14 chars)]".into()),
            (
                "k: |\n  line one\n  line two\n",
                "line one\n  line two",
                "line one\n  line two",
                "[lin…(19 chars)]".into(),
            ),
            (&format!("k: {long}"), &long, &long, "k: [xxxx…(300 chars)]".into()),
            (&format!("k: {long} end"), "end", &long, "…xxxx…(300 chars) [end]".into()),
            (&format!("k: {}end", "ab ".repeat(40)), "end", "", format!("…{}[end]", "ab ".repeat(16))),
        ] {
            assert_eq!(shown(text, mark, secret), want, "{text}");
        }
    }
}
