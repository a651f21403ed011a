//! The index of known secrets: finds them in a text, in any form and in pieces, in one pass over it.
//!
//! Every form of every secret is kept as patterns of at most [`MAX_PATTERN`] bytes, sorted. At each place of a text the longest pattern that
//! begins there is looked up by halving; a table of bits by the first four bytes rules out nearly every place before that. So a text costs its
//! length times the logarithm of what is known, and a secret about twelve bytes for each of its own, however long it is.

use super::forms::forms;
use crate::prelude::*;
use core::ops::Range;

/// Longer forms are kept as blocks of so many bytes, one behind the other.
const MAX_PATTERN: usize = 64;
/// A shorter text is no pattern: it would be found in words.
const MIN_PATTERN: usize = 4;
/// A piece of a secret of so many bytes is known as one; a secret in two halves is found by each.
const PIECE: usize = 12;
/// Of a longer secret (bytes) only blocks are known, and of a shorter one no pieces.
const MAX_IN_PIECES: usize = 4096;
const MIN_IN_PIECES: usize = 16;

#[derive(Clone, Copy)]
struct Pattern {
    start: u32,
    length: u32,
    /// The longest other pattern that this one begins with, as an index; itself where there is none.
    shorter: u32,
}

/// Secrets that are looked for in texts.
#[derive(Clone, Default)]
pub(super) struct Known {
    bytes: Vec<u8>,
    patterns: Vec<Pattern>,
    /// By the first four bytes of a pattern, stirred: is there one? Its length is a power of two.
    starts: Vec<u64>,
}

impl Known {
    /// Of these secrets; those under four bytes are left out.
    pub(super) fn new<'s>(secrets: impl IntoIterator<Item = &'s str>) -> Self {
        let secrets: BTreeSet<&str> = secrets.into_iter().filter(|secret| secret.len() >= MIN_PATTERN).collect();
        let mut out = Self::default();
        for secret in secrets {
            for form in forms(secret) {
                let pieces = form == secret && is_token(secret);
                out.add(&form, pieces);
            }
            // A text of several lines may be told line by line.
            for line in secret.lines().map(str::trim).filter(|line| line.len() >= PIECE && !line.starts_with("-----")) {
                if line.len() < secret.trim().len() {
                    out.add(line, false);
                }
            }
        }
        out.sort();
        out
    }

    fn add(&mut self, form: &str, pieces: bool) {
        if form.len() < MIN_PATTERN {
            return;
        }
        let Ok(base) = u32::try_from(self.bytes.len()) else { return };
        // Places are counted in four bytes.
        if u32::try_from(self.bytes.len() + form.len()).is_err() {
            return;
        }
        self.bytes.extend(form.as_bytes());
        let mut put = |start: usize, length: usize| {
            let (Ok(start), Ok(length)) = (u32::try_from(start), u32::try_from(length)) else { return };
            self.patterns.push(Pattern { start: base + start, length, shorter: 0 });
        };
        let length = form.len();
        let mut at = 0;
        while at + MAX_PATTERN < length {
            put(at, MAX_PATTERN);
            at += MAX_PATTERN;
        }
        // The last block reaches back, so that it is as long as the others.
        let last = length.saturating_sub(MAX_PATTERN);
        put(last, length - last);
        if pieces {
            (0..=length - PIECE).for_each(|at| put(at, PIECE));
        }
    }

    fn sort(&mut self) {
        let Self { bytes, patterns, starts } = self;
        let text = |pattern: &Pattern| slice(bytes, pattern);
        patterns.sort_by(|a, b| text(a).cmp(text(b)));
        patterns.dedup_by(|a, b| text(a) == text(b));
        let mut open: Vec<usize> = Vec::new();
        for at in 0..patterns.len() {
            let Some(own) = patterns.get(at).copied() else { break };
            while open
                .last()
                .and_then(|last| patterns.get(*last))
                .is_some_and(|last| !text(&own).starts_with(text(last)))
            {
                open.pop();
            }
            let shorter = open.last().copied().unwrap_or(at);
            if let Some(pattern) = patterns.get_mut(at) {
                pattern.shorter = u32::try_from(shorter).unwrap_or(u32::MAX);
            }
            open.push(at);
        }
        let bits = (patterns.len() * 8).next_power_of_two().clamp(64, 1 << 24);
        *starts = vec![0; bits / 64];
        for pattern in patterns.iter() {
            let (word, bit) = place(slice(bytes, pattern), starts.len());
            if let Some(word) = starts.get_mut(word) {
                *word |= bit;
            }
        }
    }

    /// The places of known secrets in a text: in order, apart from each other.
    pub(super) fn find(&self, text: &str) -> Vec<Range<usize>> {
        let mut out: Vec<Range<usize>> = Vec::new();
        if self.patterns.is_empty() {
            return out;
        }
        let all = text.as_bytes();
        for at in 0..all.len().saturating_sub(MIN_PATTERN - 1) {
            let rest = all.get(at..).unwrap_or_default();
            let (word, bit) = place(rest, self.starts.len());
            if self.starts.get(word).is_none_or(|bits| bits & bit == 0) {
                continue;
            }
            let Some(length) = self.longest(rest) else { continue };
            let end = at + length;
            match out.last_mut() {
                // A piece goes on where the one before it began.
                Some(last) if at <= last.end => last.end = last.end.max(end),
                _ => out.push(at..end),
            }
        }
        // A form is text, and so is what it is found in: no character is cut in two.
        out.retain(|range| text.get(range.clone()).is_some());
        out
    }

    /// The length of the longest pattern that a text begins with.
    fn longest(&self, text: &[u8]) -> Option<usize> {
        let own = |at: usize| self.patterns.get(at).map(|pattern| slice(&self.bytes, pattern));
        let window = text.get(..text.len().min(MAX_PATTERN)).unwrap_or_default();
        let after = self.patterns.partition_point(|pattern| slice(&self.bytes, pattern) <= window);
        // Whatever this text begins with, the last pattern before it begins with, too.
        let mut at = after.checked_sub(1)?;
        loop {
            let pattern = own(at)?;
            if window.starts_with(pattern) {
                return Some(pattern.len());
            }
            let shorter = self.patterns.get(at)?.shorter as usize;
            if shorter == at {
                return None;
            }
            at = shorter;
        }
    }
}

fn slice<'b>(bytes: &'b [u8], pattern: &Pattern) -> &'b [u8] {
    let start = pattern.start as usize;
    bytes.get(start..start + pattern.length as usize).unwrap_or_default()
}

/// The word and the bit for the first four bytes.
fn place(text: &[u8], words: usize) -> (usize, u64) {
    let first = text.first_chunk::<4>().copied().map(u32::from_le_bytes).unwrap_or_default();
    let stirred = first.wrapping_mul(0x9E37_79B1) >> 5;
    let index = stirred as usize & (words * 64 - 1);
    (index / 64, 1 << (index % 64))
}

/// Is this one word that no language has? Only then are its pieces nobody else's.
fn is_token(secret: &str) -> bool {
    let mut has = (false, false);
    for byte in secret.bytes() {
        has = (has.0 || byte.is_ascii_digit(), has.1 || byte.is_ascii_alphabetic());
    }
    (MIN_IN_PIECES..=MAX_IN_PIECES).contains(&secret.len())
        && has == (true, true)
        && secret.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"-_+/=.~".contains(&byte))
        && !secret.contains("//")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found<'t>(secrets: &[&str], text: &'t str) -> Vec<&'t str> {
        let known = Known::new(secrets.iter().copied());
        known.find(text).into_iter().map(|range| &text[range]).collect()
    }

    #[test]
    fn secrets_are_found_whole_and_in_pieces() {
        let token = "tide_4fK29s0QqRr7Uv8WxY";
        for (secrets, text, want) in [
            (&[token][..], "a tide_4fK29s0QqRr7Uv8WxY b", vec![token]),
            (&[token], "a tide_4fK29s0Q and QqRr7Uv8WxY b", vec!["tide_4fK29s0Q"]),
            (&[token], "first tide_4fK29s0 then QqRr7Uv8WxY.", vec!["tide_4fK29s0"]),
            (&[token], "tide_4fK is short", vec![]),
            (&["abcd", "abcdefgh"], "abcdefgh abcde", vec!["abcdefgh", "abcd"]),
            (&["abcdef", "efghij"], "xabcdefghijx", vec!["abcdefghij"]),
            (&["pw"], "pw", vec![]),
            (&["grün-und-gut"], "so grün-und-gut!", vec!["grün-und-gut"]),
            (&["mooring and bow line"], "a mooring and bow", vec![]),
        ] {
            assert_eq!(found(secrets, text), want, "{text}");
        }
    }

    #[test]
    fn a_long_secret_is_found_as_a_whole_wherever_it_stands() {
        let mut random = 7_u64;
        let mut letter = || {
            random = random.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            char::from(b'a' + u8::try_from((random >> 33) % 26).unwrap())
        };
        for length in [63, 64, 65, 127, 128, 129, 1000, 5000, 100_000] {
            let long: String = (0..length).map(|_| letter()).collect();
            assert_eq!(found(&[&long], &format!("x:{long};")), [long.as_str()], "{length}");
        }
        let key = "-----BEGIN KEY-----\nq8ZkXv2LmPw0TyRbN4sJ7dHf\nC1gAeUoI6t9Bq8ZkXv2LmPw0\n-----END KEY-----";
        assert_eq!(found(&[key], "the line C1gAeUoI6t9Bq8ZkXv2LmPw0 alone"), ["C1gAeUoI6t9Bq8ZkXv2LmPw0"]);
    }

    #[test]
    fn what_is_known_costs_its_length_and_a_text_its_own() {
        let long = "a".repeat(240_000) + "b";
        let known = Known::new([long.as_str()]);
        assert!(known.bytes.len() + known.patterns.len() * 12 < 2 * long.len());
        assert_eq!(known.find(&"a".repeat(10)).len(), 0);
    }
}
