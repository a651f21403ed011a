//! What was found in texts before, for a command that judges the same files again and again.

use std::collections::HashMap;
use std::hash::{BuildHasher as _, RandomState};
use std::ops::Range;
use std::sync::{Mutex, MutexGuard, PoisonError};
use tsuba_core::text::Memory;

/// So many threads find a part of their own.
const PARTS: usize = 16;
/// A part holds texts of so many bytes; when it is full it begins anew, for what has changed is in it, too.
const MAX_BYTES: usize = 4 << 20;
/// Longer texts (bytes) are not kept.
const MAX_KEPT: usize = 4 << 10;

/// Texts with the places of secrets in them, and the name of those secrets.
#[derive(Debug, Default)]
struct Texts {
    secrets: String,
    places: HashMap<Box<str>, Box<[Range<usize>]>>,
    bytes: usize,
}

/// Texts with the places of secrets in them, while the secrets are the same.
#[derive(Debug, Default)]
pub(crate) struct Found {
    by: RandomState,
    parts: [Mutex<Texts>; PARTS],
}

impl Found {
    fn part(&self, text: &str) -> Option<MutexGuard<'_, Texts>> {
        let at = usize::try_from(self.by.hash_one(text) % PARTS as u64).ok()?;
        let part = self.parts.get(at).filter(|_| text.len() <= MAX_KEPT)?;
        Some(part.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

impl Memory for Found {
    fn recall(&self, secrets: &str, text: &str) -> Option<Vec<Range<usize>>> {
        let part = self.part(text)?;
        part.places.get(text).filter(|_| part.secrets == secrets).map(|places| places.to_vec())
    }

    fn keep(&self, secrets: &str, text: &str, places: &[Range<usize>]) {
        let Some(mut part) = self.part(text) else { return };
        let bytes = text.len() + size_of_val(places);
        if part.secrets != secrets || part.bytes + bytes > MAX_BYTES {
            *part = Texts { secrets: secrets.to_owned(), ..Texts::default() };
        }
        part.bytes += bytes;
        part.places.insert(text.into(), places.into());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_found_counts_for_the_same_secrets_alone() {
        let found = Found::default();
        let long = "x".repeat(MAX_KEPT + 1);
        found.keep("one", "a secret pin", &[2..8, 9..12]);
        found.keep("one", &long, &[]);
        for (secrets, text, want) in [
            ("one", "a secret pin", Some(vec![2..8, 9..12])),
            ("one", "another", None),
            ("two", "a secret pin", None),
            ("one", &long, None),
        ] {
            assert_eq!(found.recall(secrets, text), want, "{secrets} {text}");
        }
        // It does not grow without end, and goes on.
        let many = |at: usize| format!("{at:0>MAX_KEPT$}");
        (0..20_000).for_each(|at| found.keep("one", &many(at), &[]));
        let held = found.parts.iter().map(|part| part.lock().unwrap().bytes).max().unwrap();
        assert!(held <= MAX_BYTES && found.recall("one", &many(19_999)).is_some(), "{held}");
        // One who still looks for what was there before finds what was found then, or looks again.
        found.keep("two", "a secret pin", &[]);
        assert_eq!(
            (found.recall("one", "a secret pin"), found.recall("two", "a secret pin")),
            (None, Some(Vec::new()))
        );
    }
}
