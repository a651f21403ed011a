//! The languages that are read, and by what each is known: its script, or its little words.

use super::hash::hash;
use crate::prelude::*;

/// The languages that are read, in the order in which ties are broken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[repr(u8)]
pub(crate) enum Language {
    English,
    German,
    French,
    Spanish,
    Portuguese,
    Italian,
    Dutch,
    Russian,
    Chinese,
    Japanese,
    Korean,
    Arabic,
    Hindi,
    /// Written alike everywhere: paths, commands.
    Any,
}

impl Language {
    /// Every language with its phrases.
    pub(crate) const ALL: [(Self, &'static str); 14] = [
        (Self::English, include_str!("words/en.txt")),
        (Self::German, include_str!("words/de.txt")),
        (Self::French, include_str!("words/fr.txt")),
        (Self::Spanish, include_str!("words/es.txt")),
        (Self::Portuguese, include_str!("words/pt.txt")),
        (Self::Italian, include_str!("words/it.txt")),
        (Self::Dutch, include_str!("words/nl.txt")),
        (Self::Russian, include_str!("words/ru.txt")),
        (Self::Chinese, include_str!("words/zh.txt")),
        (Self::Japanese, include_str!("words/ja.txt")),
        (Self::Korean, include_str!("words/ko.txt")),
        (Self::Arabic, include_str!("words/ar.txt")),
        (Self::Hindi, include_str!("words/hi.txt")),
        (Self::Any, include_str!("words/any.txt")),
    ];

    /// Written without spaces between words, or with endings glued on, so that a phrase may begin and end anywhere?
    pub(crate) fn unsegmented(self) -> bool {
        matches!(self, Self::Chinese | Self::Japanese | Self::Korean)
    }

    /// Is it written in Latin letters, as other languages are?
    pub(crate) fn is_latin(self) -> bool {
        self <= Self::Dutch
    }

    /// May negation follow what it negates?
    pub(crate) fn negates_late(self) -> bool {
        matches!(self, Self::German | Self::Dutch | Self::Japanese | Self::Korean | Self::Hindi)
    }

    /// The language that a letter's script stands for, where it stands for one.
    pub(super) fn of_script(c: char) -> Option<Self> {
        Some(match c {
            '\u{400}'..='\u{52f}' => Self::Russian,
            '\u{600}'..='\u{6ff}' => Self::Arabic,
            '\u{900}'..='\u{97f}' => Self::Hindi,
            '\u{3040}'..='\u{30ff}' => Self::Japanese,
            '\u{3400}'..='\u{9fff}' => Self::Chinese,
            '\u{ac00}'..='\u{d7a3}' => Self::Korean,
            _ => return None,
        })
    }
}

/// The languages written in Latin letters: the first ones of [`Language::ALL`].
const LATIN: usize = Language::Dutch as usize + 1;

/// The little words of the languages that are written in Latin letters, by their hash. Two words of one hash would make a language a
/// little likelier, no more.
#[derive(Debug)]
pub(super) struct Little {
    /// The hash of a word and the languages it belongs to, as bits; an empty place has no languages.
    slots: Vec<(u32, u16)>,
}

/// A power of two, several times the number of little words.
const SLOTS: usize = 2048;

/// No little word is longer (bytes).
const MAX_WORD_BYTES: usize = 9;

impl Little {
    pub(super) fn build<'w>(words: impl Iterator<Item = (&'w str, Language)>) -> Self {
        let mut slots = vec![(0, 0u16); SLOTS];
        for (word, language) in words.filter(|(_, l)| l.is_latin()) {
            let hash = hash(word.as_bytes());
            let mut at = hash as usize % SLOTS;
            while slots.get(at).is_some_and(|(h, bits)| *bits != 0 && *h != hash) {
                at = (at + 1) % SLOTS;
            }
            if let Some(slot) = slots.get_mut(at) {
                *slot = (hash, slot.1 | 1 << language as u16);
            }
        }
        Self { slots }
    }

    /// The languages that a word of this hash and length (bytes) belongs to, as bits.
    #[inline]
    pub(super) fn bits(&self, hash: u32, length: usize) -> u16 {
        if length > MAX_WORD_BYTES {
            return 0;
        }
        let mut at = hash as usize % SLOTS;
        while let Some((known, bits)) = self.slots.get(at).filter(|(_, bits)| *bits != 0) {
            if *known == hash {
                return *bits;
            }
            at = (at + 1) % SLOTS;
        }
        0
    }
}

/// As many as fill a register, of which there are [`LATIN`] in use.
const LANES: usize = 8;

/// How many little words of each Latin language a part has, and their lengths together (bytes), by the language's number.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Latin {
    weights: [u16; LANES],
    counts: [u16; LANES],
}

impl Latin {
    /// Counts a little word of the languages `little`, as bits.
    #[inline]
    pub(super) fn count(&mut self, little: u16, length: usize) {
        let length = u16::try_from(length).unwrap_or(u16::MAX);
        for (lane, (weight, count)) in self.weights.iter_mut().zip(&mut self.counts).enumerate() {
            let one = (little >> lane) & 1;
            *weight = weight.saturating_add(one.wrapping_neg() & length);
            *count = count.saturating_add(one);
        }
    }
}

impl Latin {
    /// The languages for which the little words speak as much as for `best`, as bits; it is one of them.
    pub(super) fn rivals(&self, best: Language) -> u16 {
        let most = self.weights.get(best as usize).copied().unwrap_or_default();
        let equal = self.weights.iter().enumerate().filter(|(_, weight)| most > 0 && **weight == most);
        equal.fold(0, |bits, (lane, _)| bits | 1 << lane)
    }
}

impl Language {
    /// The language of a part of a text: by its script, and among those written in Latin letters by their little words. Where these say
    /// nothing, `before`. Also answers how many little words of it there are. `length` is the part's (bytes).
    pub(super) fn of(latin: &Latin, letters: &Letters, length: usize, before: Self) -> (Self, usize) {
        if let Some(language) = letters.language(length) {
            return (language, 1);
        }
        let weight = |language: Self| latin.weights.get(language as usize).copied().unwrap_or_default();
        let mut best = before;
        for (language, _) in Self::ALL.into_iter().take(LATIN) {
            if weight(language) > weight(best) {
                best = language;
            }
        }
        (best, latin.counts.get(best as usize).copied().unwrap_or_default().into())
    }
}

/// How many bytes of a part are letters of each script that stands for a language.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Letters {
    bytes: [u32; Language::ALL.len()],
    any: bool,
}

impl Letters {
    pub(super) fn count(&mut self, c: char) {
        if let Some(count) = Language::of_script(c).and_then(|language| self.bytes.get_mut(language as usize)) {
            *count += c.len_utf8() as u32;
            self.any = true;
        }
    }

    /// The language whose letters a good part of `length` bytes are.
    pub(super) fn language(&self, length: usize) -> Option<Language> {
        if !self.any {
            return None;
        }
        let of = |language: Language| self.bytes.get(language as usize).copied().unwrap_or(0);
        // Kana make a text Japanese, however many ideographs it has.
        let most = if of(Language::Japanese) > 6 {
            Language::Japanese
        } else {
            Language::ALL.iter().map(|(l, _)| *l).max_by_key(|l| of(*l))?
        };
        (of(most) as usize * 5 >= length).then_some(most)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fold::fold;
    use crate::words::words;

    #[test]
    fn each_language_is_known_by_its_script_or_its_little_words() {
        for (text, want) in [
            ("Gives the tide of a harbour and its moon", Language::English),
            ("Gibt die Tide eines Hafens und den Mond", Language::German),
            ("Donne la marée d'un port et sa lune", Language::French),
            ("Da la marea de un puerto y su luna", Language::Spanish),
            ("Dá a maré de um porto e a sua lua", Language::Portuguese),
            ("Dà la marea di un porto e della sua luna", Language::Italian),
            ("Geeft het getij van een haven en de maan", Language::Dutch),
            ("Даёт прилив гавани и её луну", Language::Russian),
            ("给出港口的潮汐和月亮", Language::Chinese),
            ("港の潮と月をしらせる", Language::Japanese),
            ("항구의 조수와 달을 알려 준다", Language::Korean),
            ("يعطي مد الميناء والقمر", Language::Arabic),
            ("बंदरगाह का ज्वार और चंद्रमा देता है", Language::Hindi),
            ("xq zt 123", Language::English),
        ] {
            assert_eq!(words().language(&fold(text).text).0, want, "{text}");
        }
    }
}
