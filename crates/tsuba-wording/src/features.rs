//! What a sentence has that is learned from: its words and their stems, alone and in pairs, and how it begins.
//!
//! A word that the tool's own names say is its job: which trade a tool is of says nothing, so such words are all one. Words that a phrase of
//! the lexicon holds are never taken for the job: a tool called `send_passwords` still speaks of passwords.

use super::concept::{Concept, Set};
use super::hash::{hash, mix};
use super::scan::Word;
use super::sentence::Hit;
use crate::prelude::*;

/// The kind of a feature; the letter stands for it in the file of the weights.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[repr(u8)]
pub(super) enum Kind {
    /// A word.
    Word = b'w',
    /// Two words in a row.
    Words = b'b',
    /// The stem of a word.
    Stem = b's',
    /// The stems of two words in a row.
    Stems = b't',
    /// The stems of two words with one between them.
    Skip = b'k',
    /// The first word.
    First = b'f',
    /// The stems of the first two words.
    Opening = b'g',
    /// It is a parameter's text.
    Parameter = b'p',
}

/// What a feature is of.
#[derive(Clone, Copy, Debug)]
pub(super) enum Of<'t> {
    /// Nothing more than its kind.
    Nothing,
    /// A word or a stem, and its hash.
    Word(
        #[cfg_attr(not(feature = "train"), expect(dead_code, reason = "only the file of the weights names it"))]
        &'t str,
        u32,
    ),
}

impl Of<'_> {
    fn key(self) -> u32 {
        match self {
            Self::Nothing => 0,
            Self::Word(_, hash) => hash,
        }
    }

    #[cfg(feature = "train")]
    fn name(&self) -> &str {
        match self {
            Self::Nothing => "",
            Self::Word(word, _) => word,
        }
    }
}

/// Something that a sentence has, and that may have a weight.
#[derive(Clone, Copy, Debug)]
pub(super) struct Feature<'t> {
    pub(super) kind: Kind,
    pub(super) one: Of<'t>,
    pub(super) two: Of<'t>,
}

impl Feature<'_> {
    /// Its key among the weights.
    pub(super) fn key(&self) -> u32 {
        mix(self.kind as u8, self.one.key(), self.two.key())
    }

    /// Its line in the file of the weights, without the weight.
    #[cfg(feature = "train")]
    pub(super) fn line(&self) -> String {
        let parts = [self.one.name(), self.two.name()];
        let mut line = String::from(char::from(self.kind as u8));
        for part in parts.iter().filter(|part| !part.is_empty()) {
            line.push(' ');
            line.push_str(part);
        }
        line
    }
}

/// The key of a line of the file of the weights, without the weight.
pub(super) fn key_of(kind: &str, one: &str, two: &str) -> u32 {
    let key = |name: &str| if name.is_empty() { 0 } else { hash(name.as_bytes()) };
    mix(kind.bytes().next().unwrap_or_default(), key(one), key(two))
}

/// Is it a letter that stands for a kind?
#[cfg(test)]
pub(super) fn is_kind(letter: &str) -> bool {
    "wbstkfgp".contains(letter) && letter.len() == 1
}

/// The words of a tool's own names, as sorted hashes of their stems.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Known<'l> {
    /// Of its names.
    pub(super) names: &'l [u32],
    /// Of the first sentence of its description: for what comes after that.
    pub(super) purpose: &'l [u32],
}

impl Known<'_> {
    fn holds(self, stem: u32) -> bool {
        self.names.binary_search(&stem).is_ok() || self.purpose.binary_search(&stem).is_ok()
    }
}

/// A word of a sentence.
pub(super) struct Token<'t> {
    word: Of<'t>,
    stem: Of<'t>,
}

/// What is nobody's job, whatever the tool is called.
const NO_JOB: Set = Set::of(&[
    Concept::Secret,
    Concept::Path,
    Concept::Place,
    Concept::Orders,
    Concept::Rules,
    Concept::Safe,
    Concept::Person,
    Concept::Reader,
    Concept::Hush,
    Concept::Unasked,
    Concept::Quiet,
    Concept::Beyond,
    Concept::Other,
]);

/// Stands for all words of the tool's job.
const JOB: &str = "#";

/// Calls `each` for every feature of a sentence.
pub(super) fn features<'t>(tokens: &[Token<'t>], parameter: bool, mut each: impl FnMut(Feature<'t>)) {
    let mut put = |kind, one, two| each(Feature { kind, one, two });
    for token in tokens {
        put(Kind::Word, token.word, Of::Nothing);
        put(Kind::Stem, token.stem, Of::Nothing);
    }
    for pair in tokens.windows(2) {
        let [one, two] = pair else { continue };
        put(Kind::Words, one.word, two.word);
        put(Kind::Stems, one.stem, two.stem);
    }
    for three in tokens.windows(3) {
        let [one, _, two] = three else { continue };
        put(Kind::Skip, one.stem, two.stem);
    }
    if let Some(first) = tokens.first() {
        put(Kind::First, first.word, Of::Nothing);
        put(Kind::Opening, first.stem, tokens.get(1).map_or(Of::Nothing, |second| second.stem));
    }
    if parameter {
        put(Kind::Parameter, Of::Nothing, Of::Nothing);
    }
}

/// The words of a sentence, by the tool's own names.
pub(super) fn tokens<'t>(text: &'t str, words: &[Word], hits: &[Hit], known: Known<'_>) -> Vec<Token<'t>> {
    let mut hits = hits;
    let job = Of::Word(JOB, hash(JOB.as_bytes()));
    words
        .iter()
        .map(|word| {
            let written = text.get(word.start as usize..word.end as usize).unwrap_or_default();
            let root = stem(written);
            let hashed = if root.len() == written.len() { word.hash } else { hash(root.as_bytes()) };
            while hits.first().is_some_and(|hit| hit.end <= word.start) {
                hits = hits.get(1..).unwrap_or_default();
            }
            let in_phrase = hits.first().is_some_and(|hit| hit.start <= word.start && hit.set.meets(NO_JOB));
            if !in_phrase && known.holds(hashed) {
                Token { word: job, stem: job }
            } else {
                Token { word: Of::Word(written, word.hash), stem: Of::Word(root, hashed) }
            }
        })
        .collect()
}

/// The hashes of the stems of what a text of names says, sorted, but for words that any tool has.
pub(super) fn stems(words: impl Iterator<Item = impl AsRef<str>>) -> Vec<u32> {
    let says = |word: &str| word.len() > 2 && !COMMON.contains(&word);
    let mut out: Vec<u32> =
        words.filter(|word| says(word.as_ref())).map(|word| hash(stem(word.as_ref()).as_bytes())).collect();
    out.sort_unstable();
    out.dedup();
    out
}

/// Words that say nothing of what a tool is there for.
const COMMON: &[&str] = &[
    "the", "and", "for", "with", "from", "are", "its", "this", "that", "these", "those", "not", "any", "all", "one",
    "which", "who", "what", "when", "where", "how", "into", "out", "over", "than", "then", "but", "can", "may", "will",
    "must", "should", "would", "does", "did", "has", "have", "had", "was", "were", "been", "being", "user", "users",
    "tool", "tools", "call", "calls", "use", "used", "get", "set", "add", "list", "show", "give", "find", "make",
    "take", "see", "new", "more", "before", "after", "without", "other", "others", "every", "each", "also", "only",
];

/// A word without its ending.
pub(super) fn stem(word: &str) -> &str {
    ["ingly", "edly", "ing", "ed", "es", "s", "ly"]
        .iter()
        .find_map(|ending| word.strip_suffix(ending).filter(|root| root.len() >= 3))
        .unwrap_or(word)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_lose_their_endings() {
        for (word, want) in [
            ("sends", "send"),
            ("sending", "send"),
            ("repeatedly", "repeat"),
            ("boxes", "box"),
            ("is", "is"),
            ("red", "red"),
            ("bus", "bus"),
        ] {
            assert_eq!(stem(word), want, "{word}");
        }
    }

    #[test]
    fn names_say_what_the_job_is() {
        let known = stems(["get", "tide", "tables", "of", "harbours"].iter());
        let holds = |word: &str| Known { names: &known, purpose: &[] }.holds(hash(stem(word).as_bytes()));
        for (word, want) in [("tide", true), ("tables", true), ("harbour", true), ("get", false), ("mail", false)] {
            assert_eq!(holds(word), want, "{word}");
        }
    }
}
