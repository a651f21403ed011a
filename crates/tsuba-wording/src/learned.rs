//! What is learned from texts: how much each word, each pair of words that follow each other, each concept and each pair of concepts
//! speaks for a sentence that asks for something it should not.
//!
//! The acts are what people thought of; this is the sum of what the training texts have in common beyond that. The weights are data
//! (`words/learned.txt`), written by [`super::train`] from the texts in `training/`.

use super::concept::{Concept, Set};
use super::hash::hash;
use super::scan::Word;
use crate::prelude::*;
use once_cell::race::OnceBox;

/// Something that a sentence has, and that has a weight.
#[derive(Clone, Copy, Debug)]
pub(super) enum Sign<'w> {
    /// A word.
    Word(&'w Word),
    /// Two words in a row.
    Words(&'w Word, &'w Word),
    /// A concept.
    Concept(Concept),
    /// Two concepts, in the order of [`Concept`].
    Concepts(Concept, Concept),
    /// It stands in a parameter's text.
    Parameter,
    /// It stands in a parameter's text and has a concept.
    OfParameter(Concept),
}

/// Calls `each` for the words of a sentence.
pub(super) fn of_words<'w>(words: &'w [Word], mut each: impl FnMut(Sign<'w>)) {
    let mut last = None;
    for word in words {
        each(Sign::Word(word));
        if let Some(last) = last {
            each(Sign::Words(last, word));
        }
        last = Some(word);
    }
}

/// Calls `each` for the concepts of a sentence and its place.
pub(super) fn of_concepts<'w>(set: Set, parameter: bool, mut each: impl FnMut(Sign<'w>)) {
    for one in set.iter() {
        each(Sign::Concept(one));
        set.iter().filter(|other| *other > one).for_each(|other| each(Sign::Concepts(one, other)));
        if parameter {
            each(Sign::OfParameter(one));
        }
    }
    if parameter {
        each(Sign::Parameter);
    }
}

/// The weights, in hundredths.
#[derive(Debug)]
pub(super) struct Weights {
    /// Of words and pairs of words, by hash.
    words: Vec<(u32, i16)>,
    /// Of concepts and pairs of concepts, by the numbers of both.
    concepts: Vec<i16>,
    bias: i32,
}

/// A sum of weights, and of how many features.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Sum {
    /// Hundredths.
    weight: i32,
    count: u32,
}

impl Sum {
    /// How many features.
    pub(super) fn count(self) -> u32 {
        self.count
    }

    /// With what another part of the sentence weighs.
    pub(super) fn with(self, other: Self) -> Self {
        Self { weight: self.weight.saturating_add(other.weight), count: self.count.saturating_add(other.count) }
    }
}

const SLOTS: usize = 1 << 14;
const SIDE: usize = 64;
/// Stands for the parameter among the concepts: no concept has this number.
const PARAMETER: usize = SIDE - 1;

static WEIGHTS: OnceBox<Weights> = OnceBox::new();

/// The weights, read at the first use.
pub(super) fn weights() -> &'static Weights {
    WEIGHTS.get_or_init(|| Box::new(Weights::parse(include_str!("words/learned.txt"))))
}

/// The hash of two words in a row.
fn pair(one: u32, two: u32) -> u32 {
    one.rotate_left(11).wrapping_mul(0x9E37_79B1) ^ two
}

impl Weights {
    /// Reads lines of a weight and what it is of: `bias`, `w word`, `w word word`, `c concept`, `c concept concept`, `p`, `p concept`.
    fn parse(data: &str) -> Self {
        let mut out = Self { words: vec![(0, 0); SLOTS], concepts: vec![0; SIDE * SIDE], bias: 0 };
        for line in data.lines() {
            let parts: Vec<&str> = line.split(' ').collect();
            let Some(weight) = parts.first().and_then(|weight| weight.parse::<i16>().ok()) else { continue };
            let number = |name: &str| Concept::all().find(|c| c.name() == name).map_or(PARAMETER, |c| c as usize);
            match parts.get(1..).unwrap_or_default() {
                ["bias"] => out.bias = i32::from(weight),
                ["w", word] => out.put(hash(word.as_bytes()), weight),
                ["w", one, two] => out.put(pair(hash(one.as_bytes()), hash(two.as_bytes())), weight),
                ["c", one] => out.set(number(one), number(one), weight),
                ["c", one, two] => out.set(number(one), number(two), weight),
                ["p"] => out.set(PARAMETER, PARAMETER, weight),
                ["p", one] => out.set(number(one), PARAMETER, weight),
                _ => {}
            }
        }
        out
    }

    fn put(&mut self, key: u32, weight: i16) {
        let mut at = key as usize % SLOTS;
        while self.words.get(at).is_some_and(|(known, weight)| *weight != 0 && *known != key) {
            at = (at + 1) % SLOTS;
        }
        if let Some(slot) = self.words.get_mut(at) {
            *slot = (key, weight);
        }
    }

    fn set(&mut self, one: usize, two: usize, weight: i16) {
        if let Some(slot) = self.concepts.get_mut(one * SIDE + two) {
            *slot = weight;
        }
    }

    fn word(&self, key: u32) -> i32 {
        let mut at = key as usize % SLOTS;
        while let Some((known, weight)) = self.words.get(at).filter(|(_, weight)| *weight != 0) {
            if *known == key {
                return i32::from(*weight);
            }
            at = (at + 1) % SLOTS;
        }
        0
    }

    fn concept(&self, one: usize, two: usize) -> i32 {
        self.concepts.get(one * SIDE + two).copied().map_or(0, i32::from)
    }

    /// The weight of a feature, in hundredths.
    pub(super) fn of(&self, feature: Sign<'_>) -> i32 {
        match feature {
            Sign::Word(word) => self.word(word.hash),
            Sign::Words(one, two) => self.word(pair(one.hash, two.hash)),
            Sign::Concept(one) => self.concept(one as usize, one as usize),
            Sign::Concepts(one, two) => self.concept(one as usize, two as usize),
            Sign::Parameter => self.concept(PARAMETER, PARAMETER),
            Sign::OfParameter(one) => self.concept(one as usize, PARAMETER),
        }
    }

    /// What the words of a sentence weigh.
    pub(super) fn words(&self, words: &[Word]) -> Sum {
        let mut sum = Sum::default();
        of_words(words, |feature| sum = sum.with(Sum { weight: self.of(feature), count: 1 }));
        sum
    }

    /// What its concepts and its place weigh.
    pub(super) fn concepts(&self, set: Set, parameter: bool) -> Sum {
        let mut sum = Sum::default();
        of_concepts(set, parameter, |feature| sum = sum.with(Sum { weight: self.of(feature), count: 1 }));
        sum
    }

    /// The score, in hundredths: above 0 it is rather of the hostile kind.
    pub(super) fn score(&self, sum: Sum) -> i32 {
        self.bias + sum.weight.saturating_mul(100) / root(sum.count)
    }
}

/// A hundred times the square root.
pub(super) fn root(count: u32) -> i32 {
    i32::try_from(count.max(1).saturating_mul(10_000).isqrt()).unwrap_or(i32::MAX)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::words::words;

    #[test]
    fn weights_are_read_and_summed() {
        let weights = Weights::parse(
            "-20 bias\n50 w tell\n-30 w tell us\n15 c carry\n25 c carry secret\n7 p\n9 p carry\nnonsense\n",
        );
        let of = |text: &str| weights.words(&words().scan(text).words);
        assert_eq!((of("tell us").weight, of("tell us").count()), (20, 3));
        assert_eq!(of("us tell").weight, 50);
        let both = Set::of(&[Concept::Carry, Concept::Secret]);
        assert_eq!((weights.concepts(both, false).weight, weights.concepts(both, false).count()), (40, 3));
        assert_eq!(weights.concepts(both, true).weight, 56);
        // Four features, so half of their sum.
        assert_eq!(weights.score(Sum { weight: 100, count: 4 }), 30);
    }
}
