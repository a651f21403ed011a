//! The forms in which a secret may be written somewhere else than where it was found.

use crate::prelude::*;
use base64::Engine as _;
use base64::engine::general_purpose::{STANDARD_NO_PAD, URL_SAFE_NO_PAD};

/// A shorter secret is looked for only as it is written in configurations: its other forms would be found anywhere.
const MIN_ENCODED: usize = 8;
/// Of a longer one (bytes) only how it is written is known, not its encodings.
const MAX_ENCODED: usize = 4096;

/// How a secret may be written: as it is, escaped in JSON (once, twice, wholly), percent-encoded, as a form's field, with entities of HTML,
/// in base64 within anything, in hexadecimal, in the other case, backwards. Without repetitions.
pub(super) fn forms(secret: &str) -> Vec<String> {
    let mut out = Forms(vec![secret.to_owned()]);
    if secret.len() > MAX_ENCODED {
        return out.0;
    }
    let json = json_escaped(secret);
    if json != secret {
        out.insert(json_escaped(&json));
    }
    if json.contains('/') {
        out.insert(json.replace('/', "\\/"));
    }
    out.insert(json);
    if !secret.bytes().all(is_unreserved) {
        for digits in [LOWER, UPPER] {
            out.insert(hex(secret, digits, |byte| if is_unreserved(byte) { None } else { Some("%") }));
        }
        out.insert(url::form_urlencoded::byte_serialize(secret.as_bytes()).collect());
        out.insert(named_entities(secret));
    }
    if secret.chars().count() < MIN_ENCODED {
        return out.0;
    }
    for digits in [LOWER, UPPER] {
        for sign in ["%", "", "\\x"] {
            out.insert(hex(secret, digits, |_| Some(sign)));
        }
        let mut units = String::with_capacity(secret.len() * 6);
        for unit in secret.encode_utf16() {
            units.push_str("\\u");
            unit.to_be_bytes().iter().for_each(|byte| push_hex(&mut units, *byte, digits));
        }
        out.insert(units);
    }
    for (sign, radix) in [("&#", 10), ("&#x", 16)] {
        let mut entities = String::with_capacity(secret.len() * 6);
        for c in secret.chars() {
            entities.push_str(sign);
            push_number(&mut entities, u32::from(c), radix);
            entities.push(';');
        }
        out.insert(entities.to_uppercase().replace('X', "x"));
        out.insert(entities);
    }
    out.insert(secret.to_uppercase());
    out.insert(secret.to_lowercase());
    out.insert(secret.chars().rev().collect());
    for lead in 0..3 {
        within_base64(secret, lead).for_each(|form| out.insert(form));
    }
    out.0
}

/// Forms, each once: there are two dozen at most.
struct Forms(Vec<String>);

impl Forms {
    fn insert(&mut self, form: String) {
        if !self.0.contains(&form) {
            self.0.push(form);
        }
    }
}

const LOWER: &[u8; 16] = b"0123456789abcdef";
const UPPER: &[u8; 16] = b"0123456789ABCDEF";

/// Bytes in hexadecimal, each behind its sign; those without one stay as they are.
fn hex(text: &str, digits: &[u8; 16], sign: impl Fn(u8) -> Option<&'static str>) -> String {
    let mut out = String::with_capacity(text.len() * 4);
    for byte in text.bytes() {
        match sign(byte) {
            Some(sign) => {
                out.push_str(sign);
                push_hex(&mut out, byte, digits);
            }
            None => out.push(char::from(byte)),
        }
    }
    out
}

fn push_hex(out: &mut String, byte: u8, digits: &[u8; 16]) {
    for digit in [byte >> 4, byte & 15] {
        out.extend(digits.get(usize::from(digit)).map(|digit| char::from(*digit)));
    }
}

fn push_number(out: &mut String, number: u32, radix: u32) {
    if number >= radix {
        push_number(out, number / radix, radix);
    }
    out.extend(char::from_digit(number % radix, radix));
}

/// The characters of base64 that a secret alone decides, wherever it begins in what is encoded (`user:secret`, a whole header).
fn within_base64(secret: &str, lead: usize) -> impl Iterator<Item = String> {
    let bytes: Vec<u8> = core::iter::repeat_n(0, lead).chain(secret.bytes()).collect();
    // Characters that the bytes before it, and those behind it, have a share in.
    let (head, tail) = ([0, 2, 3].get(lead).copied().unwrap_or(0), usize::from(!bytes.len().is_multiple_of(3)));
    let own = move |text: String| text.get(head..text.len().saturating_sub(tail)).unwrap_or_default().to_owned();
    [STANDARD_NO_PAD.encode(&bytes), URL_SAFE_NO_PAD.encode(&bytes)].into_iter().map(own)
}

fn json_escaped(text: &str) -> String {
    let quoted = serde_json::to_string(text).unwrap_or_default();
    quoted.strip_prefix('"').and_then(|text| text.strip_suffix('"')).unwrap_or_default().to_owned()
}

/// RFC 3986, 2.3.
fn is_unreserved(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || b"-._~".contains(&byte)
}

fn named_entities(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#39;"),
            c => out.push(c),
        }
    }
    out
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
    fn a_secret_is_known_in_every_way_of_writing_it() {
        let forms = forms("a/b&c\"d1");
        for form in [
            "a/b&c\"d1",
            "a/b&c\\\"d1",
            "a\\/b&c\\\"d1",
            "a/b&c\\\\\\\"d1",
            "a%2Fb%26c%22d1",
            "a%2fb%26c%22d1",
            "a/b&amp;c&quot;d1",
            "612f62266322 6431",
            "A/B&C\"D1",
            "1d\"c&b/a",
            "\\u0061\\u002f\\u0062\\u0026\\u0063\\u0022\\u0064\\u0031",
            "&#97;&#47;&#98;&#38;&#99;&#34;&#100;&#49;",
            "\\x61\\x2f\\x62\\x26\\x63\\x22\\x64\\x31",
        ] {
            assert!(forms.contains(&form.replace(' ', "")), "{form}");
        }
        // A short one is known only as configurations write it.
        assert_eq!(super::forms("pw&1").len(), 3);
    }
}
