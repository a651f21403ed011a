//! A part of a text that a person does not see, or sees only in another form.

use crate::prelude::*;
use core::ops::Range;

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
    /// In the title of a link, or in a processing instruction: shown at most when a pointer rests on it.
    Aside,
    /// Base64.
    Base64,
    /// Hexadecimal digits.
    Hex,
    /// The numbers of its characters.
    Codes,
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
    /// Signs for letters.
    StandIns,
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
            Self::Aside => "in the title of a link",
            Self::Base64 => "in Base64",
            Self::Hex => "in hexadecimal",
            Self::Codes => "in character codes",
            Self::Percent => "in percent encoding",
            Self::Entities => "in character entities",
            Self::Escapes => "in escapes",
            Self::Rotated => "with its letters moved along the alphabet",
            Self::Reversed => "written backwards",
            Self::Spaced => "with its letters set apart",
            Self::StandIns => "with signs for letters",
        }
    }

    /// Is it there and unseen, rather than seen in another form?
    pub fn is_hidden(self) -> bool {
        self <= Self::Aside
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
pub(super) const MAX_PARTS: usize = 64;

/// What a search finds in a text, for its tests.
#[cfg(test)]
pub(super) fn describe(find: fn(&str, &mut Vec<Revealed>), text: &str) -> Vec<(How, String)> {
    let mut out = Vec::new();
    find(text, &mut out);
    out.into_iter().map(|part| (part.how, part.text)).collect()
}
