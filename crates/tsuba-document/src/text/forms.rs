//! The forms in which a secret may be written somewhere else than where it was found.

use crate::prelude::*;
use base64::Engine as _;
use base64::engine::general_purpose::{STANDARD_NO_PAD, URL_SAFE_NO_PAD};

/// A shorter secret is looked for only as it is written in configurations: its other forms would be found anywhere.
const MIN_ENCODED: usize = 8;
/// Of a longer one (bytes) only how it is written is known, not its encodings.
const MAX_ENCODED: usize = 4096;

/// How a secret may be written: as it is, as a form's field, in base64 within anything, in the other case, backwards. Without repetitions.
/// Escapes and digits are decoded where they are looked for.
pub(super) fn forms(secret: &str) -> Vec<String> {
    let mut out = Forms(vec![secret.to_owned()]);
    if secret.len() > MAX_ENCODED {
        return out.0;
    }
    if secret.contains(' ') {
        out.insert(secret.replace(' ', "+"));
    }
    if secret.chars().count() < MIN_ENCODED {
        return out.0;
    }
    out.insert(secret.to_uppercase());
    out.insert(secret.to_lowercase());
    out.insert(secret.chars().rev().collect());
    for lead in 0..3 {
        within_base64(secret, lead).for_each(|form| out.insert(form));
    }
    out.0
}

/// Forms, each once: there are a dozen at most.
struct Forms(Vec<String>);

impl Forms {
    fn insert(&mut self, form: String) {
        if !self.0.contains(&form) {
            self.0.push(form);
        }
    }
}

/// The characters of base64 that a secret alone decides, wherever it begins in what is encoded (`user:secret`, a whole header).
fn within_base64(secret: &str, lead: usize) -> impl Iterator<Item = String> {
    let bytes: Vec<u8> = core::iter::repeat_n(0, lead).chain(secret.bytes()).collect();
    // Characters that the bytes before it, and those behind it, have a share in.
    let (head, tail) = ([0, 2, 3].get(lead).copied().unwrap_or(0), usize::from(!bytes.len().is_multiple_of(3)));
    let own = move |text: String| text.get(head..text.len().saturating_sub(tail)).unwrap_or_default().to_owned();
    [STANDARD_NO_PAD.encode(&bytes), URL_SAFE_NO_PAD.encode(&bytes)].into_iter().map(own)
}

#[cfg(test)]
mod tests {
    use super::*;
    use base64::engine::general_purpose::STANDARD;

    #[test]
    fn base64_of_anything_around_a_secret_holds_one_of_its_forms() {
        let secret = "k7Qv-93xz!Lm";
        let forms = forms(secret);
        for around in ["", "a", "ab", "abc", "crew:", "Bearer  "] {
            let encoded = STANDARD.encode(format!("{around}{secret}{around}"));
            assert!(
                forms.iter().any(|form| form.len() >= 12 && encoded.contains(form.as_str())),
                "{around}: {encoded}"
            );
        }
    }

    #[test]
    fn a_short_secret_is_known_only_as_it_is() {
        assert_eq!(forms("pw&1"), ["pw&1"]);
        assert_eq!(forms("a pw&1"), ["a pw&1", "a+pw&1"]);
        assert!(forms("a/b&c\"d1").iter().any(|form| form == "1d\"c&b/a"));
    }
}
