//! The phrases of every language, found in one pass over a text.

use super::concept::{Concept, Set};
use super::fold::fold_phrase;
use super::hash::hash;
use super::language::{Language, Little};
use super::scan::{Scan, Word, is_wordly, number};
use super::trie::{From, Trie};
use crate::prelude::*;
use aho_corasick::{AhoCorasick, AhoCorasickKind};
use core::ops::Range;
use once_cell::race::OnceBox;
use tsuba_document::text::{boundary, head};

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
    /// Where phrases go on after their first word, by the hash of that word. Two words of one hash would find phrases that are not there,
    /// in a text made for that: to its own harm.
    firsts: Vec<Option<(u32, From)>>,
    /// The pairs of bytes with which phrases begin that may end inside of their first word.
    stems: Vec<bool>,
    /// The senses of phrase `i` are `senses[starts[i]..starts[i + 1]]`.
    starts: Vec<u32>,
    senses: Vec<Sense>,
}

/// The phrases that are written alike in all languages.
#[derive(Debug)]
struct Free {
    automaton: Option<AhoCorasick>,
    /// No phrase is longer (bytes).
    longest: usize,
    /// By the number of the phrase.
    senses: Vec<Vec<Sense>>,
}

/// All phrases, ready for searching.
#[derive(Debug)]
pub(crate) struct Words {
    /// By language.
    tables: [OnceBox<Table>; Language::ALL.len()],
    free: Free,
    /// The little words that languages are known by.
    little: Little,
}

static WORDS: OnceBox<Words> = OnceBox::new();

/// The phrases; those of a language are read at its first use.
pub(crate) fn words() -> &'static Words {
    WORDS.get_or_init(|| Box::new(Words::build()))
}

/// A table of hashes: a power of two, some times the number of first words.
const SLOTS: usize = 1 << 13;

impl Table {
    fn build(language: Language, data: &str) -> Self {
        let mut phrases: BTreeMap<String, Vec<Sense>> = BTreeMap::new();
        for (concept, phrase) in entries(data) {
            let (text, sense) = sense(language, concept, phrase);
            // The little words of Latin languages show the language and nothing else; they are looked up elsewhere.
            if text.is_empty() || (concept == Concept::Common && language.is_latin()) {
                continue;
            }
            let senses = phrases.entry(text).or_default();
            let alike = |s: &&mut Sense| s.opens == sense.opens && s.closes == sense.closes && s.tail == sense.tail;
            match senses.iter_mut().find(alike) {
                Some(known) => known.set = known.set.with(sense.set),
                None => senses.push(sense),
            }
        }
        let trie = Trie::build(phrases.keys().map(String::as_str));
        let mut firsts = vec![None; SLOTS];
        let mut stems = vec![false; STEMS];
        for (phrase, senses) in &phrases {
            let first = head(phrase, phrase.find(|c| !is_wordly(c)).unwrap_or(phrase.len()));
            if first.len() == phrase.len() && senses.iter().any(|sense| !sense.closes) {
                // It may end inside of a word.
                if let Some(slot) = phrase.as_bytes().get(..2).and_then(|pair| stems.get_mut(pair_of(pair))) {
                    *slot = true;
                }
            }
            let (hash, Some(node)) = (hash(first.as_bytes()), trie.after(first.as_bytes())) else { continue };
            let mut at = hash as usize % SLOTS;
            while firsts.get(at).is_some_and(|slot: &Option<(u32, From)>| slot.is_some_and(|(h, _)| h != hash)) {
                at = (at + 1) % SLOTS;
            }
            if let Some(slot) = firsts.get_mut(at) {
                *slot = Some((hash, node));
            }
        }
        let mut starts = vec![0];
        let mut senses = Vec::new();
        for of_phrase in phrases.into_values() {
            senses.extend(of_phrase);
            starts.push(number(senses.len()));
        }
        Self { trie, firsts, stems, starts, senses }
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

    /// Every phrase that begins with a word, by its end.
    #[inline]
    fn with(&self, text: &str, word: &Word, mut found: impl FnMut(usize, &Sense)) {
        let mut each = |phrase, end| self.senses(phrase).iter().for_each(|sense| found(end, sense));
        let bytes = text.as_bytes();
        let start = word.start as usize;
        if bytes.get(start..start + 2).is_some_and(|pair| self.stems.get(pair_of(pair)).is_some_and(|open| *open)) {
            return self.trie.at(bytes, start, each);
        }
        let mut at = word.hash as usize % SLOTS;
        while let Some((hash, node)) = self.firsts.get(at).copied().flatten() {
            if hash == word.hash {
                return self.trie.on(node, bytes, word.end as usize, &mut each);
            }
            at = (at + 1) % SLOTS;
        }
    }
}

/// Pairs of bytes, folded into a small table.
const STEMS: usize = 1 << 12;

fn pair_of(pair: &[u8]) -> usize {
    pair.iter().fold(0, |sum: usize, byte| sum * 61 + usize::from(*byte)) % STEMS
}

impl Words {
    fn build() -> Self {
        let common = Language::ALL.iter().flat_map(|(language, data)| {
            entries(data).filter(|(concept, _)| *concept == Concept::Common).map(|(_, phrase)| (phrase, *language))
        });
        let common: Vec<(String, Language)> = common.map(|(phrase, l)| (fold_phrase(phrase.trim()), l)).collect();
        let little = Little::build(common.iter().map(|(word, language)| (word.as_str(), *language)));
        Self { tables: Default::default(), free: Free::build(), little }
    }

    fn table(&self, language: Language) -> Option<&Table> {
        let data = Language::ALL.iter().find(|(l, _)| *l == language).map_or("", |(_, data)| data);
        self.tables.get(language as usize).map(|table| table.get_or_init(|| Box::new(Table::build(language, data))))
    }

    /// The little words that languages are known by.
    pub(super) fn little(&self) -> &Little {
        &self.little
    }

    /// A text as though it were one sentence.
    pub(super) fn scan<'t>(&'t self, text: &'t str) -> Scan<'t> {
        Scan::whole(text, &self.little)
    }

    /// The language of a text as a whole, and those that it could be as well, as bits.
    pub(super) fn language(&self, text: &str) -> (Language, u16) {
        let scan = self.scan(text);
        let (language, _) = Language::of(&scan.latin, &scan.letters, text.len(), Language::English);
        (language, scan.latin.rivals(language))
    }

    /// Every phrase of a language in the last sentence of a scan, by where it begins; `unsegmented` reads it without regard to word ends.
    pub(super) fn find(
        &self,
        text: &str,
        scan: &Scan<'_>,
        language: Language,
        unsegmented: bool,
        mut found: impl FnMut(Found),
    ) {
        let Some(table) = self.table(language) else { return };
        if unsegmented || language.unsegmented() || language == Language::Arabic {
            return table.find_anywhere(text, scan.range.clone(), language, unsegmented, found);
        }
        for word in &scan.words {
            table.with(text, word, |end, sense| {
                if (!sense.closes || right_of(text, end))
                    && let Some(end) = sense.ends(text, end)
                {
                    found(Found { start: word.start, end: number(end), set: sense.set });
                }
            });
        }
    }

    /// Every phrase that is written alike in all languages, by where it ends.
    pub(super) fn find_any(&self, text: &str, mut found: impl FnMut(Found)) {
        let Some(automaton) = &self.free.automaton else { return };
        // Whether there is any is known sooner than all that there are: the first that ends is the first of all.
        let Some(first) = automaton.find(text) else { return };
        let from = boundary(text, first.end().saturating_sub(self.free.longest));
        for met in automaton.find_overlapping_iter(aho_corasick::Input::new(text).span(from..text.len())) {
            for sense in self.free.senses.get(met.pattern().as_usize()).into_iter().flatten() {
                let opens = sense.opens == Bound::Anywhere || left_of(text, met.start());
                let closes = !sense.closes || right_of(text, met.end());
                if opens && closes && (!sense.set.has(Concept::Mailbox) || is_mail_address(text, met.start())) {
                    found(Found { start: number(met.start()), end: number(met.end()), set: sense.set });
                }
            }
        }
    }
}

impl Table {
    /// Every phrase in a part of a text whose words are not spaced, or not told apart.
    fn find_anywhere(
        &self,
        text: &str,
        range: Range<usize>,
        language: Language,
        unsegmented: bool,
        mut found: impl FnMut(Found),
    ) {
        // How far inside a word a character is.
        let mut inside = 0u32;
        for (offset, c) in text.get(range.clone()).unwrap_or_default().char_indices() {
            let at = range.start + offset;
            inside = if is_wordly(c) { inside + 1 } else { 0 };
            // Words of other alphabets have ends in a text without spaces, too: `ai` is none of `wait`.
            let before = text.get(..at).and_then(|head| head.chars().next_back());
            if !unsegmented && c.is_ascii_alphanumeric() && before.is_some_and(|c| c.is_ascii_alphanumeric()) {
                continue;
            }
            let prefixed = language == Language::Arabic && (2..=MAX_PREFIX + 1).contains(&inside);
            if !(inside == 1 || prefixed || unsegmented || language.unsegmented()) {
                continue;
            }
            self.at(text, at, |end, sense| {
                let long = unsegmented && end - at >= 4;
                let opens = match sense.opens {
                    Bound::Anywhere => true,
                    Bound::Prefixed => inside > 0 || long,
                    Bound::Word => inside == 1 || long,
                };
                let latin =
                    !unsegmented && text.as_bytes().get(end.saturating_sub(1)).is_some_and(u8::is_ascii_alphanumeric);
                let cut = latin && text.as_bytes().get(end).is_some_and(u8::is_ascii_alphanumeric);
                let closes = (!sense.closes || long || right_of(text, end)) && !cut;
                if opens
                    && closes
                    && let Some(end) = sense.ends(text, end)
                {
                    found(Found { start: number(at), end: number(end), set: sense.set });
                }
            });
        }
    }
}

impl Free {
    /// The phrases that are few and may stand inside of words: one automaton finds them all.
    fn build() -> Self {
        let mut phrases: BTreeMap<String, Vec<Sense>> = BTreeMap::new();
        for (language, data) in Language::ALL.into_iter().filter(|(l, _)| *l == Language::Any) {
            for (concept, phrase) in entries(data) {
                let (text, sense) = sense(language, concept, phrase);
                if !text.is_empty() {
                    phrases.entry(text).or_default().push(sense);
                }
            }
        }
        // Building fails where there are more states than a number can hold: these are some hundreds.
        let automaton = AhoCorasick::builder().kind(Some(AhoCorasickKind::DFA)).build(phrases.keys()).ok();
        let longest = phrases.keys().map(String::len).max().unwrap_or(0);
        Self { automaton, longest, senses: phrases.into_values().collect() }
    }
}

/// So many letters may be glued to the front of an Arabic word.
const MAX_PREFIX: u32 = 4;

/// The phrases of a file: `concept: phrase, phrase, …` lines.
fn entries(data: &str) -> impl Iterator<Item = (Concept, &str)> {
    data.lines()
        .filter_map(|line| line.split_once(':'))
        .filter_map(|(name, phrases)| Concept::named(name).map(|concept| (concept, phrases)))
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
    let free = free || language.unsegmented();
    let opens = match language {
        // A command is a word: `curl` is none of `publicUrl`, `sudo` none of `pseudo`.
        Language::Any if concept == Concept::Shell && text.starts_with(|c: char| c.is_alphabetic()) => Bound::Word,
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
                assert!(Concept::named(name).is_some(), "{language:?}: {line:.20}");
            }
        }
    }

    #[test]
    fn words_of_other_alphabets_have_ends_in_a_text_without_spaces() {
        for (text, want) in [("让AI来做", true), ("设置wait参数", false), ("ai 会做", true)] {
            let mut met = false;
            let look = |found: Found| met |= found.set.has(Concept::Reader);
            let folded = super::super::fold::fold(text).text;
            words().find(&folded, &words().scan(&folded), Language::Chinese, false, look);
            assert_eq!(met, want, "{text}");
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
            ("curl https://a.example", Concept::Shell, true),
            ("$(curl a)", Concept::Shell, true),
            ("the publicUrl is public", Concept::Shell, false),
            ("a pseudo terminal", Concept::Shell, false),
        ] {
            let mut met = false;
            let mut look = |found: Found| met |= found.set.has(concept);
            words().find(text, &words().scan(text), Language::English, false, &mut look);
            words().find_any(text, &mut look);
            assert_eq!(met, want, "{text}");
        }
    }
}
