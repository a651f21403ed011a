//! Masking: every place of a text that must not be shown, found in one pass, and what stands there instead.

use super::clean::is_unseen;
use super::known::Known;
use super::located::joined;
use super::mask;
use crate::prelude::*;
use core::fmt;
use core::ops::Range;

/// Finds the places of a text that look like secrets, though nobody has named them so.
type Find = Arc<dyn Fn(&str) -> Vec<Range<usize>> + Send + Sync>;

/// What was found in texts before, for one who audits again and again. `secrets` names what is looked for: what was found by that name alone may
/// be answered.
pub trait Memory: fmt::Debug + Send + Sync {
    /// The places that were found in a text.
    fn recall(&self, secrets: &str, text: &str) -> Option<Vec<Range<usize>>>;
    /// Keeps them.
    fn keep(&self, secrets: &str, text: &str, places: &[Range<usize>]);
}

/// Knows every secret of an audit and finds them in any text.
#[derive(Clone)]
pub struct Masker {
    known: Vec<Arc<Known>>,
    /// Secrets that are also words, or too short to be searched for: masked only where a secret can stand.
    common: Arc<Common>,
    find: Find,
    memory: Option<(Arc<dyn Memory>, Arc<str>)>,
}

impl fmt::Debug for Masker {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Masker")
    }
}

impl Masker {
    /// For these secrets, each in every form in which it can be written. `common` ones (`postgres`, `abc`) are masked only as a whole text,
    /// behind `=` or a blank at its end, and as the password of an address: elsewhere they are words. So are secrets under four characters.
    /// `find` finds what looks like one, in order.
    pub fn new<'s>(
        secrets: impl IntoIterator<Item = &'s str>,
        common: impl IntoIterator<Item = &'s str>,
        find: impl Fn(&str) -> Vec<Range<usize>> + Send + Sync + 'static,
    ) -> Self {
        let (long, short): (Vec<&str>, Vec<&str>) = secrets.into_iter().partition(|s| s.chars().count() >= 4);
        let common = Common::new(common.into_iter().chain(short));
        Self { known: vec![Arc::new(Known::new(long))], common: Arc::new(common), find: Arc::new(find), memory: None }
    }

    /// With a memory of what was found by maskers of this name: such as find the same in every text.
    #[must_use]
    pub fn remembering(mut self, memory: Arc<dyn Memory>, name: &str) -> Self {
        self.memory = Some((memory, name.into()));
        self
    }

    /// With one more secret.
    #[must_use]
    pub fn also(mut self, secret: &str) -> Self {
        self.known.push(Arc::new(Known::new([secret])));
        self.memory = None;
        self
    }

    /// With the same secrets, and another way to find what looks like one.
    #[must_use]
    pub fn finding(mut self, find: impl Fn(&str) -> Vec<Range<usize>> + Send + Sync + 'static) -> Self {
        self.find = Arc::new(find);
        self.memory = None;
        self
    }

    /// The places that must not be shown: in order, apart from each other.
    pub fn places(&self, text: &str) -> Vec<Range<usize>> {
        let Some((memory, name)) = &self.memory else { return self.look(text) };
        memory.recall(name, text).unwrap_or_else(|| {
            let places = self.look(text);
            memory.keep(name, text, &places);
            places
        })
    }

    fn look(&self, text: &str) -> Vec<Range<usize>> {
        // What is split by characters that nobody sees is read as it looks.
        if text.is_ascii() || !text.chars().any(is_unseen) {
            return self.seen(text);
        }
        let (mut bare, mut places) = (String::with_capacity(text.len()), Vec::with_capacity(text.len()));
        for (at, c) in text.char_indices().filter(|(_, c)| !is_unseen(*c) || c.is_ascii()) {
            bare.push(c);
            places.extend(at..at + c.len_utf8());
        }
        let original = |range: Range<usize>| {
            let (first, last) = (places.get(range.start)?, places.get(range.end.checked_sub(1)?)?);
            Some(*first..*last + 1)
        };
        self.seen(&bare).into_iter().filter_map(original).collect()
    }

    fn seen(&self, text: &str) -> Vec<Range<usize>> {
        let mut all = (self.find)(text);
        all.extend(self.known.iter().flat_map(|known| known.find(text)));
        all.extend(self.common.find(text));
        joined(all)
    }

    /// A text with every such place masked; the rest stays to the letter.
    pub fn mask<'t>(&self, text: &'t str) -> Cow<'t, str> {
        let places = self.places(text);
        if places.is_empty() {
            return Cow::Borrowed(text);
        }
        let (mut out, mut at) = (String::with_capacity(text.len()), 0);
        for place in places {
            out.push_str(text.get(at..place.start).unwrap_or_default());
            let bare: String = text.get(place.clone()).unwrap_or_default().chars().filter(|c| !is_unseen(*c)).collect();
            out.push_str(&mask(&bare));
            at = place.end;
        }
        out.push_str(text.get(at..).unwrap_or_default());
        Cow::Owned(out)
    }
}

/// Secrets that are words as well.
#[derive(Default)]
struct Common {
    words: BTreeSet<String>,
    longest: usize,
}

impl Common {
    fn new<'s>(words: impl Iterator<Item = &'s str>) -> Self {
        let words: BTreeSet<String> = words.filter(|word| !word.is_empty()).map(ToOwned::to_owned).collect();
        let longest = words.iter().map(String::len).max().unwrap_or(0);
        Self { words, longest }
    }

    /// Where a secret can stand: as the whole text, at its end behind `=` or a blank, and between `:` and `@`.
    fn find(&self, text: &str) -> Vec<Range<usize>> {
        let mut out = Vec::new();
        if self.words.is_empty() {
            return out;
        }
        if self.words.contains(text) {
            out.push(0..text.len());
            return out;
        }
        let has = |range: Range<usize>| {
            text.get(range.clone()).is_some_and(|word| self.words.contains(word)).then_some(range)
        };
        // No further back than the longest of them.
        let back = |end: usize, sign: &'static [u8]| {
            let from = end.saturating_sub(self.longest + 1);
            let before = text.as_bytes().get(from..end).unwrap_or_default();
            before
                .iter()
                .enumerate()
                .filter(move |(_, byte)| sign.contains(byte))
                .map(move |(at, _)| from + at + 1..end)
        };
        out.extend(back(text.len(), b"= ").find_map(has));
        for (at, _) in text.match_indices('@') {
            out.extend(back(at, b":").find_map(has));
        }
        out
    }
}
