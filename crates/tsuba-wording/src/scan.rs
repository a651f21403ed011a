//! Scanning: a folded text in one pass, sentence by sentence, with the words of each.

use super::hash::hash_at;
use super::language::{Latin, Letters, Little};
use crate::prelude::*;
use core::ops::Range;

/// A word: a run of letters, digits and underscores. Ideographs, kana and Hangul are none.
#[derive(Clone, Copy, Debug)]
pub(super) struct Word {
    /// First byte in the folded text.
    pub(super) start: u32,
    /// One past the last byte.
    pub(super) end: u32,
    /// How far into the text it stands, in halves of words; where words are not spaced, a character is half a word.
    pub(super) halves: u32,
    /// The hash of its bytes.
    pub(super) hash: u32,
    /// The languages it is a little word of, as bits.
    pub(super) little: u16,
}

/// Letters, digits and the underscore.
static PLAIN: [bool; 256] = {
    let mut plain = [false; 256];
    let mut byte = 0;
    while byte < 256 {
        #[expect(clippy::indexing_slicing, reason = "the loop's bound; iterators are not const")]
        {
            plain[byte] = (byte as u8).is_ascii_alphanumeric() || byte as u8 == b'_';
        }
        byte += 1;
    }
    plain
};

#[inline]
fn is_plain(byte: u8) -> bool {
    PLAIN.get(usize::from(byte)).copied().unwrap_or(false)
}

/// A sentence is cut after this many bytes: no sentence is longer, and the work on one is quadratic in its hits.
pub(super) const MAX_SENTENCE: usize = 600;

/// Cuts a text into sentences. What is known of the last one stands in the fields.
#[derive(Debug)]
pub(super) struct Scan<'t> {
    text: &'t str,
    little: &'t Little,
    at: usize,
    halves: u32,
    /// The last sentence.
    pub(super) range: Range<usize>,
    /// How far into the text it begins, in halves of words.
    pub(super) opens: u32,
    /// Its words.
    pub(super) words: Vec<Word>,
    /// Its letters of other scripts.
    pub(super) letters: Letters,
    /// Its little words.
    pub(super) latin: Latin,
}

impl<'t> Scan<'t> {
    /// Begins, with room for words.
    pub(super) fn new(text: &'t str, little: &'t Little, mut words: Vec<Word>) -> Self {
        words.clear();
        Self {
            text,
            little,
            at: 0,
            halves: 0,
            range: 0..0,
            opens: 0,
            words,
            letters: Letters::default(),
            latin: Latin::default(),
        }
    }

    /// The words and letters of a text, as though it were one sentence.
    pub(super) fn whole(text: &'t str, little: &'t Little) -> Self {
        let mut scan = Self::new(text, little, Vec::with_capacity(text.len() / 6 + 1));
        while let Some(byte) = text.as_bytes().get(scan.at) {
            scan.step(*byte, usize::MAX);
        }
        scan.range = 0..text.len();
        scan
    }

    /// Goes on to the next sentence; `false` where there is none.
    pub(super) fn advance(&mut self) -> bool {
        let bytes = self.text.as_bytes();
        let from = self.at;
        (self.opens, self.letters, self.latin) = (self.halves, Letters::default(), Latin::default());
        self.words.clear();
        let limit = from + 2 * MAX_SENTENCE;
        while let Some(byte) = bytes.get(self.at) {
            let length = self.at - from;
            if is_plain(*byte) && self.at < limit {
                self.word(limit);
                continue;
            }
            let width = match byte {
                b' ' if length >= MAX_SENTENCE => 1,
                b' ' => 0,
                b'\n' => usize::from(!is_wrapped(bytes, self.at)),
                b'!' | b'?' if ends_with_mark(bytes, self.at) => 1,
                b'.' if ends_with_dot(bytes, from, self.at) => 1,
                0x80.. => foreign_end(bytes, self.at),
                _ => 0,
            };
            if width > 0 {
                self.halves += if width == 1 && byte.is_ascii_whitespace() { 2 } else { 0 };
                self.at += width;
                break;
            }
            if self.at >= limit {
                break;
            }
            self.step(*byte, limit);
        }
        self.range = from..self.at;
        !self.range.is_empty()
    }

    /// The pieces of the last sentence that have some words and no language: no language has two little words in them.
    pub(super) fn dark(&self) -> impl Iterator<Item = Range<usize>> {
        let bytes = self.text.as_bytes();
        let parts = |left: &Word, right: &Word| {
            let gap = bytes.get(left.end as usize..right.start as usize).unwrap_or_default();
            gap.len() > 1 && gap.iter().any(|b| matches!(b, b'.' | b':' | b'!' | b'?' | b'"' | b'(' | b')'))
        };
        let pieces = self.words.chunk_by(move |left, right| !parts(left, right));
        pieces.filter(|piece| piece.len() >= 4 && !has_language(piece)).filter_map(|piece| {
            let (first, last) = piece.first().zip(piece.last())?;
            Some(first.start as usize..last.end as usize)
        })
    }

    /// Past the word or the character at the place, no word reaching further than `limit`.
    #[inline]
    fn step(&mut self, byte: u8, limit: usize) {
        match byte {
            byte if is_plain(byte) => self.word(limit),
            b' ' | b'\n' => {
                self.halves += 2;
                self.at += 1;
            }
            0x80.. => {
                let c = self.text.get(self.at..).and_then(|t| t.chars().next()).unwrap_or_default();
                if is_wordly(c) && !is_half(byte) {
                    return self.word(limit);
                }
                self.letters.count(c);
                self.halves += u32::from(is_half(byte));
                self.at += c.len_utf8();
            }
            _ => self.at += 1,
        }
    }

    #[inline]
    fn word(&mut self, limit: usize) {
        let bytes = self.text.as_bytes();
        let bytes = bytes.get(..limit).unwrap_or(bytes);
        let (start, mut at) = (self.at, self.at);
        loop {
            let rest = bytes.get(at..).unwrap_or_default();
            let length = rest.iter().position(|byte| !is_plain(*byte)).unwrap_or(rest.len());
            at += length;
            match rest.get(length) {
                Some(byte) if !byte.is_ascii() && !is_half(*byte) => {}
                _ => break,
            }
            match self.text.get(at..).and_then(|t| t.chars().next()).filter(|c| is_wordly(*c)) {
                Some(c) => {
                    self.letters.count(c);
                    at += c.len_utf8();
                }
                None => break,
            }
        }
        self.at = at;
        let hash = hash_at(bytes, start..at);
        let little = self.little.bits(hash, at - start);
        if little != 0 {
            self.latin.count(little, at - start);
        }
        self.words.push(Word { start: number(start), end: number(at), halves: self.halves, hash, little });
    }
}

/// Are two of some words little words of one language? A single one may be there by chance.
fn has_language(words: &[Word]) -> bool {
    let mut met = 0;
    words.iter().any(|word| {
        let again = word.little & met != 0;
        met |= word.little;
        again
    })
}

/// Counts words without going back: a space begins another, and where words are not spaced a character is half a word.
#[derive(Clone, Copy, Debug)]
pub(super) struct Counter<'s> {
    text: &'s str,
    words: &'s [Word],
    at: usize,
    halves: u32,
}

impl<'s> Counter<'s> {
    /// Begins at the beginning of the last sentence.
    pub(super) fn new(text: &'s str, from: usize, halves: u32, words: &'s [Word]) -> Self {
        Self { text, words, at: from, halves }
    }

    /// The number of the word at `to`, counted through the text.
    pub(super) fn word(&mut self, to: usize) -> u32 {
        while let Some((word, rest)) = self.words.split_first().filter(|(word, _)| word.start as usize <= to) {
            (self.at, self.halves, self.words) = (word.start as usize, word.halves, rest);
        }
        self.halves += halves(self.text, self.at, to);
        self.at = self.at.max(to);
        self.halves / 2
    }
}

/// The halves of words in a part of a text.
pub(super) fn halves(text: &str, from: usize, to: usize) -> u32 {
    let bytes = text.as_bytes().get(from..to).unwrap_or_default();
    bytes.iter().map(|b| if matches!(b, b' ' | b'\n') { 2 } else { u32::from(is_half(*b)) }).sum()
}

/// Ideographs, kana and Hangul begin with these bytes.
#[inline]
fn is_half(byte: u8) -> bool {
    matches!(byte, 0xE3..=0xED)
}

/// Is it a character of words?
pub(super) fn is_wordly(c: char) -> bool {
    // Marks belong to the word they stand in (Devanagari vowel signs).
    c.is_alphanumeric() || c == '_' || matches!(c, '\u{900}'..='\u{963}' | '\u{971}'..='\u{97f}')
}

/// Texts are at most as long as the documents they stand in.
pub(super) fn number(at: usize) -> u32 {
    u32::try_from(at).unwrap_or(u32::MAX)
}

/// Is a line broken only because it is long? Then the sentence goes on: the next line begins with a word, and this one ends with one or
/// with a comma.
fn is_wrapped(bytes: &[u8], at: usize) -> bool {
    let before = bytes.get(at.saturating_sub(LONG_LINE)..at).unwrap_or_default();
    before.len() == LONG_LINE
        && !before.contains(&b'\n')
        && before.last().is_some_and(|byte| is_plain(*byte) || *byte == b',')
        && bytes.get(at + 1).is_some_and(u8::is_ascii_lowercase)
}

/// A line of so many bytes may be one that was broken.
const LONG_LINE: usize = 50;

fn ends_with_mark(bytes: &[u8], at: usize) -> bool {
    bytes.get(at + 1).is_none_or(|b| matches!(b, b' ' | b'\n' | b'"') || *b >= 0x80)
}

/// The length of a mark that ends a sentence in another script; 0 where there is none.
fn foreign_end(bytes: &[u8], at: usize) -> usize {
    match bytes.get(at..at + 3).or_else(|| bytes.get(at..)).unwrap_or_default() {
        // 。 and ।
        [0xE3, 0x80, 0x82] | [0xE0, 0xA5, 0xA4] => 3,
        // ؟
        [0xD8, 0x9F, ..] => 2,
        _ => 0,
    }
}

/// A full stop, not the dot of a file name, a number or an abbreviation.
fn ends_with_dot(bytes: &[u8], from: usize, at: usize) -> bool {
    let next = bytes.get(at + 1);
    if !next.is_none_or(|b| b.is_ascii_whitespace() || *b >= 0x80 || *b == b'"' || *b == b')') {
        return false;
    }
    let before = bytes.get(from..at).unwrap_or_default();
    let letter = |b: Option<&u8>| b.is_some_and(|b| b.is_ascii_alphabetic() || *b >= 0x80);
    let mut back = before.iter().rev();
    let single = letter(back.next()) && {
        let second = back.next();
        !letter(second) && second.is_none_or(|b| matches!(b, b'.' | b' ' | b'('))
    };
    !single
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::hash::hash;
    use crate::words::words;
    use proptest::prelude::*;

    fn cut(text: &str) -> Vec<&str> {
        let mut scan = Scan::new(text, words().little(), Vec::new());
        let mut out = Vec::new();
        while scan.advance() {
            out.push(&text[scan.range.clone()]);
        }
        out
    }

    #[test]
    fn a_sentence_goes_on_past_a_line_that_was_broken_for_its_length() {
        let long = "gives the height of the water above the zero of the chart at";
        for (text, want) in [
            (format!("{long}\nthe harbour that was named"), 1),
            (format!("{long},\nfor a day"), 1),
            (format!("{long}\n- the harbour"), 2),
            (format!("{long}.\nthe harbour"), 3),
            (format!("{long}\n\nthe harbour"), 3),
            ("height: metres\nperiod: seconds".to_owned(), 2),
        ] {
            assert_eq!(cut(&text).len(), want, "{text}");
        }
    }

    #[test]
    fn sentences_end_where_they_end() {
        for (text, want) in [
            ("one. two! three? four", vec!["one.", " two!", " three?", " four"]),
            ("e.g. read config.json v1.2. then", vec!["e.g. read config.json v1.2.", " then"]),
            ("a (b.) c", vec!["a (b.) c"]),
            ("一つ。二つ。", vec!["一つ。", "二つ。"]),
            ("एक। दो", vec!["एक।", " दो"]),
            ("هل؟ نعم", vec!["هل؟", " نعم"]),
            ("one\ntwo", vec!["one\n", "two"]),
            ("", vec![]),
        ] {
            assert_eq!(cut(text), want);
        }
    }

    #[test]
    fn a_sentence_without_end_is_cut() {
        for text in ["word ".repeat(1000), "x".repeat(5000), "語".repeat(3000), "é".repeat(3000), "- ".repeat(3000)] {
            let cut = cut(&text);
            assert!(cut.iter().all(|part| part.len() <= 2 * MAX_SENTENCE + 4), "{:?}", cut.first());
            assert_eq!(cut.concat(), text);
        }
    }

    #[test]
    fn words_are_counted_through_the_text() {
        let text = "one two. three-four five_six 七八九十 eleven";
        let mut scan = Scan::new(text, words().little(), Vec::new());
        let mut all = Vec::new();
        while scan.advance() {
            let mut counter = Counter::new(text, scan.range.start, scan.opens, &scan.words);
            for word in &scan.words {
                let range = word.start as usize..word.end as usize;
                all.push((&text[range.clone()], counter.word(range.start)));
                assert_eq!(word.hash, hash(text[range].as_bytes()));
            }
        }
        let want = [("one", 0), ("two", 1), ("three", 2), ("four", 2), ("five_six", 3), ("eleven", 7)];
        assert_eq!(all, want);
    }

    proptest! {
        #[test]
        fn nothing_is_lost_and_no_word_is_cut(text in "[a-z _.!?語é।-]{0,300}") {
            prop_assert_eq!(cut(&text).concat(), text.clone());
            let mut scan = Scan::new(&text, words().little(), Vec::new());
            while scan.advance() {
                for word in &scan.words {
                    let (start, end) = (word.start as usize, word.end as usize);
                    prop_assert!(scan.range.start <= start && start < end && end <= scan.range.end);
                    prop_assert!(text[start..end].chars().all(is_wordly));
                }
            }
        }
    }
}
