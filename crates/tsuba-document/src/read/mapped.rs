//! A text that was decoded from another, and where each part of it is written there.

use crate::prelude::*;
use crate::text::Span;
use core::ops::Range;

/// A decoded text with the places of its parts.
#[derive(Clone, Debug, Default)]
pub(super) struct Mapped {
    /// The text, put together.
    pub(super) text: String,
    parts: Vec<Part>,
}

/// A part of the text: to the letter, or an escape, which is one place however long what it stands for is.
#[derive(Clone, Debug)]
struct Part {
    /// Where it begins in the text.
    own: usize,
    /// Where it is written.
    written: Range<usize>,
    escape: bool,
}

impl Mapped {
    /// Adds what is written to the letter from `at`.
    pub(super) fn push(&mut self, text: &str, at: usize) {
        let written = at..at + text.len();
        match self.parts.last_mut().filter(|last| !last.escape && last.written.end == at) {
            Some(last) => last.written.end = written.end,
            None => self.parts.push(Part { own: self.text.len(), written, escape: false }),
        }
        self.text.push_str(text);
    }

    /// Adds what is written in another way.
    pub(super) fn push_as(&mut self, text: &str, written: Range<usize>) {
        self.parts.push(Part { own: self.text.len(), written, escape: true });
        self.text.push_str(text);
    }

    /// A string of JSON (RFC 8259, 7) that is written from `at` with its quotes; `false` where it is none.
    pub(super) fn push_json(&mut self, written: &str, at: usize) -> bool {
        let inner = written.strip_prefix('"').and_then(|rest| rest.strip_suffix('"'));
        inner.is_some_and(|inner| self.push_escaped(inner, at + 1))
    }

    /// The same without its quotes.
    pub(super) fn push_escaped(&mut self, inner: &str, at: usize) -> bool {
        let mut from = 0;
        while let Some(rest) = inner.get(from..).filter(|rest| !rest.is_empty()) {
            let plain = rest.find('\\').unwrap_or(rest.len());
            self.push(rest.get(..plain).unwrap_or_default(), at + from);
            from += plain;
            let Some(escape) = rest.get(plain..).filter(|escape| !escape.is_empty()) else { break };
            // A character beyond the basic plane is written as two.
            let lengths = if escape.starts_with("\\u") { &[6, 12][..] } else { &[2][..] };
            let decoded = lengths.iter().find_map(|length| {
                let own = escape.get(..*length)?;
                Some((*length, serde_json::from_str::<String>(&format!("\"{own}\"")).ok()?))
            });
            let Some((length, text)) = decoded else { return false };
            self.push_as(&text, at + from..at + from + length);
            from += length;
        }
        true
    }

    /// Adds text with HTML's entities that is written from `at`.
    pub(super) fn push_html(&mut self, written: &str, at: usize) {
        /// Names of entities are shorter.
        const MAX_ENTITY_BYTES: usize = 40;
        let mut from = 0;
        while let Some(rest) = written.get(from..).filter(|rest| !rest.is_empty()) {
            let plain = rest.find('&').unwrap_or(rest.len());
            self.push(rest.get(..plain).unwrap_or_default(), at + from);
            from += plain;
            let Some(entity) = rest.get(plain..).filter(|entity| !entity.is_empty()) else { break };
            let length = entity.bytes().take(MAX_ENTITY_BYTES).position(|byte| byte == b';').map_or(1, |end| end + 1);
            let own = entity.get(..length).unwrap_or("&");
            let decoded = html_escape::decode_html_entities(own);
            if decoded == own {
                self.push("&", at + from);
                from += 1;
            } else {
                self.push_as(&decoded, at + from..at + from + own.len());
                from += own.len();
            }
        }
    }

    /// Where a part of the text is written.
    pub(super) fn place(&self, span: Span) -> Span {
        let range = span.range();
        let part = |at: usize| self.parts.get(self.parts.partition_point(|part| part.own <= at).checked_sub(1)?);
        let start = part(range.start).map_or(0, |part| match part.escape {
            true => part.written.start,
            false => part.written.start + (range.start - part.own),
        });
        // The end is where the last byte's writing ends, not where the next one's begins.
        let end = range.end.checked_sub(1).filter(|_| !range.is_empty()).and_then(|last| {
            part(last).map(|part| match part.escape {
                true => part.written.end,
                false => part.written.start + (range.end - part.own),
            })
        });
        Span::new(start, end.unwrap_or(start))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// What is written where each word of the text stands.
    fn describe(mapped: &Mapped, written: &str) -> Vec<String> {
        let words = mapped.text.split_whitespace();
        let place = |word: &str| {
            let from = word.as_ptr() as usize - mapped.text.as_ptr() as usize;
            let span = mapped.place(Span::new(from, from + word.len()));
            format!("{word} {}", &written[span.range()])
        };
        words.map(place).collect()
    }

    #[test]
    fn parts_are_found_where_they_are_written() {
        let json = r#"-- "a \"b\" c\u00e4d \ud83d\ude00 e\n f""#;
        let mut mapped = Mapped::default();
        assert!(mapped.push_json(&json[3..], 3));
        assert_eq!(mapped.text, "a \"b\" cäd 😀 e\n f");
        assert_eq!(describe(&mapped, json), ["a a", r#""b" \"b\""#, r"cäd c\u00e4d", r"😀 \ud83d\ude00", "e e", "f f"]);
        let html = "-- &quot;a&quot; b&amp;c & d&nope; &#x65;";
        let mut mapped = Mapped::default();
        mapped.push_html(&html[3..], 3);
        assert_eq!(mapped.text, "\"a\" b&c & d&nope; e");
        assert_eq!(
            describe(&mapped, html),
            ["\"a\" &quot;a&quot;", "b&c b&amp;c", "& &", "d&nope; d&nope;", "e &#x65;"]
        );
        for broken in ["a", "\"", "\"\\x\"", "\"\\ud83d\"", "\"a\\\""] {
            assert!(!Mapped::default().push_json(broken, 0), "{broken}");
        }
    }

    proptest! {
        #[test]
        fn a_string_is_what_the_parser_says(text in any::<String>()) {
            let written = serde_json::to_string(&text).unwrap();
            let mut mapped = Mapped::default();
            prop_assert!(mapped.push_json(&written, 0));
            prop_assert_eq!(&mapped.text, &text);
            let whole = mapped.place(Span::new(0, text.len()));
            prop_assert!(text.is_empty() || whole.range() == (1..written.len() - 1));
        }

        #[test]
        fn a_text_is_what_the_library_says(text in "[a-z&;#x0-9> ]{0,60}|(&(amp|lt|quot|nope|#65|#x41);?[a&]?){0,9}") {
            let mut mapped = Mapped::default();
            mapped.push_html(&text, 0);
            let decoded = html_escape::decode_html_entities(&text);
            prop_assert_eq!(mapped.text.as_str(), &*decoded);
            for at in 0..mapped.text.len() {
                prop_assert!(mapped.place(Span::new(at, at + 1)).range().end <= text.len());
            }
        }
    }
}
