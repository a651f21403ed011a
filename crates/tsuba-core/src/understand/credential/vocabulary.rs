//! Words and token formats that only the company knows: what its policy adds to the catalogue.

use crate::prelude::*;
use core::ops::Range;
use regex::{Regex, RegexBuilder};

/// Words and token formats that only the company knows.
#[derive(Clone, Debug, Default)]
pub struct Vocabulary {
    /// Formats of its own tokens.
    pub tokens: Vec<OwnFormat>,
    /// Names of variables, as words, whose values are secrets.
    pub secret_names: Vec<Vec<String>>,
    /// Names whose values are none.
    pub public_names: Vec<Vec<String>>,
    /// Values that are to be filled in, in lower case.
    pub placeholders: BTreeSet<String>,
    /// Packages that are well used here, in lower case: names near one of them are looked at.
    pub packages: BTreeSet<String>,
}

/// A token format of the company's own.
#[derive(Clone, Debug)]
pub struct OwnFormat {
    /// What it is, in words.
    pub name: Arc<str>,
    /// Is it meant to be public?
    pub public: bool,
    form: Regex,
}

/// A shorter token would be found in words.
const SHORTEST: usize = 8;
/// A longer form is not read.
const LONGEST_FORM: usize = 500;

impl OwnFormat {
    /// A format by its form, a regular expression.
    ///
    /// # Errors
    /// In words, where that is none, or would be found everywhere.
    pub fn new(name: &str, form: &str, public: bool) -> Result<Self, String> {
        if form.len() > LONGEST_FORM {
            return Err(format!("a form has at most {LONGEST_FORM} characters"));
        }
        let built = RegexBuilder::new(form).size_limit(1 << 20).build();
        let form = built.map_err(|_| "not a form: write a regular expression as 'hbk_[A-Za-z0-9]{32}'".to_owned())?;
        let everywhere =
            ["", "harbour", "the tide table of the harbour", "/srv/quay/manifests", "saltmarsh-line.example"];
        if everywhere.iter().any(|text| form.is_match(text)) {
            return Err(
                "the form is found in ordinary words; begin it with what only these tokens begin with".to_owned()
            );
        }
        Ok(Self { name: name.into(), public, form })
    }

    /// The next token of this format in a text, at or after an offset.
    fn next(&self, text: &str, from: usize) -> Option<Range<usize>> {
        let mut at = from;
        loop {
            let found = self.form.find_at(text, at)?;
            if found.len() >= SHORTEST {
                return Some(found.range());
            }
            at = found.end().max(at + 1);
            if !text.is_char_boundary(at) {
                return None;
            }
        }
    }
}

impl Vocabulary {
    /// The next token of the company's own in a text, at or after an offset.
    pub(crate) fn next(&self, text: &str, from: usize) -> Option<(Range<usize>, &OwnFormat)> {
        first(self.tokens.iter(), text, from)
    }

    /// Likewise, of those that are secrets.
    pub(crate) fn next_secret(&self, text: &str, from: usize) -> Option<Range<usize>> {
        first(self.tokens.iter().filter(|format| !format.public), text, from).map(|(range, _)| range)
    }
}

fn first<'f>(
    formats: impl Iterator<Item = &'f OwnFormat>,
    text: &str,
    from: usize,
) -> Option<(Range<usize>, &'f OwnFormat)> {
    let found = formats.filter_map(|format| format.next(text, from).map(|range| (range, format)));
    found.min_by_key(|(range, _)| (range.start, core::cmp::Reverse(range.end)))
}

/// Are these words among those of a name, one behind the other?
pub(super) fn has_words(name: &[String], wanted: &[Vec<String>]) -> bool {
    wanted.iter().any(|words| name.windows(words.len()).any(|part| part == words.as_slice()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn forms_that_would_be_found_everywhere_are_refused() {
        for (form, good) in [
            ("hbk_[A-Za-z0-9]{32}", true),
            ("[A-Z]{4}-[0-9]{12}", true),
            ("[a-z]*", false),
            (".{8,}", false),
            ("hbk_[", false),
            ("(a{1000}){1000}", false),
        ] {
            assert_eq!(OwnFormat::new("a key", form, false).is_ok(), good, "{form}");
        }
    }

    #[test]
    fn the_first_of_several_is_the_next() {
        let tokens = [("a", "hbk_[a-z0-9]{8}"), ("b", "sml_[a-z0-9]{8}")];
        let tokens = tokens.iter().map(|(name, form)| OwnFormat::new(name, form, false).unwrap()).collect();
        let vocabulary = Vocabulary { tokens, ..Vocabulary::default() };
        let text = "x=sml_12345678 y=hbk_12345678 z=hbk_1";
        let (range, format) = vocabulary.next(text, 0).unwrap();
        assert_eq!((&text[range.clone()], &*format.name), ("sml_12345678", "b"));
        let (range, format) = vocabulary.next(text, range.end).unwrap();
        assert_eq!((&text[range.clone()], &*format.name), ("hbk_12345678", "a"));
        assert!(vocabulary.next(text, range.end).is_none());
    }
}
