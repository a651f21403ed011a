//! The phrases of every language, found in one pass over a text.

use super::concept::{Concept, Set};
use super::fold::fold_phrase;
use super::trie::Trie;
use crate::prelude::*;
use crate::text::head;
use core::ops::Range;
use once_cell::race::OnceBox;

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
    pub(crate) fn glues(self) -> bool {
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
}

/// One meaning of a pattern.
#[derive(Clone, Debug)]
struct Sense {
    set: Set,
    /// Must a word begin where the phrase begins?
    opens: Bound,
    /// Must a word end where the phrase ends?
    closes: bool,
    /// Does the phrase go on to the end of the word it ends in?
    stem: bool,
    /// What must follow, where an ending inside the phrase is left open: the rest of it.
    tail: String,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Bound {
    Word,
    /// Up to four letters of prefixes may be glued on (Arabic).
    Prefixed,
    Anywhere,
}

impl Sense {
    /// Where the phrase ends whose first part ends at `at`; `None` where the rest of it does not follow.
    fn ends(&self, text: &str, at: usize) -> Option<usize> {
        if !self.stem {
            return Some(at);
        }
        let mut at = word_end(text, at);
        let mut rest = self.tail.as_str();
        while !rest.is_empty() {
            let (part, further) = rest.split_once('*').unwrap_or((rest, ""));
            let follows = text.get(at..).is_some_and(|t| t.starts_with(part));
            if !follows {
                return None;
            }
            at += part.len();
            let open = rest.contains('*');
            if !open && !right_of(text, at) {
                return None;
            }
            at = if open { word_end(text, at) } else { at };
            rest = further;
        }
        Some(at)
    }
}

/// The longest ending that is looked past (bytes).
const MAX_ENDING: usize = 32;

/// The end of the word in which `at` lies.
fn word_end(text: &str, at: usize) -> usize {
    let rest = text.get(at..).unwrap_or_default();
    let rest = head(rest, MAX_ENDING);
    at + rest.find(|c| !is_wordly(c)).unwrap_or(rest.len())
}

/// A phrase found in a text.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Found {
    /// First byte in the folded text.
    pub(crate) start: u32,
    /// One past the last byte.
    pub(crate) end: u32,
    /// What it stands for.
    pub(crate) set: Set,
}

/// The phrases of one language, with what each stands for.
#[derive(Debug)]
struct Table {
    trie: Trie,
    /// The senses of phrase `i` are `senses[starts[i]..starts[i + 1]]`.
    starts: Vec<u32>,
    senses: Vec<Sense>,
}

/// All phrases, ready for searching.
#[derive(Debug)]
pub(crate) struct Words {
    /// By language.
    tables: Vec<Table>,
    /// The little words that languages are known by.
    little: Little,
}

static WORDS: OnceBox<Words> = OnceBox::new();

/// The phrases, built at the first use.
pub(crate) fn words() -> &'static Words {
    WORDS.get_or_init(|| Box::new(Words::build()))
}

impl Table {
    fn build(phrases: &BTreeMap<String, Vec<Sense>>) -> Self {
        let mut starts = vec![0];
        let mut senses = Vec::new();
        for of_phrase in phrases.values() {
            senses.extend(of_phrase.iter().cloned());
            starts.push(u32::try_from(senses.len()).unwrap_or(u32::MAX));
        }
        Self { trie: Trie::build(phrases.keys().map(String::as_str)), starts, senses }
    }

    fn senses(&self, index: usize) -> &[Sense] {
        let range = self.starts.get(index).zip(self.starts.get(index + 1));
        range.and_then(|(from, to)| self.senses.get(*from as usize..*to as usize)).unwrap_or_default()
    }

    /// Every phrase that begins at `at`, by its end.
    #[inline]
    fn at(&self, text: &str, at: usize, mut found: impl FnMut(usize, &Sense)) {
        self.trie.at(text.as_bytes(), at, |phrase, end| self.senses(phrase).iter().for_each(|sense| found(end, sense)));
    }
}

impl Words {
    fn build() -> Self {
        let mut little = Vec::new();
        let tables = Language::ALL.map(|(language, data)| {
            let mut phrases: BTreeMap<String, Vec<Sense>> = BTreeMap::new();
            for (concept, phrase) in entries(data) {
                let (text, sense) = sense(language, concept, phrase);
                if text.is_empty() {
                    continue;
                }
                if concept == Concept::Common {
                    little.push((text.clone(), language));
                }
                let senses = phrases.entry(text).or_default();
                let alike = |s: &&mut Sense| s.opens == sense.opens && s.closes == sense.closes && s.tail == sense.tail;
                match senses.iter_mut().find(alike) {
                    Some(known) => known.set = known.set.with(sense.set),
                    None => senses.push(sense),
                }
            }
            Table::build(&phrases)
        });
        Self { tables: tables.into(), little: Little::build(&little) }
    }

    /// Every phrase of a language in a part of a folded text, by where it begins; `glued` reads it without regard to word ends.
    pub(crate) fn find(
        &self,
        text: &str,
        range: Range<usize>,
        language: Language,
        glued: bool,
        mut found: impl FnMut(Found),
    ) {
        let Some(table) = self.tables.get(language as usize) else { return };
        let mut push = |start: usize, end: usize, sense: &Sense| {
            found(Found {
                start: u32::try_from(start).unwrap_or(u32::MAX),
                end: u32::try_from(end).unwrap_or(u32::MAX),
                set: sense.set,
            });
        };
        let bytes = text.as_bytes();
        if language.glues() || language == Language::Any {
            for at in range {
                table.at(text, at, |end, sense| {
                    let opens = sense.opens == Bound::Anywhere || left_of(text, at);
                    let closes = !sense.closes || right_of(text, end);
                    if opens && closes && (!sense.set.has(Concept::Mailbox) || is_mail_address(text, at)) {
                        push(at, end, sense);
                    }
                });
            }
            return;
        }
        let mut inside = 0u32;
        let mut at = range.start;
        while let Some(byte) = bytes.get(at).filter(|_| at < range.end) {
            let (wordly, width) = if byte.is_ascii() {
                (byte.is_ascii_alphanumeric() || *byte == b'_', 1)
            } else {
                text.get(at..).and_then(|t| t.chars().next()).map_or((false, 1), |c| (is_wordly(c), c.len_utf8()))
            };
            // How far inside a word this character is.
            inside = if wordly { inside + 1 } else { 0 };
            let prefixed = language == Language::Arabic && (2..=MAX_PREFIX + 1).contains(&inside);
            if inside == 1 || prefixed || glued {
                table.at(text, at, |end, sense| {
                    let opens = inside == 1 || sense.opens == Bound::Prefixed || (glued && end - at >= 4);
                    let closes = !sense.closes || right_of(text, end) || (glued && end - at >= 4);
                    if opens
                        && closes
                        && let Some(end) = sense.ends(text, end)
                    {
                        push(at, end, sense);
                    }
                });
            }
            at += width;
        }
    }

    /// Are several little words of one language in an ASCII text that need not be folded? A single one may be there by chance.
    pub(crate) fn has_little(&self, text: &str) -> bool {
        let mut met = 0u16;
        for word in text.as_bytes().split(|b| !b.is_ascii_alphabetic()).filter(|word| (2..=9).contains(&word.len())) {
            let mut lower = [0; 9];
            let Some(lower) = lower.get_mut(..word.len()) else { continue };
            lower.copy_from_slice(word);
            lower.make_ascii_lowercase();
            let bits = self.little.bits(lower);
            if bits & met != 0 {
                return true;
            }
            met |= bits;
        }
        false
    }

    /// The language of a part of a text: by its script, and among those written in Latin letters by their little words. Where these say
    /// nothing, `before`. Also answers how many little words of it there are.
    pub(crate) fn language(&self, part: &str, before: Language) -> (Language, usize) {
        let mut letters = [0usize; Language::ALL.len()];
        let mut weights = [0usize; Language::ALL.len()];
        let mut counts = [0usize; Language::ALL.len()];
        let bytes = part.as_bytes();
        let mut at = 0;
        while let Some(byte) = bytes.get(at) {
            if byte.is_ascii_alphabetic() {
                let from = at;
                while bytes.get(at).is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'\'') {
                    at += 1;
                }
                // No little word is longer.
                let word = bytes.get(from..at).filter(|word| word.len() <= 9).unwrap_or_default();
                let mut bits = self.little.bits(word);
                while bits != 0 {
                    let index = bits.trailing_zeros() as usize;
                    bits &= bits - 1;
                    if let (Some(weight), Some(count)) = (weights.get_mut(index), counts.get_mut(index)) {
                        *weight += at - from;
                        *count += 1;
                    }
                }
            } else if byte.is_ascii() {
                at += 1;
            } else {
                let Some(c) = part.get(at..).and_then(|t| t.chars().next()) else { break };
                if let Some(count) = script(c).and_then(|language| letters.get_mut(language as usize)) {
                    *count += c.len_utf8();
                }
                at += c.len_utf8();
            }
        }
        let foreign =
            Language::ALL.iter().map(|(l, _)| *l).max_by_key(|l| letters.get(*l as usize).copied().unwrap_or(0));
        // Kana make a text Japanese, however many ideographs it has.
        let kana = letters.get(Language::Japanese as usize).copied().unwrap_or(0);
        let foreign = if kana > 6 { Some(Language::Japanese) } else { foreign };
        if let Some(language) = foreign.filter(|l| letters.get(*l as usize).is_some_and(|n| *n * 5 >= part.len())) {
            return (language, 1);
        }
        let weight = |language: Language| weights.get(language as usize).copied().unwrap_or(0);
        let mut best = before;
        for (language, _) in Language::ALL.into_iter().filter(|(l, _)| l.is_latin()) {
            if weight(language) > weight(best) {
                best = language;
            }
        }
        (best, counts.get(best as usize).copied().unwrap_or(0))
    }
}

/// The language that a letter's script stands for, where it stands for one.
fn script(c: char) -> Option<Language> {
    Some(match c {
        '\u{400}'..='\u{52f}' => Language::Russian,
        '\u{600}'..='\u{6ff}' => Language::Arabic,
        '\u{900}'..='\u{97f}' => Language::Hindi,
        '\u{3040}'..='\u{30ff}' => Language::Japanese,
        '\u{3400}'..='\u{9fff}' => Language::Chinese,
        '\u{ac00}'..='\u{d7a3}' => Language::Korean,
        _ => return None,
    })
}

/// The little words of the languages that are written in Latin letters, by their hash.
#[derive(Debug)]
struct Little {
    /// The hash of a word and the languages it belongs to, as bits; an empty place has no languages.
    slots: Vec<(u32, u16)>,
}

/// A power of two, several times the number of little words.
const SLOTS: usize = 4096;

impl Little {
    fn build(words: &[(String, Language)]) -> Self {
        let mut slots = vec![(0, 0u16); SLOTS];
        for (word, language) in words.iter().filter(|(_, l)| l.is_latin()) {
            let hash = hash(word.as_bytes());
            let mut at = hash as usize % SLOTS;
            while slots.get(at).is_some_and(|(h, bits)| *bits != 0 && *h != hash) {
                at = (at + 1) % SLOTS;
            }
            if let Some(slot) = slots.get_mut(at) {
                *slot = (hash, slot.1 | 1 << *language as u16);
            }
        }
        Self { slots }
    }

    /// The languages that a word belongs to, as bits.
    fn bits(&self, word: &[u8]) -> u16 {
        let hash = hash(word);
        let mut at = hash as usize % SLOTS;
        while let Some((h, bits)) = self.slots.get(at).filter(|(_, bits)| *bits != 0) {
            if *h == hash {
                return *bits;
            }
            at = (at + 1) % SLOTS;
        }
        0
    }
}

/// FNV-1a.
fn hash(word: &[u8]) -> u32 {
    word.iter().fold(0x811c_9dc5, |hash, byte| (hash ^ u32::from(*byte)).wrapping_mul(0x0100_0193))
}

/// So many letters may be glued to the front of an Arabic word.
const MAX_PREFIX: u32 = 4;

/// The phrases of a file: `concept: phrase, phrase, …` lines.
fn entries(data: &str) -> impl Iterator<Item = (Concept, &str)> {
    data.lines()
        .filter_map(|line| line.split_once(':'))
        .filter_map(|(name, phrases)| {
            let concept = match name {
                "link" => Some(Concept::Link),
                "shell" => Some(Concept::Shell),
                "image" => Some(Concept::Image),
                "mailbox" => Some(Concept::Mailbox),
                _ => Concept::named(name),
            };
            concept.map(|concept| (concept, phrases))
        })
        .flat_map(|(concept, phrases)| phrases.split([',', '、', '،']).map(move |phrase| (concept, phrase)))
}

fn sense(language: Language, concept: Concept, phrase: &str) -> (String, Sense) {
    let phrase = phrase.strip_prefix(' ').unwrap_or(phrase);
    let (phrase, free) = match phrase.strip_prefix('~').filter(|_| language == Language::Any) {
        Some(rest) => (rest, true),
        None => (phrase.trim(), false),
    };
    let (phrase, tail) = match phrase.split_once('*').filter(|_| !free) {
        Some((head, tail)) => (head, Some(fold_phrase(tail))),
        None => (phrase, None),
    };
    let text = fold_phrase(phrase);
    let free = free || language.glues();
    let opens = match language {
        _ if free => Bound::Anywhere,
        Language::Arabic => Bound::Prefixed,
        _ => Bound::Word,
    };
    let stem = tail.is_some();
    let open = free || stem || (language == Language::Arabic && text.chars().count() > 3);
    (
        text,
        Sense { set: Set::of(&[concept]), opens, closes: !open, stem: stem && !free, tail: tail.unwrap_or_default() },
    )
}

/// Does a mail address have its `@` at `at`?
fn is_mail_address(text: &str, at: usize) -> bool {
    let bytes = text.as_bytes();
    let letter = |b: &u8| b.is_ascii_alphanumeric();
    let host =
        bytes.get(at + 1..).unwrap_or_default().iter().take(64).take_while(|b| letter(b) || matches!(b, b'.' | b'-'));
    at.checked_sub(1).and_then(|i| bytes.get(i)).is_some_and(letter)
        && host.clone().next().is_some_and(letter)
        && host.filter(|b| **b == b'.').count() > 0
}

fn is_wordly(c: char) -> bool {
    // Marks belong to the word they stand in (Devanagari vowel signs).
    c.is_alphanumeric() || c == '_' || matches!(c, '\u{900}'..='\u{963}' | '\u{971}'..='\u{97f}')
}

/// Does no word character stand before `at`?
fn left_of(text: &str, at: usize) -> bool {
    let inner = text.get(at..).and_then(|t| t.chars().next()).is_some_and(is_wordly);
    match at.checked_sub(1).and_then(|i| text.as_bytes().get(i)) {
        None => true,
        Some(b) if b.is_ascii() => !inner || !(b.is_ascii_alphanumeric() || *b == b'_'),
        Some(_) => !inner || !text.get(..at).and_then(|t| t.chars().next_back()).is_some_and(is_wordly),
    }
}

/// Does no word character stand at `at`?
fn right_of(text: &str, at: usize) -> bool {
    let inner = text.get(..at).and_then(|t| t.chars().next_back()).is_some_and(is_wordly);
    match text.as_bytes().get(at) {
        None => true,
        Some(b) if b.is_ascii() => !inner || !(b.is_ascii_alphanumeric() || *b == b'_'),
        Some(_) => !inner || !text.get(at..).and_then(|t| t.chars().next()).is_some_and(is_wordly),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_language_has_every_concept_and_no_unknown_one() {
        for (language, data) in Language::ALL.into_iter().filter(|(l, _)| *l != Language::Any) {
            for (name, concept) in Concept::NAMED.into_iter().filter(|(_, c)| *c != Concept::Path) {
                let count = entries(data).filter(|(c, _)| *c == concept).count();
                assert!(count >= 2, "{language:?} has {count} phrases for {name}");
            }
        }
        for (language, data) in Language::ALL {
            for line in data.lines() {
                let name = line.split_once(':').unwrap_or_default().0;
                assert!(
                    Concept::named(name).is_some() || ["link", "shell", "image", "mailbox"].contains(&name),
                    "{language:?}: {line:.20}"
                );
            }
        }
    }

    #[test]
    fn phrases_are_found_as_words_of_their_language() {
        for (text, concept, want) in [
            ("do not tell", Concept::Tell, true),
            ("a teller of tales", Concept::Tell, false),
            ("send_email", Concept::Carry, false),
            ("cat ~/.ssh/id_rsa", Concept::Path, true),
            ("the environment", Concept::Path, false),
        ] {
            let mut met = false;
            let mut look = |found: Found| met |= found.set.has(concept);
            words().find(text, 0..text.len(), Language::English, false, &mut look);
            words().find(text, 0..text.len(), Language::Any, false, &mut look);
            assert_eq!(met, want, "{text}");
        }
    }
}
