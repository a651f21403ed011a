//! Reading one text of a server: what it says in the open, what is hidden or encoded in it, and what of it speaks to the model.

use super::concept::{Concept, Set};
use super::fold::{Folded, fold, fold_into};
use super::job::{self, Job};
use super::matched::{Match, Setting};
use super::orders::{self, Order};
use super::reveal::reveal;
use super::revealed::{How, Revealed};
use super::said::{Passage, Place};
use super::sentence::{Hit, Scratch, Sentence, Sentences, cut_into, sentences};
use super::weigh::{deeds, deeds_and_scores};
use super::words::words;
use super::{Class, Remark, Strength};
use crate::prelude::*;
use core::ops::Range;
use tsuba_document::text::{boundary, head, is_unseen};

/// A text is kept up to this many characters: many times what is shown of it, for it is cleaned before it is cut to that.
const SHOWN: usize = 2000;

/// A text as it is read, and the room for the next.
#[derive(Default)]
pub(super) struct Reading {
    pub(super) folded: Folded,
    cut: Sentences,
    room: Scratch,
    scores: Vec<Option<i32>>,
}

/// What models are called, as far as languages have it in common. People are "you" as well, in tooltips and in comments.
const MODELS: &[&str] = &["model", "assist", "asist", "agent", "llm"];

/// Is a model named with what it has to do? Who keeps that from a person's eyes means it so.
fn orders_a_model(text: &str, cut: &Sentences, sentence: &Sentence) -> bool {
    let urged = [Concept::Must, Concept::Soft, Concept::Later].into_iter().any(|urge| sentence.set.has(urge));
    let mut hits = cut.hits.get(sentence.hits.clone()).unwrap_or_default().iter();
    let named = |hit: &Hit| {
        let word = text.get(hit.start as usize..hit.end as usize).unwrap_or_default();
        hit.set.has(Concept::Reader) && MODELS.iter().any(|model| word.contains(model))
    };
    urged && hits.any(named)
}

pub(super) struct Reader<'l> {
    pub(super) passage: &'l Passage<'l>,
    pub(super) index: usize,
    /// The concepts that are the tool's own job.
    pub(super) job: &'l Job<'l>,
    /// The names of the server's own tools.
    pub(super) own: &'l BTreeSet<String>,
    pub(super) remarks: Vec<Remark>,
    pub(super) orders: Vec<Order>,
}

impl Reader<'_> {
    /// Fills the remarks; answers what the text says in the open.
    pub(super) fn read(&mut self, Reading { folded, cut, room, scores }: &mut Reading) -> Set {
        let text = self.passage.text;
        fold_into(text, folded);
        cut_into(cut, room, &folded.text, words(), false, &|set| self.job.leaves(set), self.own);
        let setting = Setting {
            parameter: self.passage.place.is_parameter(),
            named_secret: cut.list.iter().any(|s| s.set.has(Concept::Secret)) && job::is_secret(self.passage),
            describes: self.passage.place == Place::Description,
            hidden: false,
        };
        let acts = deeds_and_scores(&folded.text, cut, setting, self.job.known(), scores);
        self.list(folded, cut, scores, &acts);
        for deed in acts {
            let range = trimmed(text, folded.written(deed.range.clone()));
            let words =
                deed.words.iter().map(|w| text.get(folded.written(w.clone())).unwrap_or_default().to_owned()).collect();
            self.push(&deed, range, words, None);
        }
        self.lookalikes(folded);
        let parts = reveal(text, folded, &cut.dark);
        self.revealed(text, parts, None);
        cut.said
    }

    /// What in a text speaks to the model.
    fn list(&mut self, folded: &Folded, cut: &Sentences, scores: &[Option<i32>], acts: &[Match]) {
        let (passage, text) = (self.index, self.passage.text);
        let written = |range: Range<usize>| trimmed(text, folded.written(range));
        // What nobody sees is told by the rules.
        let seen = |text: &str| text.chars().filter(|c| !is_unseen(*c)).collect::<String>();
        let of = |range: Range<usize>| seen(orders::whole_words(text, range));
        match self.passage.place {
            // A name has rules of its own, and an address is read as one.
            Place::Name | Place::Address => {}
            Place::ParameterName => {
                let asks = orders::by_name(text, self.job);
                self.orders.extend(asks.map(|asks| Order {
                    passage,
                    range: 0..text.len(),
                    speaks: vec![asks],
                    text: shortened(text),
                    rank: 0,
                    told: false,
                }));
            }
            _ => {
                let describes = self.passage.place == Place::Description;
                for chosen in orders::chosen(cut, scores, acts, describes) {
                    let Some(sentence) = cut.list.get(chosen.index) else { continue };
                    let range = written(sentence.range.clone());
                    let hits = cut.hits.get(sentence.hits.clone()).unwrap_or_default();
                    let speaks = orders::speaks(hits, chosen.act, |part| {
                        of(written(part)).trim_matches([',', ';', ':', '.']).to_owned()
                    });
                    let (rank, told) = (chosen.rank, chosen.told());
                    self.orders.push(Order { passage, text: of(range.clone()), range, speaks, rank, told });
                }
            }
        }
    }

    fn push(&mut self, deed: &Match, range: Range<usize>, words: Vec<String>, how: Option<How>) {
        let text = self.passage.text;
        let reads = shortened(text.get(range.clone()).unwrap_or_default());
        let class = match deed.class {
            Class::AsksForData if self.passage.place.is_parameter() => Class::ParameterLure,
            class => class,
        };
        self.remarks.push(Remark {
            class,
            strength: deed.strength,
            passage: self.index,
            range,
            words,
            how,
            reads,
            sees: None,
            more: 0,
            by: None,
        });
    }

    /// What the parts of a text say that are hidden or encoded in it; `place` is where the text was, if it was such a part itself.
    fn revealed(&mut self, text: &str, parts: Vec<Revealed>, place: Option<&Range<usize>>) {
        for part in parts {
            let range = place.cloned().unwrap_or_else(|| trimmed(text, part.range.clone()));
            let folded = fold(&part.text);
            let setting = Setting { hidden: true, ..Setting::default() };
            let cut = sentences(&folded.text, words(), part.how == How::Spaced, &|set| self.job.leaves(set), self.own);
            let said = deeds(&folded.text, &cut, setting, self.job.known());
            let worst = said.iter().map(|deed| deed.strength).max();
            let class = if part.how.is_hidden() { Class::HiddenText } else { Class::Encoded };
            let speaks = part.text.split_whitespace().count() >= 3;
            let orders = cut.list.iter().any(|sentence| orders_a_model(&folded.text, &cut, sentence));
            let strength = match (part.how, worst) {
                // Text that merely stands far down is read twice, and told only if it asks for something.
                (How::Space, None) => continue,
                (How::Space, Some(_)) => Strength::Clear,
                // Most titles are harmless.
                (How::Aside | How::Comment, None) if orders => Strength::Clear,
                (How::Aside, None) => continue,
                (How::Aside, Some(worst)) => worst.min(Strength::Clear),
                (_, Some(_)) => Strength::Strong,
                (How::Tags | How::Selectors, None) => Strength::Strong,
                (_, None) if part.deliberate && (speaks || part.how != How::Hidden) => Strength::Clear,
                (How::Comment, None) if part.text.is_empty() => continue,
                (_, None) => Strength::Faint,
            };
            for deed in &said {
                // What stands in the open as well has been told.
                if matches!(part.how, How::Space | How::Comment | How::Hidden | How::Bidi | How::Aside) {
                    continue;
                }
                let quoted = deed
                    .words
                    .iter()
                    .map(|w| part.text.get(folded.written(w.clone())).unwrap_or_default().to_owned())
                    .collect();
                let stronger = Match { strength: deed.strength.max(Strength::Clear), ..deed.clone() };
                self.push(&stronger, range.clone(), quoted, Some(part.how));
                let sees = self.seen(&range, part.how);
                if let Some(last) = self.remarks.last_mut() {
                    last.reads = shortened(&part.text);
                    last.sees = Some(sees);
                }
            }
            self.hidden(class, strength, range.clone(), &part);
            if place.is_none() && !part.how.is_hidden() {
                let inner = reveal(&part.text, &folded, &cut.dark);
                self.revealed(&part.text, inner, Some(&range));
            }
        }
    }

    fn hidden(&mut self, class: Class, strength: Strength, range: Range<usize>, part: &Revealed) {
        let sees = self.seen(&range, part.how);
        let reads = if part.text.is_empty() {
            shortened(self.passage.text.get(range.clone()).unwrap_or_default())
        } else {
            shortened(&part.text)
        };
        self.remarks.push(Remark {
            class,
            strength,
            passage: self.index,
            range,
            words: Vec::new(),
            how: Some(part.how),
            reads,
            sees: Some(sees),
            more: 0,
            by: None,
        });
    }

    /// What a person sees where something is hidden: what stands around it.
    fn seen(&self, range: &Range<usize>, how: How) -> String {
        let text = self.passage.text;
        if !how.is_hidden() {
            return shortened(text.get(range.clone()).unwrap_or_default());
        }
        // A window that began or ended inside a word might show half a secret.
        let whole = |c: char| c.is_whitespace();
        let left = head(text, range.start);
        let near = boundary(left, left.len().saturating_sub(120));
        let from = left.get(..near).and_then(|t| t.rfind(whole)).map_or(0, |at| at + 1);
        let before = left.get(from..).unwrap_or_default();
        let right = text.get(range.end..).unwrap_or_default();
        let near = boundary(right, 80);
        let to = right.get(near..).and_then(|t| t.find(whole)).map_or(right.len(), |at| near + at);
        let after = right.get(..to).unwrap_or_default();
        let shown = |part: &str| part.chars().filter(|c| !is_unseen(*c)).collect::<String>();
        let inner = match how {
            How::ZeroWidth | How::Bidi | How::Lookalikes => shown(text.get(range.clone()).unwrap_or_default()),
            _ => String::new(),
        };
        shortened(&format!("{}{inner}{}", shown(before), shown(after)))
    }

    /// Words in which letters of another alphabet stand for Latin ones.
    fn lookalikes(&mut self, folded: &Folded) {
        // A name has a rule of its own.
        let Some(first) = folded.mixed.first().filter(|_| self.passage.place != Place::Name) else { return };
        let text = self.passage.text;
        let plain = |range: &Range<usize>| fold(text.get(range.clone()).unwrap_or_default()).text;
        let range = first.start..folded.mixed.last().map_or(first.end, |r| r.end);
        let strength = if folded.mixed.len() > 1 { Strength::Clear } else { Strength::Faint };
        let words: Vec<String> = folded.mixed.iter().take(4).map(plain).collect();
        self.remarks.push(Remark {
            class: Class::HiddenText,
            strength,
            passage: self.index,
            reads: shortened(&words.join(" ")),
            sees: Some(shortened(text.get(range.clone()).unwrap_or_default())),
            range,
            words: Vec::new(),
            how: Some(How::Lookalikes),
            more: 0,
            by: None,
        });
    }
}

fn trimmed(text: &str, range: Range<usize>) -> Range<usize> {
    let part = text.get(range.clone()).unwrap_or_default();
    let start = range.start + (part.len() - part.trim_start().len());
    let end = range.end - (part.len() - part.trim_end().len());
    if start < end { start..end } else { range }
}

pub(super) fn shortened(text: &str) -> String {
    let text = text.trim();
    match text.char_indices().nth(SHOWN) {
        Some((at, _)) => format!("{}…", text.get(..at).unwrap_or_default()),
        None => text.to_owned(),
    }
}
