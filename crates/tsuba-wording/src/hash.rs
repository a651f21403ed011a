//! The hash of a word.

use core::ops::Range;

/// Stirs eight bytes into a hash; what is missing to eight is zero.
#[inline]
fn stir(hash: u64, bytes: u64) -> u64 {
    (hash ^ bytes).wrapping_mul(0x9E37_79B9_7F4A_7C15).rotate_left(29)
}

/// The hash of a word.
pub(super) fn hash(word: &[u8]) -> u32 {
    hash_at(word, 0..word.len())
}

/// The hash of a word that stands in a text.
#[inline]
pub(super) fn hash_at(text: &[u8], word: Range<usize>) -> u32 {
    let (mut hash, mut at) = (word.len() as u64, word.start);
    while at < word.end {
        let left = word.end - at;
        let eight = match text.get(at..at + 8).and_then(|eight| eight.try_into().ok()).map(u64::from_le_bytes) {
            Some(eight) if left < 8 => eight & !(u64::MAX << (8 * left)),
            Some(eight) => eight,
            None => text.get(at..word.end).unwrap_or_default().iter().rev().fold(0, |n, b| n << 8 | u64::from(*b)),
        };
        hash = stir(hash, eight);
        at += 8;
    }
    (hash ^ (hash >> 32)) as u32
}

/// The hash of what a feature is: its kind, and the hashes of its parts.
#[inline]
pub(super) fn mix(kind: u8, one: u32, two: u32) -> u32 {
    let both = u64::from(one) | u64::from(two) << 32;
    let hash = stir(stir(u64::from(kind), both), both.rotate_left(17));
    (hash ^ (hash >> 32)) as u32
}
