//! A text as it reads when what is encoded in it is written out: escapes of JSON and of shells, percent signs, entities of HTML,
//! and, apart from those, hexadecimal digits. Every byte keeps its place, so that what is found in it can be masked where it stands.

use crate::prelude::*;
use core::ops::Range;

/// What is decoded is decoded again, so many times in all: text in JSON in an address.
pub(super) const MOST_ROUNDS: usize = 3;
/// Fewer digits in a row (eight bytes) are no secret in hexadecimal.
const MIN_DIGITS: usize = 16;

/// What escapes begin with.
pub(super) const SIGNS: &[u8] = b"%\\&";

/// Bytes, and where each is written in the text that they come from.
pub(super) struct Decoded {
    pub(super) bytes: Vec<u8>,
    /// Where each byte begins, and at last where the last one ends.
    places: Vec<u32>,
}

impl Decoded {
    /// A text with the escapes written out that begin with one of these signs; nothing where it has none.
    pub(super) fn of(text: &[u8], signs: &[u8]) -> Option<Self> {
        signs.iter().find(|sign| memchr::memchr(**sign, text).is_some())?;
        let mut out = Self { bytes: Vec::with_capacity(text.len()), places: Vec::with_capacity(text.len() + 1) };
        let (mut at, mut any) = (0, false);
        while let Some(rest) = text.get(at..).filter(|rest| !rest.is_empty()) {
            let escape = rest.first().filter(|sign| signs.contains(sign)).and_then(|_| escape(rest));
            let length = match escape {
                Some((c, length)) => {
                    any = true;
                    match c {
                        Written::Byte(byte) => out.push(&[byte], at)?,
                        Written::Char(c) => out.push(c.encode_utf8(&mut [0; 4]).as_bytes(), at)?,
                    }
                    length
                }
                None => {
                    out.push(rest.get(..1)?, at)?;
                    1
                }
            };
            at += length;
        }
        out.places.push(u32::try_from(at).ok()?);
        any.then_some(out)
    }

    /// The hexadecimal digits of a text as the bytes that they write, run by run, from the first digit of each and from the second.
    pub(super) fn hexadecimal(text: &[u8]) -> Vec<Self> {
        let mut out = Vec::new();
        let mut at = 0;
        while at + MIN_DIGITS <= text.len() {
            // A run that is long enough has a digit here, or begins behind it.
            if !text.get(at + MIN_DIGITS - 1).is_some_and(u8::is_ascii_hexdigit) {
                at += MIN_DIGITS;
                continue;
            }
            let length = text.get(at..).unwrap_or_default().iter().take_while(|byte| byte.is_ascii_hexdigit()).count();
            if length >= MIN_DIGITS {
                out.extend([at, at + 1].into_iter().filter_map(|from| Self::of_digits(text, from..at + length)));
            }
            at += length.max(1);
        }
        out
    }

    fn of_digits(text: &[u8], range: Range<usize>) -> Option<Self> {
        let digits = text.get(range.clone())?;
        let mut out = Self { bytes: Vec::new(), places: Vec::new() };
        let mut at = range.start;
        for pair in digits.chunks_exact(2) {
            out.push(&[u8::try_from(number(pair, 16)?).ok()?], at)?;
            at += 2;
        }
        out.places.push(u32::try_from(at).ok()?);
        Some(out)
    }

    fn push(&mut self, bytes: &[u8], at: usize) -> Option<()> {
        let at = u32::try_from(at).ok()?;
        self.bytes.extend_from_slice(bytes);
        self.places.extend(core::iter::repeat_n(at, bytes.len()));
        Some(())
    }

    /// Where a range of the bytes is written.
    pub(super) fn place(&self, range: &Range<usize>) -> Option<Range<usize>> {
        let at = |index: usize| self.places.get(index).map(|place| *place as usize);
        Some(at(range.start)?..at(range.end)?)
    }
}

/// What an escape writes.
enum Written {
    Byte(u8),
    Char(char),
}

/// The escape that a text begins with, and its length.
fn escape(text: &[u8]) -> Option<(Written, usize)> {
    let byte = |digits: Option<&[u8]>| u8::try_from(number(digits?, 16)?).ok().map(Written::Byte);
    match text {
        // RFC 3986, 2.1.
        [b'%', ..] => Some((byte(text.get(1..3))?, 3)),
        [b'\\', b'x', ..] => Some((byte(text.get(2..4))?, 4)),
        [b'\\', b'u', ..] => unit(text),
        // RFC 8259, 7; shells write other signs so, too.
        [b'\\', sign, ..] => {
            let plain = match sign {
                b'n' => b'\n',
                b'r' => b'\r',
                b't' => b'\t',
                b'b' => 0x08,
                b'f' => 0x0C,
                sign if sign.is_ascii_punctuation() => *sign,
                _ => return None,
            };
            Some((Written::Byte(plain), 2))
        }
        [b'&', ..] => entity(text),
        _ => None,
    }
}

/// `\u0041`, and of two that make one character both.
fn unit(text: &[u8]) -> Option<(Written, usize)> {
    let unit = |at: usize| u16::try_from(number(text.get(at..at + 4)?, 16)?).ok();
    let first = unit(2)?;
    let second = text.get(6..8).filter(|lead| *lead == b"\\u").and_then(|_| unit(8));
    let mut read = char::decode_utf16([first].into_iter().chain(second));
    let c = read.next()?.ok()?;
    Some((Written::Char(c), if c.len_utf16() == 2 { 12 } else { 6 }))
}

/// `&#65;`, `&#x41;`, and the five that XML names.
fn entity(text: &[u8]) -> Option<(Written, usize)> {
    /// An entity has at most so many bytes.
    const MAX_ENTITY_BYTES: usize = 12;
    let end = text.iter().take(MAX_ENTITY_BYTES).position(|byte| *byte == b';')?;
    let name = text.get(1..end)?;
    let c = match name {
        b"amp" => '&',
        b"lt" => '<',
        b"gt" => '>',
        b"quot" => '"',
        b"apos" => '\'',
        [b'#', b'x' | b'X', digits @ ..] => char::from_u32(number(digits, 16)?)?,
        [b'#', digits @ ..] => char::from_u32(number(digits, 10)?)?,
        _ => return None,
    };
    Some((Written::Char(c), end + 1))
}

fn number(digits: &[u8], radix: u32) -> Option<u32> {
    let digit = |byte: &u8| char::from(*byte).to_digit(radix);
    (!digits.is_empty() && digits.len() <= 8).then_some(())?;
    digits.iter().try_fold(0_u32, |sum, byte| sum.checked_mul(radix)?.checked_add(digit(byte)?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn escapes_are_written_out_and_keep_their_places() {
        for (text, want, part, place) in [
            ("a%2Fb", "a/b", "/", "%2Fx"),
            (r#"say \"tide\""#, "say \"tide\"", "\"tide", r#"\"tide"#),
            (r"\u0061\u002fb", "a/b", "/b", r"\u002fb"),
            (r"\ud83d\ude00!", "😀!", "😀", r"\ud83d\ude00"),
            (r"\x41\x42", "AB", "B", r"\x42"),
            ("a &amp; b &#98; &#x62;", "a & b b b", "& b b", "&amp; b &#98;"),
            (r"C:\dir\new", "C:\\dir\new", "\n", r"\n"),
        ] {
            let decoded = Decoded::of(text.as_bytes(), SIGNS).unwrap();
            assert_eq!(String::from_utf8(decoded.bytes.clone()).unwrap(), want, "{text}");
            let at = want.find(part).unwrap();
            let written = decoded.place(&(at..at + part.len())).unwrap();
            assert_eq!(&text[written], place.trim_end_matches('x'), "{text}");
        }
        for text in ["plain", "100 % of it", "a & b", "&nothing;", r"\q", r"\u12", "%", "&#;", "&#99999999999;"] {
            assert!(Decoded::of(text.as_bytes(), SIGNS).is_none(), "{text}");
        }
    }

    #[test]
    fn hexadecimal_digits_are_bytes_from_either_of_them() {
        let message: Vec<Vec<u8>> =
            Decoded::hexadecimal(b"id 7469646574696465 0x074696465746964650").into_iter().map(|d| d.bytes).collect();
        assert_eq!(message.iter().filter(|bytes| bytes.starts_with(b"tidetid")).count(), 2);
        assert!(Decoded::hexadecimal(b"746964657469646 and deadbeef").is_empty());
    }
}
