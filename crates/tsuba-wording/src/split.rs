//! Text split over several places: each piece says little, together they ask for something.

use super::concept::Set;
use super::fold::fold;
use super::matched::Setting;
use super::said::{Passage, Place, Said};
use super::sentence::{sentences, whole};
use super::weigh::{deeds, may_amount};
use super::words::words;
use super::{Class, MAX_REMARKS, Remark, Strength, shortened};
use crate::prelude::*;

/// So many places are read as one text, at most so many bytes of each.
const WINDOW: usize = 4;
const PIECE: usize = 240;

/// Reads short texts that follow each other as one; `said` is what each passage says. Only what no place says alone is told.
pub(super) fn read(server: &Said<'_>, said: &[Set], own: &BTreeSet<String>, out: &mut Vec<Remark>) {
    let message: BTreeSet<usize> = out.iter().filter(|r| r.strength > Strength::Faint).map(|r| r.passage).collect();
    let speaks = |place: Place| !matches!(place, Place::Name | Place::Address | Place::ParameterName);
    let pieces: Vec<usize> = server
        .passages
        .iter()
        .enumerate()
        .filter(|(_, p)| speaks(p.place) && p.text.len() <= PIECE && unfinished(p.text))
        .map(|(index, _)| index)
        .collect();
    let mut found = 0;
    let mut from = 0;
    for window in 0..pieces.len() {
        let Some(indexes) = pieces.get(window..(window + WINDOW).min(pieces.len())).filter(|w| w.len() > 1) else {
            continue;
        };
        let Some(first) = indexes.first().copied().filter(|first| *first >= from) else { continue };
        let sets = indexes.iter().filter_map(|index| said.get(*index)).filter(|set| !set.is_empty());
        let all = sets.clone().fold(Set::default(), |all, set| all.with(*set));
        if mixed(indexes.iter().filter_map(|index| server.passages.get(*index))) {
            continue;
        }
        // What one of them says alone has been read.
        if indexes.iter().any(|i| message.contains(i)) || sets.count() < 2 || !may_amount(all) {
            continue;
        }
        let texts: Vec<&str> = indexes.iter().filter_map(|i| server.passages.get(*i)).map(|p| p.text.trim()).collect();
        let joined = fold(&texts.join(" "));
        let cut = sentences(&joined.text, words(), false, &whole, own);
        let worst = deeds(&joined.text, &cut, Setting::default())
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
        });
        found += 1;
        from = first + WINDOW;
        if found >= MAX_REMARKS {
            break;
        }
    }
}

/// Do values of one word (`drop`, `filter`) stand among texts of another kind? They are choices, and no part of a sentence there; only a
/// sentence cut up into nothing but values is one.
fn mixed<'p>(passages: impl Iterator<Item = &'p Passage<'p>> + Clone) -> bool {
    let is_value = |passage: &Passage<'_>| passage.place == Place::Value;
    let is_choice = |passage: &Passage<'_>| is_value(passage) && !passage.text.trim().contains(char::is_whitespace);
    passages.clone().any(is_choice) && !passages.clone().all(is_value)
}

/// Does a text stop in the middle? What ends with a full stop stands for itself.
fn unfinished(text: &str) -> bool {
    let text = text.trim_end();
    !text.is_empty() && !text.ends_with(['.', '!', '?', '。', '！', '？', '।', '؟'])
}
