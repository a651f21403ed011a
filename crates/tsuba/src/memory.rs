//! What was found in texts before, for a command that judges the same files again and again.

use std::collections::HashMap;
use std::hash::{BuildHasher as _, RandomState};
use std::ops::Range;
use std::sync::{Mutex, MutexGuard, PoisonError};
use tsuba_core::text::Memory;

/// So many threads find a part of their own.
const PARTS: usize = 16;
/// A part holds so many texts; what comes then is looked through each time.
const MAX_TEXTS: usize = 20_000;
/// Longer texts (bytes) are not kept.
const MAX_KEPT: usize = 4 << 10;

/// Texts with the places of secrets in them, and the name of those secrets.
type Texts = (String, HashMap<Box<str>, Box<[Range<usize>]>>);

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
        let (name, texts) = &*part;
        texts.get(text).filter(|_| name == secrets).map(|places| places.to_vec())
    }

    fn keep(&self, secrets: &str, text: &str, places: &[Range<usize>]) {
        let Some(mut part) = self.part(text) else { return };
        let (name, texts) = &mut *part;
        if name != secrets {
            texts.clear();
            secrets.clone_into(name);
        }
        if texts.len() < MAX_TEXTS {
            texts.insert(text.into(), places.into());
        }
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
        // One who still looks for what was there before finds what was found then, or looks again.
        found.keep("two", "a secret pin", &[]);
        assert_eq!(
            (found.recall("one", "a secret pin"), found.recall("two", "a secret pin")),
            (None, Some(Vec::new()))
        );
    }
}
