//! Revealing: the parts of a text that a person does not see, or sees only in another form, read as the model may read them.

use super::concept::Concept;
use super::fold::Folded;
use super::language::Language;
use super::scan::Word;
use super::words::words;
use super::{decode, markup, turned, unseen};
use crate::prelude::*;
use core::ops::Range;
use tsuba_document::text::head;

/// How a part of a text was kept from a person's eyes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum How {
    /// Written in tag characters (U+E0000 to U+E007F).
    Tags,
    /// Written in variation selectors.
    Selectors,
    /// Characters without width.
    ZeroWidth,
    /// Order of reading changed by bidi controls.
    Bidi,
    /// Control characters and escape sequences.
    Control,
    /// Letters of other alphabets.
    Lookalikes,
    /// An HTML comment, or the like in Markdown.
    Comment,
    /// An element that is not shown.
    Hidden,
    /// Pushed out of sight by empty space.
    Space,
    /// Base64.
    Base64,
    /// Hexadecimal digits.
    Hex,
    /// Percent encoding.
    Percent,
    /// HTML entities.
    Entities,
    /// Escapes such as `\u0069`.
    Escapes,
    /// Letters moved along the alphabet.
    Rotated,
    /// Written backwards.
    Reversed,
    /// Letters set apart.
    Spaced,
}

impl How {
    /// In words, to follow "text".
    pub fn name(self) -> &'static str {
        match self {
            Self::Tags => "in tag characters",
            Self::Selectors => "in variation selectors",
            Self::ZeroWidth => "in characters without width",
            Self::Bidi => "reordered by bidi controls",
            Self::Control => "behind control characters",
            Self::Lookalikes => "in letters of other alphabets",
            Self::Comment => "in a comment",
            Self::Hidden => "in an element that is not shown",
            Self::Space => "behind empty space",
            Self::Base64 => "in Base64",
            Self::Hex => "in hexadecimal",
            Self::Percent => "in percent encoding",
            Self::Entities => "in character entities",
            Self::Escapes => "in escapes",
            Self::Rotated => "with its letters moved along the alphabet",
            Self::Reversed => "written backwards",
            Self::Spaced => "with its letters set apart",
        }
    }

    /// Is it there and unseen, rather than seen in another form?
    pub fn is_hidden(self) -> bool {
        self <= Self::Space
    }
}

/// A part of a text, revealed.
#[derive(Clone, Debug)]
pub(super) struct Revealed {
    /// Where it stands in the text.
    pub(super) range: Range<usize>,
    /// What it says; empty where it says nothing readable.
    pub(super) text: String,
    /// How it was kept from sight.
    pub(super) how: How,
    /// How much the hiding alone weighs: nobody hides so by accident.
    pub(super) deliberate: bool,
}

/// More parts than this in one text are not told one by one.
pub(super) const MOST: usize = 64;

/// Every part of `text` that a person does not see as the model does; `dark` are the pieces of its folded form that are of no language.
pub(super) fn reveal(text: &str, folded: &Folded, dark: &[Range<usize>]) -> Vec<Revealed> {
    let mut out = Vec::new();
    let traits = Traits::of(text.as_bytes());
    if traits.odd {
        unseen::find(text, &mut out);
    }
    if traits.marks {
        markup::find(text, &mut out);
        decode::marked(text, &mut out);
    }
    if traits.odd || traits.doubled {
        markup::space(text, &mut out);
    }
    decode::find(text, &mut out);
    turned::find(folded, dark, &mut out);
    out.sort_by_key(|part| (part.range.start, part.how));
    out
}

/// What shows that a text cannot hold one or another hidden part. Asked of whole blocks, without a way out in between, it takes next to no
/// time; and most texts hold none.
#[derive(Clone, Copy, Debug, Default)]
struct Traits {
    /// Something that is no printed ASCII character and no line end.
    odd: bool,
    /// A mark that HTML, Markdown, percent encoding, entities or escapes begin with.
    marks: bool,
    /// White space after white space.
    doubled: bool,
}

impl Traits {
    fn of(bytes: &[u8]) -> Self {
        let mut all = Self::default();
        for block in bytes.chunks(64) {
            let (mut odd, mut marks) = (false, false);
            for byte in block {
                odd |= !((0x20..0x7f).contains(byte) | matches!(byte, b'\n' | b'\r' | b'\t'));
                marks |= matches!(byte, b'<' | b']' | b'%' | b'&' | b'\\');
            }
            (all.odd, all.marks) = (all.odd | odd, all.marks | marks);
        }
        let blank = |byte: &u8| *byte <= b' ';
        let pairs = bytes.iter().zip(bytes.iter().skip(1));
        all.doubled = pairs.fold(false, |any, (one, two)| any | (blank(one) & blank(two)));
        all
    }
}

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

/// What a search finds in a text, for its tests.
#[cfg(test)]
pub(super) fn told(find: fn(&str, &mut Vec<Revealed>), text: &str) -> Vec<(How, String)> {
    let mut out = Vec::new();
    find(text, &mut out);
    out.into_iter().map(|part| (part.how, part.text)).collect()
}
