//! How well a text fits a language: what is decoded by chance fits none.

use super::concept::Concept;
use super::language::Language;
use super::scan::Word;
use super::words::words;
use crate::prelude::*;
use tsuba_document::text::head;

/// Does a text read as language: mostly letters, and several words of one language in it?
pub(super) fn reads_as_language(folded: &str) -> bool {
    let letters = folded.chars().take(400).filter(|c| c.is_alphabetic() || *c == ' ').count();
    let all = folded.chars().take(400).count();
    if all < 8 || letters * 10 < all * 8 {
        return false;
    }
    fit(folded).0 >= 28
}

/// How well a text fits its language: the share of known words in hundredths, and how many of its little words it has.
pub(super) fn fit(folded: &str) -> (usize, usize) {
    let part = head(folded, 600);
    let scan = words().scan(part);
    let (language, little) = Language::of(&scan.latin, &scan.letters, part.len(), Language::English);
    let is_little = |word: &&Word| word.little & (1 << language as u16) != 0;
    let mut known: Vec<(u32, u32)> = scan.words.iter().filter(is_little).map(|word| (word.start, word.end)).collect();
    words().find(part, &scan, language, false, |found| {
        // Short words happen by chance.
        if found.end - found.start > 2 || found.set.has(Concept::Common) {
            known.push((found.start, found.end));
        }
    });
    known.sort_unstable();
    let (mut covered, mut end) = (0, 0);
    for (from, to) in known {
        covered += to.saturating_sub(from.max(end)) as usize;
        end = end.max(to);
    }
    if covered < 6 { (0, little) } else { (covered * 100 / part.len().max(1), little) }
}
