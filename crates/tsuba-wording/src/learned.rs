//! What is learned from texts: how much each feature of a sentence speaks for its asking something it should not.
//!
//! The acts are what people thought of; this is the sum of what the training texts have in common beyond that. The weights are data
//! (`words/learned.txt`), written by [`super::train`] from the texts in `training/`. English only: of other languages nothing is learned.

use super::features::{Feature, Known, features, key_of, tokens};
use super::language::Language;
use super::matched::Setting;
use super::sentence::{Sentence, Sentences};
use crate::prelude::*;
use once_cell::race::OnceBox;

/// The weights, in hundredths.
#[derive(Debug)]
pub(super) struct Weights {
    /// By the key of the feature: open addressing, a weight of 0 is a free place.
    slots: Vec<(u32, i16)>,
    bias: i32,
}

/// Several times as many as there are weights.
const SLOTS: usize = 1 << 16;

static WEIGHTS: OnceBox<Weights> = OnceBox::new();

/// The weights, read at the first use.
pub(super) fn weights() -> &'static Weights {
    WEIGHTS.get_or_init(|| Box::new(Weights::parse(include_str!("words/learned.txt"))))
}

impl Weights {
    /// Reads lines of a weight and what it is of: `bias`, or the letter of a kind and one or two words.
    pub(super) fn parse(data: &str) -> Self {
        let mut out = Self { slots: vec![(0, 0); SLOTS], bias: 0 };
        for line in data.lines() {
            let mut parts = line.split(' ');
            let Some(weight) = parts.next().and_then(|weight| weight.parse::<i16>().ok()) else { continue };
            match (parts.next().unwrap_or_default(), parts.next().unwrap_or_default(), parts.next()) {
                ("bias", ..) => out.bias = i32::from(weight),
                (kind, one, two) => out.put(key_of(kind, one, two.unwrap_or_default()), weight),
            }
        }
        out
    }

    fn put(&mut self, key: u32, weight: i16) {
        let mut at = key as usize % SLOTS;
        while self.slots.get(at).is_some_and(|(known, weight)| *weight != 0 && *known != key) {
            at = (at + 1) % SLOTS;
        }
        if let Some(slot) = self.slots.get_mut(at) {
            *slot = (key, weight);
        }
    }

    /// The weight of a feature, in hundredths.
    pub(super) fn of(&self, feature: &Feature<'_>) -> i32 {
        self.at(feature.key())
    }

    fn at(&self, key: u32) -> i32 {
        let mut at = key as usize % SLOTS;
        while let Some((known, weight)) = self.slots.get(at).filter(|(_, weight)| *weight != 0) {
            if *known == key {
                return i32::from(*weight);
            }
            at = (at + 1) % SLOTS;
        }
        0
    }

    /// The score of a sentence, in hundredths: above 0 it is rather of the hostile kind. `None` where nothing is learned of it.
    pub(super) fn score(
        &self,
        text: &str,
        sentences: &Sentences,
        sentence: &Sentence,
        setting: Setting,
        known: Known<'_>,
    ) -> Option<i32> {
        if sentence.language != Language::English {
            return None;
        }
        let mut keys = Vec::new();
        of_sentence(text, sentences, sentence, setting, known, |feature| keys.push(feature.key()));
        // What is said again and again says it once.
        keys.sort_unstable();
        keys.dedup();
        let sum = keys.iter().fold(0i32, |sum, key| sum.saturating_add(self.at(*key)));
        let count = u32::try_from(keys.len()).unwrap_or(u32::MAX);
        (count >= LEAST).then(|| self.bias + sum.saturating_mul(100) / root(count))
    }
}

/// Of a sentence with fewer features nothing is learned: of three words there are so many.
const LEAST: u32 = 13;

/// The features of a sentence.
pub(super) fn of_sentence<'t>(
    text: &'t str,
    sentences: &Sentences,
    sentence: &Sentence,
    setting: Setting,
    known: Known<'_>,
    each: impl FnMut(Feature<'t>),
) {
    let words = sentences.words.get(sentence.words.clone()).unwrap_or_default();
    let hits = sentences.hits.get(sentence.hits.clone()).unwrap_or_default();
    // A sentence that says what the tool is there for does not say it of itself.
    let first = sentence.range.start == 0 && !setting.parameter;
    let known = if first { Known { purpose: &[], ..known } } else { known };
    features(&tokens(text, words, hits, known), setting.parameter, each);
}

/// A hundred times the square root.
pub(super) fn root(count: u32) -> i32 {
    i32::try_from(count.max(1).saturating_mul(10_000).isqrt()).unwrap_or(i32::MAX)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::features::{Kind, Of};
    use crate::hash::hash;
    use crate::sentence::{sentences, whole};
    use crate::words::words;

    #[test]
    fn weights_are_read_by_kind() {
        let weights = Weights::parse("-20 bias\n50 w tell\n-30 b tell us\n7 p\nnonsense\n12 nonsense\n");
        let of = |kind: Kind, one: &'static str, two: &'static str| {
            let part =
                |word: &'static str| if word.is_empty() { Of::Nothing } else { Of::Word(word, hash(word.as_bytes())) };
            weights.of(&Feature { kind, one: part(one), two: part(two) })
        };
        assert_eq!(weights.bias, -20);
        for (kind, one, two, want) in [
            (Kind::Word, "tell", "", 50),
            (Kind::Stem, "tell", "", 0),
            (Kind::Words, "tell", "us", -30),
            (Kind::Words, "us", "tell", 0),
            (Kind::Parameter, "", "", 7),
        ] {
            assert_eq!(of(kind, one, two), want, "{kind:?} {one} {two}");
        }
    }

    #[test]
    fn what_is_said_again_and_again_counts_once() {
        let weights = Weights::parse("100 w tell\n");
        let text = "tell tell tell the tide at noon in the harbour today";
        let cut = sentences(text, words(), false, &whole, &BTreeSet::new());
        let first = cut.list.first().unwrap();
        let score = weights.score(text, &cut, first, Setting::default(), Known::default()).unwrap();
        assert!((1..=100 * 100 / root(LEAST)).contains(&score), "{score}");
    }

    #[test]
    fn every_line_of_the_weights_is_a_weight_of_a_known_kind() {
        for line in include_str!("words/learned.txt").lines() {
            let mut parts = line.split(' ');
            let weight: Option<i16> = parts.next().and_then(|weight| weight.parse().ok());
            let kind = parts.next().unwrap_or_default();
            assert!(weight.is_some() && (kind == "bias" || crate::features::is_kind(kind)), "{line}");
        }
    }
}
