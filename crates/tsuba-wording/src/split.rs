//! Text split over several places: each piece says little, together they ask for something.

use super::concept::Set;
use super::features::Known;
use super::fold::fold;
use super::matched::Setting;
use super::reader::shortened;
use super::said::{Passage, Place, Said};
use super::sentence::{sentences, whole};
use super::weigh::{deeds, may_amount};
use super::words::words;
use super::{Class, MAX_REMARKS, Remark, Strength};
use crate::prelude::*;

/// So many places are read as one text, at most so many bytes of each.
const WINDOW: usize = 4;
const PIECE: usize = 240;

/// Reads short texts of which one goes on where the other ends as one text; `said` is what each passage says. Only what no place says
/// alone is told.
pub(super) fn read(server: &Said<'_>, said: &[Set], own: &BTreeSet<String>, out: &mut Vec<Remark>) {
    let message: BTreeSet<usize> = out.iter().filter(|r| r.strength > Strength::Faint).map(|r| r.passage).collect();
    let speaks = |place: Place| !matches!(place, Place::Name | Place::Address | Place::ParameterName);
    let pieces: Vec<(usize, &Passage<'_>)> = server
        .passages
        .iter()
        .enumerate()
        .filter(|(_, p)| speaks(p.place) && p.text.len() <= PIECE && !p.text.trim().is_empty())
        .collect();
    let mut found = 0;
    let mut from = 0;
    for window in 0..pieces.len() {
        let indexes = chain(pieces.get(window..).unwrap_or_default());
        let Some(first) = indexes.first().copied().filter(|first| *first >= from && indexes.len() > 1) else {
            continue;
        };
        let sets = indexes.iter().filter_map(|index| said.get(*index)).filter(|set| !set.is_empty());
        let all = sets.clone().fold(Set::default(), |all, set| all.with(*set));
        // What one of them says alone has been read.
        if indexes.iter().any(|i| message.contains(i)) || sets.count() < 2 || !may_amount(all) {
            continue;
        }
        let texts: Vec<&str> = indexes.iter().filter_map(|i| server.passages.get(*i)).map(|p| p.text.trim()).collect();
        let joined = fold(&texts.join(" "));
        let cut = sentences(&joined.text, words(), false, &whole, own);
        let worst = deeds(&joined.text, &cut, Setting::default(), Known::default())
            .into_iter()
            .filter(|d| d.strength == Strength::Strong || d.score >= 100)
            .max_by_key(|d| d.score);
        let Some(deed) = worst else { continue };
        let class = if deed.class == Class::AsksForData { Class::ParameterLure } else { deed.class };
        let length = server.passages.get(first).map_or(0, |p| p.text.len());
        let words = deed.words.iter().filter_map(|w| joined.text.get(w.clone())).map(ToOwned::to_owned).collect();
        let reads = shortened(&texts.join(" "));
        out.push(Remark {
            class,
            strength: Strength::Clear,
            passage: first,
            range: 0..length,
            words,
            how: None,
            reads,
            sees: None,
            more: 0,
            by: None,
        });
        found += 1;
        from = indexes.last().copied().unwrap_or(first) + 1;
        if found >= MAX_REMARKS {
            break;
        }
    }
}

/// The pieces that go on from the first one, as indexes.
fn chain(pieces: &[(usize, &Passage<'_>)]) -> Vec<usize> {
    let mut out = Vec::new();
    for (at, (index, passage)) in pieces.iter().enumerate().take(WINDOW) {
        out.push(*index);
        let next = pieces.get(at + 1).map(|(_, next)| *next);
        if !next.is_some_and(|next| hangs(passage.text) || goes_on(next.text) || (is_word(passage) && is_word(next))) {
            break;
        }
    }
    out
}

/// Values of one word that follow each other may be a sentence cut up.
fn is_word(passage: &Passage<'_>) -> bool {
    passage.place == Place::Value && !passage.text.trim().contains(char::is_whitespace)
}

/// Does a text end in the air: with a comma, a colon or a dash, or with a word after which a sentence goes on?
fn hangs(text: &str) -> bool {
    let text = text.trim_end();
    if text.ends_with([',', ':', ';', '-', '–', '—', '…', '(', '，', '：', '、']) || text.ends_with("...") {
        return true;
    }
    let folded = fold(text).text;
    let scan = words().scan(&folded);
    scan.words.last().is_some_and(|last| last.little != 0 && last.end as usize == folded.len())
}

/// Does a text say that it goes on from another: with dots, or as the second part of several?
fn goes_on(text: &str) -> bool {
    let text = text.trim_start();
    let part = text.strip_prefix('(').and_then(|rest| rest.split_once(')')).and_then(|(part, _)| part.split_once('/'));
    let numbered = part.is_some_and(|(part, of)| {
        part.trim().parse::<u8>().is_ok_and(|part| part > 1) && of.trim().parse::<u8>().is_ok()
    });
    numbered || text.starts_with('…') || text.starts_with("...")
}
