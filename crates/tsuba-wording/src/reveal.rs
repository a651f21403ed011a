//! Revealing: the parts of a text that a person does not see, or sees only in another form, read as the model may read them.

use super::fold::Folded;
use super::revealed::Revealed;
use super::{codes, decode, markup, stand_ins, turned, unseen};
use crate::prelude::*;
use core::ops::Range;

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
    codes::find(text, &mut out);
    stand_ins::find(text, &mut out);
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
