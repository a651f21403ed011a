//! From bytes to UTF-8 text.

use crate::prelude::*;

/// Decodes UTF-8 and UTF-16 of either order, with or without byte order mark.
/// The error is the offset of the first byte that is not text.
pub(super) fn decode(bytes: &[u8]) -> Result<String, usize> {
    match bytes {
        [0xFF, 0xFE, rest @ ..] => utf16(rest, 2, u16::from_le_bytes),
        [0xFE, 0xFF, rest @ ..] => utf16(rest, 2, u16::from_be_bytes),
        // Without a mark: a text of a notation begins with signs of ASCII, and in UTF-8 none of them is followed by a zero.
        [1..=255, 0, 1..=255, 0, ..] => utf16(bytes, 0, u16::from_le_bytes),
        [0, 1..=255, 0, 1..=255, ..] => utf16(bytes, 0, u16::from_be_bytes),
        [0xEF, 0xBB, 0xBF, rest @ ..] => utf8(rest).map_err(|at| at + 3),
        rest => utf8(rest),
    }
}

fn utf8(bytes: &[u8]) -> Result<String, usize> {
    core::str::from_utf8(bytes).map(ToOwned::to_owned).map_err(|error| error.valid_up_to())
}

fn utf16(bytes: &[u8], mark: usize, unit: fn([u8; 2]) -> u16) -> Result<String, usize> {
    let (pairs, rest) = bytes.as_chunks::<2>();
    if !rest.is_empty() {
        return Err(mark + bytes.len() - 1);
    }
    let mut out = String::with_capacity(bytes.len());
    let mut at = mark;
    for decoded in char::decode_utf16(pairs.iter().map(|pair| unit(*pair))) {
        let c = decoded.map_err(|_| at)?;
        at += 2 * c.len_utf16();
        out.push(c);
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::decode;

    #[test]
    fn byte_order_marks_are_understood() {
        assert_eq!(decode(b"\xEF\xBB\xBF{}").unwrap(), "{}");
        assert_eq!(decode(b"\xFF\xFE{\0}\0").unwrap(), "{}");
        assert_eq!(decode(b"\xFE\xFF\0{\0}").unwrap(), "{}");
        assert_eq!(decode(b"{\0}\0").unwrap(), "{}", "without a mark");
        assert_eq!(decode(b"\0{\0}").unwrap(), "{}");
        assert_eq!(decode("\u{e4}".as_bytes()).unwrap(), "\u{e4}");
    }

    #[test]
    fn what_is_not_text_is_told_with_its_place() {
        assert_eq!(decode(b"ab\xFFc"), Err(2));
        assert_eq!(decode(b"\xEF\xBB\xBFa\xFF"), Err(4));
        assert_eq!(decode(b"\xFF\xFE{"), Err(2), "half a unit");
        assert_eq!(decode(b"\xFF\xFEa\0\x00\xD8b\0"), Err(4), "half a surrogate pair");
    }
}
