//! The difference of two texts, word by word.

use crate::prelude::*;
use similar::{ChangeTag, TextDiff};

/// A piece of a text that changed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Piece {
    /// Is it gone, new, or as it was?
    pub kind: PieceKind,
    /// The words.
    pub text: String,
}

/// What became of a piece.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PieceKind {
    /// It is as it was.
    Kept,
    /// It is gone.
    Gone,
    /// It is new.
    New,
}

/// A text without its white space; line ends are shown as their numbers in reports.
pub(super) fn plain(text: &str) -> String {
    let lines = ["⟨U+000A⟩", "⟨U+000D⟩"].iter().fold(text.to_owned(), |text, end| text.replace(end, " "));
    lines.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Words that stay are kept around a change, so many.
const AROUND: usize = 6;
/// Longer texts are not compared word by word (bytes of both).
const MAX_COMPARED_BYTES: usize = 64 << 10;

/// The difference of two texts, word by word.
pub(super) fn words(old: &str, new: &str) -> Vec<Piece> {
    let piece = |kind: PieceKind, text: &str| Piece { kind, text: text.to_owned() };
    if old.len() + new.len() > MAX_COMPARED_BYTES {
        return vec![
            piece(PieceKind::Gone, crate::text::head(old, 200)),
            piece(PieceKind::New, crate::text::head(new, 200)),
        ];
    }
    let diff = TextDiff::from_words(old, new);
    let mut out: Vec<Piece> = Vec::new();
    for part in diff.iter_all_changes() {
        let kind = match part.tag() {
            ChangeTag::Equal => PieceKind::Kept,
            ChangeTag::Delete => PieceKind::Gone,
            ChangeTag::Insert => PieceKind::New,
        };
        match out.last_mut().filter(|last| last.kind == kind) {
            Some(last) => last.text.push_str(part.value()),
            None => out.push(piece(kind, part.value())),
        }
    }
    let last = out.len().saturating_sub(1);
    for (at, kept) in out.iter_mut().enumerate().filter(|(_, piece)| piece.kind == PieceKind::Kept) {
        kept.text = around(&kept.text, at > 0, at < last);
    }
    out
}

/// The words of a kept piece that stand next to a change.
fn around(text: &str, after_one: bool, before_one: bool) -> String {
    let words: Vec<&str> = text.split_inclusive(' ').collect();
    let (head, tail) = (if after_one { AROUND } else { 0 }, if before_one { AROUND } else { 0 });
    if words.len() <= head + tail {
        return text.to_owned();
    }
    let first: String = words.iter().take(head).copied().collect();
    let rest: String = words.iter().skip(words.len() - tail).copied().collect();
    format!("{first}… {rest}")
}
