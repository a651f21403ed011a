//! Fingerprints: short names for things that must be recognised again.

use crate::prelude::*;
use hmac::{Hmac, KeyInit, Mac};
use sha2::{Digest, Sha256};

/// A company's key for naming credentials by value. Without one, credentials are named by their first place.
#[derive(Clone)]
pub struct Key(Vec<u8>);

impl Key {
    /// A key from the bytes of a key file.
    pub fn new(bytes: impl Into<Vec<u8>>) -> Self {
        Self(bytes.into())
    }
}

impl core::fmt::Debug for Key {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        f.write_str("Key(…)")
    }
}

/// A fingerprint of `parts`: the first 16 hexadecimal digits of SHA-256 over the parts, each led by its length so that
/// no two lists of parts can run together.
pub fn fingerprint<'p>(parts: impl IntoIterator<Item = &'p str>) -> String {
    hex(&digest(parts), 8)
}

/// As [`fingerprint`], with all 64 digits: for what somebody may want to forge, since two things that share 16 digits can be
/// made in an afternoon.
pub fn strong_fingerprint<'p>(parts: impl IntoIterator<Item = &'p str>) -> String {
    hex(&digest(parts), 32)
}

fn digest<'p>(parts: impl IntoIterator<Item = &'p str>) -> [u8; 32] {
    let mut digest = Sha256::new();
    for part in parts {
        digest.update((part.len() as u64).to_be_bytes());
        digest.update(part.as_bytes());
    }
    digest.finalize().into()
}

/// The keyed name of a secret (HMAC-SHA-256, RFC 2104, cut to 16 digits): equal secrets get equal names, and without
/// the key the name tells nothing of the value, however weak the secret is.
pub fn keyed(key: &Key, secret: &str) -> String {
    // HMAC takes a key of any length; the error branch cannot be reached, and an empty name would only hide reuse.
    let Ok(mut mac) = Hmac::<Sha256>::new_from_slice(&key.0) else { return String::new() };
    mac.update(secret.as_bytes());
    hex(&mac.finalize().into_bytes(), 8)
}

fn hex(bytes: &[u8], count: usize) -> String {
    const DIGITS: &[u8; 16] = b"0123456789abcdef";
    let digit = |nibble: u8| DIGITS.get(usize::from(nibble)).map(|digit| char::from(*digit));
    let mut out = String::with_capacity(2 * count);
    for byte in bytes.iter().take(count) {
        out.extend(digit(byte >> 4));
        out.extend(digit(byte & 15));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_do_not_run_together() {
        assert_ne!(fingerprint(["ab", "c"]), fingerprint(["a", "bc"]));
        assert_eq!(fingerprint(["ab"]).len(), 16);
        assert_eq!(strong_fingerprint(["ab"]).len(), 64);
        assert!(strong_fingerprint(["ab"]).starts_with(&fingerprint(["ab"])));
        // SHA-256 over the eight bytes of the length 3 and `abc`.
        assert_eq!(fingerprint(["abc"]), "c3494ca1a2cf8eeb");
    }

    #[test]
    fn the_key_decides_the_name() {
        let (one, two) = (Key::new(*b"one"), Key::new(*b"two"));
        assert_eq!(keyed(&one, "s"), keyed(&one, "s"));
        assert_ne!(keyed(&one, "s"), keyed(&two, "s"));
    }
}
