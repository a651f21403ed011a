//! Telling words from noise: a dictionary, and how likely letters follow each other in it.

use crate::prelude::*;

/// Lower-case English words as they occur in names, sorted by first letter; the letter statistics below come from it too.
const WORDS: &str = include_str!("words.txt");

/// The dictionary and its letter statistics. Made when first needed by a run.
pub(super) struct Words {
    /// Sorted.
    known: Vec<&'static str>,
    /// Where the words of each first two letters begin in it.
    heads: Vec<u16>,
    /// The log2-probability that the second letter follows the first, over all words.
    follows: [[f64; 26]; 26],
}

impl Words {
    pub(super) fn new() -> Self {
        let mut known: Vec<&'static str> = WORDS.split_ascii_whitespace().collect();
        known.sort_unstable();
        known.dedup();
        let before = |head: usize| known.partition_point(|word| place(word.as_bytes()).is_some_and(|own| own < head));
        let heads = (0..=HEADS).map(|head| u16::try_from(before(head)).unwrap_or(u16::MAX)).collect();
        let mut follows = [[0_u16; 26]; 26];
        let mut totals = [0_u16; 26];
        for word in &known {
            for (first, second) in word.bytes().zip(word.bytes().skip(1)) {
                if let (Some(row), Some(total)) = (follows.get_mut(letter(first)), totals.get_mut(letter(first))) {
                    *total += 1;
                    if let Some(count) = row.get_mut(letter(second)) {
                        *count += 1;
                    }
                }
            }
        }
        let likely = |(row, total): ([u16; 26], u16)| {
            row.map(|count| log2((f64::from(count) + 0.25) / (f64::from(total) + 6.5)))
        };
        let mut rows = follows.into_iter().zip(totals).map(likely);
        let follows = core::array::from_fn(|_| rows.next().unwrap_or([0.0; 26]));
        Self { known, heads, follows }
    }

    /// The length of the longest word, or word's plural, of three to fourteen letters that lower-case letters begin with.
    fn longest(&self, letters: &str) -> Option<usize> {
        let head = place(letters.as_bytes())?;
        let (from, to) = (usize::from(*self.heads.get(head)?), usize::from(*self.heads.get(head + 1)?));
        let all = self.known.get(from..to)?.iter().filter(|word| letters.starts_with(**word));
        let lengths = all.flat_map(|word| {
            let plural = letters.as_bytes().get(word.len()) == Some(&b's');
            [Some(word.len()), plural.then_some(word.len() + 1)]
        });
        lengths.flatten().filter(|length| (3..=14).contains(length)).max()
    }

    /// The share (0 to 1) of the letters of `text` that belong to dictionary words of three letters or more,
    /// taking the longest word at each place.
    pub(super) fn coverage(&self, text: &str) -> f64 {
        let lower = text.to_ascii_lowercase();
        let letters = lower.bytes().filter(u8::is_ascii_alphabetic).count();
        if letters == 0 {
            return 0.0;
        }
        let mut covered = 0;
        for run in lower.split(|c: char| !c.is_ascii_alphabetic()).filter(|run| run.len() >= 3) {
            let mut at = 0;
            while at + 3 <= run.len() {
                let longest = run.get(at..).and_then(|rest| self.longest(rest));
                covered += longest.unwrap_or(0);
                at += longest.unwrap_or(1);
            }
        }
        covered as f64 / letters as f64
    }

    /// The mean log2-probability of each letter given the one before, over the letter runs of `text`.
    /// English words lie above -4.3; random letters below -5.
    pub(super) fn fluency(&self, text: &str) -> f64 {
        let (mut sum, mut pairs) = (0.0, 0_u32);
        let bytes = text.as_bytes();
        for (first, second) in bytes.iter().zip(bytes.iter().skip(1)) {
            if !(first.is_ascii_alphabetic() && second.is_ascii_alphabetic()) {
                continue;
            }
            let (a, b) = (letter(first.to_ascii_lowercase()), letter(second.to_ascii_lowercase()));
            sum += self.follows.get(a).and_then(|row| row.get(b)).copied().unwrap_or_default();
            pairs += 1;
        }
        if pairs == 0 { 0.0 } else { sum / f64::from(pairs) }
    }
}

/// How many beginnings of two letters there are.
const HEADS: usize = 26 * 26;

/// Which of them this is.
fn place(word: &[u8]) -> Option<usize> {
    match word {
        [a @ b'a'..=b'z', b @ b'a'..=b'z', ..] => Some(letter(*a) * 26 + letter(*b)),
        _ => None,
    }
}

fn letter(byte: u8) -> usize {
    usize::from(byte.wrapping_sub(b'a')).min(25)
}

/// Base-2 logarithm: `core` has none. Exact in the exponent, and a series good to six digits in the mantissa.
pub(super) fn log2(x: f64) -> f64 {
    if x <= 0.0 {
        return f64::NEG_INFINITY;
    }
    let bits = x.to_bits();
    let exponent = i32::try_from((bits >> 52) & 0x7ff).unwrap_or(0) - 1023;
    let mantissa = f64::from_bits((bits & 0x000f_ffff_ffff_ffff) | 0x3ff0_0000_0000_0000);
    // ln(m) = 2·artanh((m-1)/(m+1)), |(m-1)/(m+1)| <= 1/3 for m in [1,2).
    let t = (mantissa - 1.0) / (mantissa + 1.0);
    let square = t * t;
    let series = t
        * (1.0
            + square
                * (1.0 / 3.0 + square * (1.0 / 5.0 + square * (1.0 / 7.0 + square * (1.0 / 9.0 + square / 11.0)))));
    f64::from(exponent) + 2.0 * series * core::f64::consts::LOG2_E
}

/// Shannon entropy of a text in bits for each character.
pub(super) fn entropy(text: &str) -> f64 {
    let mut sorted: Vec<char> = text.chars().collect();
    sorted.sort_unstable();
    let count = |n: usize| f64::from(u32::try_from(n).unwrap_or(u32::MAX));
    let total = count(sorted.len());
    sorted.chunk_by(|a, b| a == b).map(|same| count(same.len()) / total).map(|p| -p * log2(p)).sum()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_logarithm_is_close_enough() {
        for x in [0.001, 0.1, 0.5, 1.0, 1.5, 1.999, 3.0, 1024.5] {
            assert!((log2(x) - std_log2(x)).abs() < 1e-4, "{x}");
        }
    }

    /// log2 by bisection, independent of the series.
    fn std_log2(x: f64) -> f64 {
        let (mut low, mut high) = (-20.0_f64, 20.0_f64);
        for _ in 0..60 {
            let middle = f64::midpoint(low, high);
            if power2(middle) < x { low = middle } else { high = middle }
        }
        low
    }

    fn power2(exponent: f64) -> f64 {
        let (mut sum, mut term) = (1.0, 1.0);
        for n in 1..120 {
            term *= exponent * core::f64::consts::LN_2 / f64::from(n);
            sum += term;
        }
        sum
    }

    #[test]
    fn the_longest_word_counts() {
        let words = Words::new();
        let slow = |text: &str| {
            let is = |word: &str| words.known.contains(&word);
            let knows = |word: &str| is(word) || word.strip_suffix('s').is_some_and(is);
            (3..=text.len().min(14)).rev().find(|length| knows(&text[..*length]))
        };
        assert!(words.known.iter().all(|word| place(word.as_bytes()).is_some()), "every word is of small letters");
        for text in words.known.iter().flat_map(|word| [format!("{word}s"), format!("{word}x"), format!("x{word}")]) {
            assert_eq!(words.longest(&text), slow(&text), "{text}");
        }
    }

    #[test]
    fn words_are_told_from_noise() {
        let words = Words::new();
        for word in ["harbour-staging-database", "my_service_account", "summerVacation"] {
            assert!(words.coverage(word) > 0.7, "{word} {}", words.coverage(word));
            assert!(words.fluency(word) > -4.5, "{word} {}", words.fluency(word));
        }
        for noise in ["q8zKxv2LmPw0TyRb", "xkqzvbnmwrtpsdfg"] {
            assert!(words.coverage(noise) < 0.4, "{noise} {}", words.coverage(noise));
            assert!(words.fluency(noise) < -4.8, "{noise} {}", words.fluency(noise));
        }
        assert!(entropy("aaaa") < 0.01 && entropy("abcd") > 1.99);
    }
}
