//! The index of known secrets: finds them in a text, in any form and in pieces, in one pass over it.
//!
//! Every form of every secret is kept as patterns of at most [`MAX_PATTERN`] bytes, sorted: at each place of a text the longest pattern that begins
//! there is looked up by halving. Of a secret that is one word without meaning, every eighth part of its beginning is kept besides, and a piece
//! of it goes as far as text and secret are the same. Tables of bits rule out nearly every place before that. So a text costs its length times
//! the logarithm of what is known, and a secret a few bytes for each of its own, however long it is.

use super::decoded::{Decoded, MOST_ROUNDS, SIGNS};
use super::forms::forms;
use super::located::joined;
use crate::prelude::*;
use core::ops::Range;

/// Longer forms are kept as blocks of so many bytes, one behind the other.
const MAX_PATTERN: usize = 64;
/// A shorter text is no pattern: it would be found in words.
const MIN_PATTERN: usize = 4;
/// A piece begins at every fourth byte of a secret and has eight: whatever has eleven in a row holds one.
const PIECE: usize = 8;
const STEP: usize = 4;
/// Of a longer secret (bytes) only blocks are known, and of a shorter one no pieces.
const MAX_IN_PIECES: usize = 4096;
const MIN_IN_PIECES: usize = 16;
/// Between two forms; in no text.
const BETWEEN: u8 = 0xFF;

#[derive(Clone, Copy)]
struct Pattern {
    /// What it begins with: patterns are in the order of this, and where it is the same, of their text.
    first: u64,
    start: u32,
    length: u32,
    /// The longest other pattern that this one begins with, as an index; itself where there is none.
    shorter: u32,
}

/// Secrets that are looked for in texts.
#[derive(Clone, Default)]
pub(super) struct Known {
    /// The forms, one behind the other.
    bytes: Vec<u8>,
    /// Sorted by their text.
    patterns: Vec<Pattern>,
    /// Pieces and where they stand in `bytes`, sorted.
    pieces: Vec<(u64, u32)>,
    /// What patterns of eight bytes and more begin with, and the shorter ones with four; what pieces are.
    long: Bits,
    short: Bits,
    parts: Bits,
    /// The first four bytes of all of them.
    heads: Bits,
}

impl Known {
    /// Of these secrets; those under four bytes are left out.
    pub(super) fn new<'s>(secrets: impl IntoIterator<Item = &'s str>) -> Self {
        let secrets: BTreeSet<&str> = secrets.into_iter().filter(|secret| secret.len() >= MIN_PATTERN).collect();
        let mut out = Self::default();
        for secret in secrets {
            for form in forms(secret) {
                out.add(&form, form == secret && is_token(secret));
            }
            // A text of several lines may be told line by line.
            for line in secret.lines().map(str::trim).filter(|line| line.len() >= PIECE && !line.starts_with("-----")) {
                if line.len() < secret.trim().len() {
                    out.add(line, is_token(line));
                }
            }
        }
        out.sort();
        out
    }

    fn add(&mut self, form: &str, pieces: bool) {
        // Places are counted in four bytes.
        if form.len() < MIN_PATTERN || u32::try_from(self.bytes.len() + form.len() + 2).is_err() {
            return;
        }
        self.bytes.push(BETWEEN);
        let Ok(base) = u32::try_from(self.bytes.len()) else { return };
        self.bytes.extend(form.as_bytes());
        let mut put = |start: usize, length: usize| {
            let (Ok(start), Ok(length)) = (u32::try_from(start), u32::try_from(length)) else { return };
            self.patterns.push(Pattern { first: 0, start: base + start, length, shorter: 0 });
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
            for (at, piece) in form.as_bytes().windows(PIECE).enumerate().step_by(STEP) {
                if let (Some(piece), Ok(at)) = (number(piece), u32::try_from(at)) {
                    self.pieces.push((piece, base + at));
                }
            }
        }
    }

    fn sort(&mut self) {
        self.bytes.push(BETWEEN);
        self.bytes.shrink_to_fit();
        let Self { bytes, patterns, pieces, .. } = self;
        let text = |pattern: &Pattern| slice(bytes, pattern);
        for pattern in patterns.iter_mut() {
            pattern.first = first(slice(bytes, pattern));
        }
        // By numbers first: texts are compared only where those are the same.
        patterns.sort_unstable_by_key(|pattern| pattern.first);
        for alike in patterns.chunk_by_mut(|a, b| a.first == b.first).filter(|alike| alike.len() > 1) {
            alike.sort_unstable_by(|a, b| text(a).cmp(text(b)));
        }
        patterns.dedup_by(|a, b| text(a) == text(b));
        patterns.shrink_to_fit();
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
        pieces.sort_unstable();
        pieces.dedup_by_key(|(piece, _)| *piece);
        pieces.shrink_to_fit();
        let begins = |pattern: &Pattern| number(slice(bytes, pattern));
        self.long = Bits::of(patterns.iter().filter_map(begins));
        let begins = |pattern: &Pattern| half(slice(bytes, pattern));
        self.short = Bits::of(patterns.iter().filter(|pattern| pattern.length < 8).filter_map(begins));
        self.parts = Bits::of(pieces.iter().map(|(piece, _)| *piece));
        let of_pieces = pieces.iter().filter_map(|(piece, _)| half(&piece.to_le_bytes()));
        self.heads = Bits::of(patterns.iter().filter_map(begins).chain(of_pieces));
    }

    /// The places of known secrets in a text: in order, apart from each other.
    pub(super) fn find(&self, text: &str) -> Vec<Range<usize>> {
        if self.patterns.is_empty() {
            return Vec::new();
        }
        let all = text.as_bytes();
        let mut out = self.written(all);
        // What is encoded is looked at as it reads, and again, since one encoding may stand in another.
        let within = |decoded: &Decoded| -> Vec<Range<usize>> {
            self.written(&decoded.bytes).iter().filter_map(|range| decoded.place(range)).collect()
        };
        let plain = out.len();
        for digits in Decoded::hexadecimal(all) {
            out.extend(within(&digits).into_iter().filter(|range| range.len() >= 2 * PIECE));
        }
        // Each kind of escape alone, too: a secret may hold what looks like one of another kind.
        let kinds = SIGNS.chunks(1).filter(|sign| sign.iter().any(|sign| memchr::memchr(*sign, all).is_some()));
        let several = kinds.clone().count() > 1;
        for signs in kinds.chain(several.then_some(SIGNS)) {
            let mut layers: Vec<Decoded> = Vec::new();
            while let Some(layer) = Decoded::of(layers.last().map_or(all, |last| &last.bytes), signs) {
                let below =
                    |range: Range<usize>| layers.iter().rev().try_fold(range, |range, layer| layer.place(&range));
                out.extend(within(&layer).into_iter().filter_map(below));
                layers.push(layer);
                if layers.len() == MOST_ROUNDS {
                    break;
                }
            }
        }
        if out.len() > plain {
            out = joined(out);
        }
        // A form is text, and so is what it is found in: no character is cut in two.
        out.retain(|range| text.get(range.clone()).is_some());
        out
    }

    /// The places of known secrets as they are written in a text.
    fn written(&self, all: &[u8]) -> Vec<Range<usize>> {
        let mut out: Vec<Range<usize>> = Vec::new();
        // The end of the last place.
        let mut done = 0;
        for at in 0..all.len().saturating_sub(MIN_PATTERN - 1) {
            let rest = all.get(at..).unwrap_or_default();
            let Some(four) = half(rest).filter(|four| self.heads.has(*four)) else { continue };
            let eight = number(rest);
            let whole = eight.is_some_and(|eight| self.long.has(eight)) || self.short.has(four);
            let mut found = if whole { self.longest(rest).map(|length| at..at + length) } else { None };
            // Inside of a place that was found nothing new begins in pieces.
            if found.is_none() && at >= done {
                found = eight.filter(|eight| self.parts.has(*eight)).and_then(|eight| self.piece(all, at, eight, done));
            }
            let Some(found) = found else { continue };
            done = done.max(found.end);
            match out.last_mut() {
                Some(last) if found.start <= last.end => last.end = last.end.max(found.end),
                _ => out.push(found),
            }
        }
        out
    }

    /// The length of the longest pattern that a text begins with.
    fn longest(&self, text: &[u8]) -> Option<usize> {
        let window = text.get(..text.len().min(MAX_PATTERN)).unwrap_or_default();
        let begins = first(window);
        let before = |pattern: &Pattern| (pattern.first, slice(&self.bytes, pattern)) <= (begins, window);
        let after = self.patterns.partition_point(before);
        // Whatever this text begins with, the last pattern before it begins with, too.
        let mut at = after.checked_sub(1)?;
        loop {
            let pattern = self.patterns.get(at)?;
            let own = slice(&self.bytes, pattern);
            if window.starts_with(own) {
                return Some(own.len());
            }
            let shorter = pattern.shorter as usize;
            if shorter == at {
                return None;
            }
            at = shorter;
        }
    }

    /// A piece of a secret at a place, and as far around it as text and secret are the same, but for what was found before.
    fn piece(&self, text: &[u8], at: usize, eight: u64, done: usize) -> Option<Range<usize>> {
        let index = self.pieces.binary_search_by_key(&eight, |(piece, _)| *piece).ok()?;
        let own = self.pieces.get(index)?.1 as usize;
        let same = |one: Option<&u8>, other: Option<&u8>| one.is_some() && one == other;
        let back =
            (1..=at.min(own)).take_while(|n| at - n >= done && same(text.get(at - n), self.bytes.get(own - n))).count();
        let on = (0..).take_while(|n| same(text.get(at + n), self.bytes.get(own + n))).count();
        (back + on > PIECE + 2).then_some(at - back..at + on)
    }
}

/// A set of numbers that says "no" for nearly all that are not in it.
#[derive(Clone, Default)]
struct Bits(Vec<u64>);

impl Bits {
    fn of(numbers: impl Iterator<Item = u64> + Clone) -> Self {
        let bits = (numbers.clone().count() * 16).next_power_of_two().clamp(64, 1 << 24);
        let mut out = Self(vec![0; bits / 64]);
        for number in numbers {
            let (word, bit) = out.place(number);
            if let Some(word) = out.0.get_mut(word) {
                *word |= bit;
            }
        }
        out
    }

    fn has(&self, number: u64) -> bool {
        let (word, bit) = self.place(number);
        self.0.get(word).is_some_and(|bits| bits & bit != 0)
    }

    fn place(&self, number: u64) -> (usize, u64) {
        let stirred = number.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 32;
        let index = usize::try_from(stirred).unwrap_or(0) & (self.0.len() * 64).wrapping_sub(1);
        (index / 64, 1 << (index % 64))
    }
}

/// The first eight bytes, of fewer with zeros behind them, in the order of texts.
fn first(text: &[u8]) -> u64 {
    let mut bytes = [0; 8];
    bytes.iter_mut().zip(text).for_each(|(to, from)| *to = *from);
    u64::from_be_bytes(bytes)
}

/// The first eight bytes.
fn number(text: &[u8]) -> Option<u64> {
    text.first_chunk::<8>().copied().map(u64::from_le_bytes)
}

/// The first four.
fn half(text: &[u8]) -> Option<u64> {
    text.first_chunk::<4>().copied().map(|bytes| u64::from(u32::from_le_bytes(bytes)))
}

fn slice<'b>(bytes: &'b [u8], pattern: &Pattern) -> &'b [u8] {
    let start = pattern.start as usize;
    bytes.get(start..start + pattern.length as usize).unwrap_or_default()
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
            (&[token], "a tide_4fK29s0Q and QqRr7Uv8WxY b", vec!["tide_4fK29s0Q", "QqRr7Uv8WxY"]),
            (&[token], "first tide_4fK29s0 then QqRr7Uv8WxY.", vec!["tide_4fK29s0", "QqRr7Uv8WxY"]),
            (&[token], "tide_4fK29 and 7Uv8WxY", vec![]),
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
    fn a_secret_is_known_in_every_way_of_writing_it() {
        let secret = "a/b&c\"d1";
        for form in [
            "a/b&c\"d1",
            "a/b&c\\\"d1",
            "a\\/b&c\\\"d1",
            "a/b&c\\\\\\\"d1",
            "a%2Fb%26c%22d1",
            "a%2fb%26c%22d1",
            "a%252fb%2526c%2522d1",
            "a/b&amp;c&quot;d1",
            "612f622663226431",
            "612F622663226431",
            "A/B&C\"D1",
            "1d\"c&b/a",
            "\\u0061\\u002f\\u0062\\u0026\\u0063\\u0022\\u0064\\u0031",
            "a\\u002Fb\\u0026c\\u0022d1",
            "&#97;&#47;&#98;&#38;&#99;&#34;&#100;&#49;",
            "a&#x2f;b&#x26;c&#x22;d1",
            "\\x61\\x2f\\x62\\x26\\x63\\x22\\x64\\x31",
            "%61%2f%62%26%63%22%64%31",
        ] {
            assert_eq!(found(&[secret], &format!("x {form} y")), [form], "{form}");
        }
        // What looks like an escape and is the secret's own stays as it is where others are written out.
        let secret = "q\"%41x&amp;z9\\b";
        for form in [
            "q\\\"%41x&amp;z9\\\\b",
            "q\\\\\\\"%41x&amp;z9\\\\\\\\b",
            "q&quot;%41x&amp;amp;z9\\b",
            "q%22%2541x%26amp;z9%5Cb",
        ] {
            assert_eq!(found(&[secret], &format!("x {form} y")), [form], "{form}");
        }
        // Pieces are known so, too.
        let token = "tide_4fK29s0QqRr7Uv8WxY";
        assert_eq!(found(&[token], "a tide%5F4fK29s0Q"), ["tide%5F4fK29s0Q"]);
        assert_eq!(found(&[token], "a 344b32397330517152727 b").len(), 0);
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
        assert!(known.bytes.len() + known.patterns.len() * 12 + known.pieces.len() * 16 < 2 * long.len());
        let many: Vec<String> = (0..1000).map(|n| format!("{n:04}Qq7vR1aqsxtw{n:04}Zx8BlNCg0ab")).collect();
        let known = Known::new(many.iter().map(String::as_str));
        let length: usize = many.iter().map(String::len).sum();
        assert!(known.bytes.len() + known.patterns.len() * 12 + known.pieces.len() * 16 < 80 * length);
        assert_eq!(known.find(&"a".repeat(10)).len(), 0);
    }
}
