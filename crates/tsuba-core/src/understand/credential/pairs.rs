//! Settings written into one value: `{"apiKey": "…"}` in a variable or an argument, also with its quotes escaped once more.

use core::ops::Range;

/// A key and its text value inside a value, as byte ranges.
pub(super) struct Pair {
    pub(super) key: Range<usize>,
    pub(super) value: Range<usize>,
}

/// More pairs than this in one value are not looked at.
const MAX_PAIRS: usize = 1_000;

/// The pairs of texts in `value`, if it holds an object. A scanner rather than a parser: how often the quotes are escaped
/// depends on how many shells and files the value has passed through, and every part must keep its place.
pub(super) fn pairs(value: &str) -> impl Iterator<Item = Pair> {
    let object = value.contains('{') && value.contains(':');
    let mut texts = Texts { value, at: if object { 0 } else { value.len() } };
    let mut key: Option<Range<usize>> = None;
    core::iter::from_fn(move || {
        loop {
            let text = texts.next()?;
            let between = key.as_ref().and_then(|key| value.get(key.end..text.start)).unwrap_or_default();
            // Between a key and its value stand only quotes, backslashes, a colon and white space.
            let follows = between.contains(':') && between.chars().all(|c| c.is_whitespace() || "\\\"':".contains(c));
            match key.take().filter(|_| follows) {
                Some(key) => return Some(Pair { key, value: text }),
                None => key = Some(text),
            }
        }
    })
    .take(MAX_PAIRS)
}

/// The quoted texts of a value, without their quotes.
struct Texts<'v> {
    value: &'v str,
    at: usize,
}

impl Iterator for Texts<'_> {
    type Item = Range<usize>;

    fn next(&mut self) -> Option<Range<usize>> {
        let mut open = self.at + self.value.get(self.at..)?.find('"')?;
        // A quote around the whole object quotes no text of it.
        while self.value.get(open + 1..)?.starts_with('{') {
            open += 1 + self.value.get(open + 1..)?.find('"')?;
        }
        // The closing quote is escaped as often as the opening one.
        let head = self.value.get(..open)?;
        let escapes = head.len() - head.trim_end_matches('\\').len();
        let start = open + 1;
        let mut from = start;
        loop {
            let close = from + self.value.get(from..)?.find('"')?;
            let inside = self.value.get(start..close)?;
            let slashes = inside.len() - inside.trim_end_matches('\\').len();
            if slashes == escapes {
                self.at = close + 1;
                return Some(start..close - slashes);
            }
            from = close + 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::prelude::*;

    #[test]
    fn pairs_are_found_however_often_their_quotes_are_escaped() {
        for (value, want) in [
            (r#"{"a": "b", "n": 1, "c": {"d":"e"}}"#, vec!["a=b", "d=e"]),
            (r#"{\"a\":\"b\", \"c\":\"d\"}"#, vec!["a=b", "c=d"]),
            (r#""{\"a\":\"b\"}""#, vec!["a=b"]),
            (r#"{"a": "say \"x\"", "c": "d"}"#, vec![r#"a=say \"x\""#, "c=d"]),
            (r#"{"a": ["b", "c"], "d": "e"}"#, vec!["d=e"]),
            (r#"["a", "b"]"#, vec![]),
            ("a: \"b\"", vec![]),
            ("{\":", vec![]),
        ] {
            let found: Vec<_> =
                pairs(value).map(|p| format!("{}={}", &value[p.key.clone()], &value[p.value.clone()])).collect();
            assert_eq!(found, want, "{value}");
        }
    }

    proptest::proptest! {
        #[test]
        fn any_text_is_scanned_without_panic(text in "[{}:\"\\\\a ü]{0,40}") {
            for pair in pairs(&text) {
                assert!(text.get(pair.key).is_some() && text.get(pair.value).is_some());
            }
        }
    }
}
