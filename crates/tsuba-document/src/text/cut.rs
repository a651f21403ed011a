//! Cutting a text without cutting a character.

/// The last character boundary at or before `at`.
pub fn boundary(text: &str, at: usize) -> usize {
    (0..=at.min(text.len())).rev().find(|i| text.is_char_boundary(*i)).unwrap_or(0)
}

/// The first `most` bytes of a text, or a little less.
pub fn head(text: &str, most: usize) -> &str {
    text.get(..boundary(text, most)).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_character_is_cut() {
        for (text, most, want) in [("abc", 2, "ab"), ("aß", 2, "a"), ("ß", 0, ""), ("abc", 9, "abc"), ("", 3, "")] {
            assert_eq!(head(text, most), want);
        }
    }
}
