//! The phrases of every language, found in one pass over a text.

use super::concept::{Concept, Set};
use super::fold::fold_phrase;
use crate::prelude::*;
use crate::text::head;
use aho_corasick::automaton::OverlappingState;
use aho_corasick::{AhoCorasick, AhoCorasickKind, Anchored, Input, MatchKind, PatternID, StartKind};
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
    fn glues(self) -> bool {
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
    language: Language,
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
    /// In which language.
    pub(crate) language: Language,
    /// What it stands for.
    pub(crate) set: Set,
    /// Is only the stem of the word known?
    pub(crate) stem: bool,
}

/// Phrases of one way of searching, with what each stands for.
#[derive(Debug)]
struct Table {
    automaton: Option<AhoCorasick>,
    /// The senses of pattern `i` are `senses[starts[i]..starts[i + 1]]`.
    starts: Vec<u32>,
    senses: Vec<Sense>,
}

/// All phrases, ready for searching.
#[derive(Debug)]
pub(crate) struct Words {
    /// Phrases that begin where a word begins: looked up there only.
    bound: Table,
    /// Phrases of languages that are written without spaces.
    glued: Table,
    /// Paths, commands, addresses: anywhere.
    free: Table,
    /// The longest bound phrase (bytes).
    longest: usize,
}

static WORDS: OnceBox<Words> = OnceBox::new();

/// The phrases, built at the first use.
pub(crate) fn words() -> &'static Words {
    WORDS.get_or_init(|| Box::new(Words::build()))
}

impl Table {
    fn build(phrases: &BTreeMap<String, Vec<Sense>>, kind: AhoCorasickKind) -> Self {
        let mut starts = vec![0];
        let mut senses = Vec::new();
        for of_phrase in phrases.values() {
            senses.extend(of_phrase.iter().cloned());
            starts.push(u32::try_from(senses.len()).unwrap_or(u32::MAX));
        }
        let automaton = AhoCorasick::builder()
            .match_kind(MatchKind::Standard)
            .start_kind(StartKind::Both)
            .kind(Some(kind))
            .build(phrases.keys())
            .ok();
        Self { automaton, starts, senses }
    }

    fn senses(&self, pattern: PatternID) -> &[Sense] {
        let index = pattern.as_usize();
        let range = self.starts.get(index).zip(self.starts.get(index + 1));
        range.and_then(|(from, to)| self.senses.get(*from as usize..*to as usize)).unwrap_or_default()
    }

    /// Every pattern that begins at `at`, by its end.
    fn at(&self, text: &str, at: usize, to: usize, mut found: impl FnMut(usize, &Sense)) {
        let Some(automaton) = &self.automaton else { return };
        let mut state = OverlappingState::start();
        let input = Input::new(text).span(at..to).anchored(Anchored::Yes);
        loop {
            automaton.find_overlapping(input.clone(), &mut state);
            let Some(hit) = state.get_match() else { return };
            // The way of a longer pattern passes through shorter ones that begin later.
            if hit.start() == at {
                self.senses(hit.pattern()).iter().for_each(|sense| found(hit.end(), sense));
            }
        }
    }

    /// Every pattern anywhere.
    fn anywhere(&self, text: &str, mut found: impl FnMut(usize, usize, &Sense)) {
        let Some(automaton) = &self.automaton else { return };
        for hit in automaton.find_overlapping_iter(text) {
            self.senses(hit.pattern()).iter().for_each(|sense| found(hit.start(), hit.end(), sense));
        }
    }
}

impl Words {
    fn build() -> Self {
        let mut tables: [BTreeMap<String, Vec<Sense>>; 3] = Default::default();
        for (language, data) in Language::ALL {
            for (concept, phrase) in entries(data) {
                let (text, sense) = sense(language, concept, phrase);
                let word = text.chars().next().is_some_and(is_wordly);
                let table = match (sense.opens, language.glues()) {
                    (_, true) => 1,
                    (Bound::Anywhere, false) => 2,
                    (Bound::Word | Bound::Prefixed, false) => if word { 0 } else { 2 },
                };
                let Some(phrases) = tables.get_mut(table).filter(|_| !text.is_empty()) else { continue };
                let senses = phrases.entry(text).or_default();
                let alike = |s: &&mut Sense| {
                    s.language == sense.language
                        && s.opens == sense.opens
                        && s.closes == sense.closes
                        && s.tail == sense.tail
                };
                match senses.iter_mut().find(alike) {
                    Some(known) => known.set = known.set.with(sense.set),
                    None => senses.push(sense),
                }
            }
        }
        let [bound, glued, free] = &tables;
        Self {
            longest: bound.keys().map(String::len).max().unwrap_or(0),
            bound: Table::build(bound, AhoCorasickKind::ContiguousNFA),
            glued: Table::build(glued, AhoCorasickKind::ContiguousNFA),
            free: Table::build(free, AhoCorasickKind::DFA),
        }
    }

    /// Every phrase in a folded text, in no particular order; `glued` reads it without regard to word ends.
    pub(crate) fn find(&self, text: &str, glued: bool, mut found: impl FnMut(Found)) {
        let mut push = |start: usize, end: usize, sense: &Sense| {
            found(Found {
                start: u32::try_from(start).unwrap_or(u32::MAX),
                end: u32::try_from(end).unwrap_or(u32::MAX),
                language: sense.language,
                set: sense.set,
                stem: sense.stem,
            });
        };
        let mut inside = 0u32;
        for (at, c) in text.char_indices() {
            // How far inside a word this character is.
            inside = if is_wordly(c) { inside + 1 } else { 0 };
            let arabic = (2..=MAX_PREFIX + 1).contains(&inside) && is_arabic(c);
            if inside != 1 && !arabic && !glued {
                continue;
            }
            let to = (at + self.longest).min(text.len());
            self.bound.at(text, at, to, |end, sense| {
                let opens = inside == 1 || sense.opens == Bound::Prefixed || (glued && end - at >= 4);
                let closes = !sense.closes || right_of(text, end) || (glued && end - at >= 4);
                if opens && closes && let Some(end) = sense.ends(text, end) {
                    push(at, end, sense);
                }
            });
        }
        if has_ideographs(text) {
            self.glued.anywhere(text, |start, end, sense| push(start, end, sense));
        }
        self.free.anywhere(text, |start, end, sense| {
            let opens = sense.opens == Bound::Anywhere || left_of(text, start);
            let closes = !sense.closes || right_of(text, end);
            if opens && closes && (!sense.set.has(Concept::Mailbox) || is_mail_address(text, start)) {
                push(start, end, sense);
            }
        });
    }
}

/// So many letters may be glued to the front of an Arabic word.
const MAX_PREFIX: u32 = 4;

fn is_arabic(c: char) -> bool {
    matches!(c, '\u{600}'..='\u{6ff}')
}

/// Is there a character of a script that is written without spaces?
fn has_ideographs(text: &str) -> bool {
    text.bytes().any(|b| (0xE3..=0xED).contains(&b))
}

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
        Sense {
            language,
            set: Set::of(&[concept]),
            opens,
            closes: !open,
            stem: stem && !free,
            tail: tail.unwrap_or_default(),
        },
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
            words().find(text, false, |found| met |= found.set.has(concept) && found.language != Language::German);
            assert_eq!(met, want, "{text}");
        }
    }
}
