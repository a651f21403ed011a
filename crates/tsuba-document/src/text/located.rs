//! A piece of text that knows where it stands, and keeps knowing it when it is cut.

use super::Pointer;
use crate::prelude::*;
use core::ops::Range;

/// A range of bytes in a document's decoded text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct Span {
    /// First byte.
    pub start: u32,
    /// One past the last byte.
    pub end: u32,
}

impl Span {
    /// A span from offsets; offsets past 4 GiB are cut (no document that large is read).
    pub fn new(start: usize, end: usize) -> Self {
        let clamp = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
        Self { start: clamp(start), end: clamp(end.max(start)) }
    }

    /// The span as a range of offsets.
    pub fn range(self) -> Range<usize> {
        self.start as usize..self.end as usize
    }

    /// Does this span lie wholly inside `outer`?
    pub fn within(self, outer: Span) -> bool {
        self.start >= outer.start && self.end <= outer.end
    }
}

/// A decoded text and its place: `span` covers the text as written, with its quotes; `pointer` names the value.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Located {
    /// The text after escapes are resolved. Hostile: it goes out only through [`super::Redactor`].
    pub text: String,
    /// Where it is written.
    pub span: Span,
    /// Which value it is, or is part of.
    pub pointer: Pointer,
}

/// Places in their order, those that overlap joined.
pub fn joined(mut places: Vec<Range<usize>>) -> Vec<Range<usize>> {
    places.sort_by_key(|place| (place.start, place.end));
    places.dedup_by(|next, kept| {
        let overlaps = next.start < kept.end;
        if overlaps {
            kept.end = kept.end.max(next.end);
        }
        overlaps
    });
    places
}

impl Located {
    /// The part `range` (byte offsets in the decoded text) with its own exact place in `source`.
    /// Escapes are followed; where the written form cannot be followed (a nested quoting, a folded scalar), the
    /// part keeps the place of the whole.
    #[must_use]
    pub fn part(&self, source: &str, range: Range<usize>) -> Located {
        if range.start == 0 && range.end == self.text.len() {
            return self.clone();
        }
        self.parts(source).part(range)
    }

    /// Where the parts of this value are written: for one of which many are wanted, since its written form is followed only once.
    pub fn parts(&self, source: &str) -> Parts<'_> {
        Parts {
            whole: self,
            places: source.get(self.span.range()).map_or(Places::Unknown, |raw| places(raw, &self.text)),
        }
    }

    /// The same place with another text: for a value derived from what is written there.
    #[must_use]
    pub fn with_text(&self, text: impl Into<String>) -> Located {
        Located { text: text.into(), span: self.span, pointer: self.pointer.clone() }
    }
}

/// The parts of a value, each with its own exact place.
#[derive(Clone, Debug)]
pub struct Parts<'v> {
    whole: &'v Located,
    places: Places,
}

/// Where a decoded text is written.
#[derive(Clone, Debug)]
enum Places {
    /// To the letter, from this offset on.
    Plain(usize),
    /// Each byte of it, and its end, as far as it can be followed.
    Each(Vec<u32>),
    /// It cannot be followed.
    Unknown,
}

impl Parts<'_> {
    /// The value itself.
    pub fn whole(&self) -> &Located {
        self.whole
    }

    /// The part `range`, as [`Located::part`] gives it.
    #[must_use]
    pub fn part(&self, range: Range<usize>) -> Located {
        let Located { text, span, pointer } = self.whole;
        let place = |at: usize| match &self.places {
            Places::Plain(offset) => Some(offset + at),
            Places::Each(places) => places.get(at).map(|place| *place as usize),
            Places::Unknown => None,
        };
        let written = match (place(range.start), place(range.end)) {
            _ if range.start == 0 && range.end == text.len() => None,
            (Some(start), Some(end)) if start <= end && end <= span.range().len() => Some(start..end),
            _ => None,
        };
        let own =
            |written: Range<usize>| Span::new(span.start as usize + written.start, span.start as usize + written.end);
        Located {
            text: text.get(range).unwrap_or_default().to_owned(),
            span: written.map_or(*span, own),
            pointer: pointer.clone(),
        }
    }
}

/// Follows `decoded` through `raw`, a quoted or plain scalar of any notation.
fn places(raw: &str, decoded: &str) -> Places {
    // The common case: nothing is escaped, so the text stands in its raw form to the letter.
    if let Some(at) = memchr::memmem::find(raw.as_bytes(), decoded.as_bytes()) {
        return Places::Plain(at);
    }
    if let Some(places) = line_by_line(raw, decoded) {
        return Places::Each(places);
    }
    let mut at = raw.len() - raw.trim_start_matches(['"', '\'']).len();
    let mut places = Vec::with_capacity(decoded.len() + 1);
    for c in decoded.chars() {
        let Ok(place) = u32::try_from(at) else { return Places::Unknown };
        places.extend(core::iter::repeat_n(place, c.len_utf8()));
        match raw.get(at..).and_then(|rest| written_length(rest, c)) {
            Some(length) => at += length,
            // What comes before it has its place all the same.
            None => return Places::Each(places),
        }
    }
    places.extend(u32::try_from(at));
    Places::Each(places)
}

/// Follows a block scalar (YAML 1.2, 8.1): each line of it stands to the letter behind the indentation.
fn line_by_line(raw: &str, decoded: &str) -> Option<Vec<u32>> {
    if !decoded.contains('\n') || raw.starts_with(['"', '\'']) {
        return None;
    }
    let mut written = raw.split_inclusive('\n');
    let mut at = 0;
    // `|` and how the end is treated stand in a line of their own.
    if raw.starts_with(['|', '>']) {
        at += written.next()?.len();
    }
    let mut places = Vec::with_capacity(decoded.len() + 1);
    for line in decoded.split_inclusive('\n') {
        let content = line.trim_end_matches('\n');
        let own = written.next().unwrap_or_default();
        let bare = own.trim_end_matches(['\n', '\r']);
        // Blank lines need no indentation.
        let lead = if content.is_empty() { 0 } else { bare.strip_suffix(content)?.len() };
        if !bare.get(..lead)?.bytes().all(|byte| byte == b' ') {
            return None;
        }
        places.extend((0..line.len()).map(|byte| u32::try_from(at + lead + byte).unwrap_or(u32::MAX)));
        at += own.len();
    }
    places.push(u32::try_from(at.min(raw.len())).unwrap_or(u32::MAX));
    Some(places)
}

/// How many bytes of `raw` write the character `wanted`; `None` when it is not written there.
fn written_length(raw: &str, wanted: char) -> Option<usize> {
    let first = raw.chars().next()?;
    if first == '\\' {
        let kind = raw.get(1..)?.chars().next()?;
        let digits = match kind {
            'u' => 4,
            'x' => 2,
            'U' => 8,
            _ if wanted == '\\' && kind != '\\' => return Some(1),
            other => return Some(1 + other.len_utf8()),
        };
        let code = u32::from_str_radix(raw.get(2..2 + digits)?, 16).ok()?;
        // A high surrogate is followed by a second escape of the same length.
        return Some(if (0xD800..0xDC00).contains(&code) { 2 * (2 + digits) } else { 2 + digits });
    }
    if first == wanted {
        // A doubled single quote is one quote (YAML 1.2, section 7.3.2).
        return Some(if first == '\'' && raw.starts_with("''") { 2 } else { first.len_utf8() });
    }
    if wanted == ' ' || wanted == '\n' {
        // A folded line end with the next line's indentation.
        let folded = raw.len() - raw.trim_start().len();
        return (folded > 0).then_some(folded);
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    fn part_of(source: &str, decoded: &str, part: &str) -> String {
        let whole = Located { text: decoded.into(), span: Span::new(0, source.len()), pointer: Pointer::root() };
        let at = decoded.find(part).unwrap();
        let cut = whole.part(source, at..at + part.len());
        assert_eq!(cut.text, part);
        source[cut.span.range()].to_owned()
    }

    #[test]
    fn a_part_is_found_where_it_is_written() {
        for (source, decoded, part, written) in [
            (r#""a token here""#, "a token here", "token", "token"),
            (r#""a\ttoken\n""#, "a\ttoken\n", "token", "token"),
            (r#""\u00e4 \ud83d\ude00 token""#, "ä 😀 token", "token", "token"),
            (r#""say \"to\" me""#, "say \"to\" me", "\"to\"", r#"\"to\""#),
            (r#""C:\\dir\\x""#, "C:\\dir\\x", "dir", "dir"),
            ("'it''s token'", "it's token", "token", "token"),
            ("one\n  two token", "one two token", "token", "token"),
            ("|\n    one\n\n      two token\n  ", "one\n\n  two token\n", "token", "token"),
            ("one\n    two\n    three token", "one\ntwo\nthree token\n", "three token", "three token"),
        ] {
            assert_eq!(part_of(source, decoded, part), written, "{source}");
        }
    }

    #[test]
    fn what_cannot_be_followed_keeps_the_whole_place() {
        let source = "'x'\\''token'";
        let whole = Located { text: "x'token".into(), span: Span::new(0, source.len()), pointer: Pointer::root() };
        assert_eq!(whole.part(source, 4..7).span, whole.span);
    }
}
