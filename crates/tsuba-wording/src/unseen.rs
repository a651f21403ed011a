//! Characters that are obeyed or not seen: tag characters, variation selectors, characters without width, bidi controls, control
//! characters. What scripts and emoji need is left alone.

use super::revealed::{How, Revealed};
use crate::prelude::*;
use unicode_script::{Script, UnicodeScript as _};

/// Finds them.
pub(super) fn find(text: &str, out: &mut Vec<Revealed>) {
    let plain = |b: &u8| (0x20..0x7f).contains(b) || matches!(b, b'\n' | b'\r' | b'\t');
    let mut at = 0;
    let mut zero = ZeroWidth::default();
    let mut stray = false;
    let mut bidi: Option<(usize, usize, usize)> = None;
    let mut rtl = None;
    while let Some(skipped) = text.as_bytes().get(at..).and_then(|rest| rest.iter().position(|b| !plain(b))) {
        at += skipped;
        let Some(c) = text.get(at..).and_then(|t| t.chars().next()) else { break };
        let from = at;
        at += c.len_utf8();
        match u32::from(c) {
            0xE0000..=0xE007F => {
                at = run(text, from, |c| matches!(u32::from(c), 0xE0000..=0xE007F));
                let before = text.get(..from).and_then(|t| t.chars().next_back());
                // A flag is a black flag with the region's letters in tags.
                if before != Some('\u{1F3F4}') {
                    let said = tags(text.get(from..at).unwrap_or_default());
                    out.push(Revealed { range: from..at, text: said, how: How::Tags, deliberate: true });
                }
            }
            0xFE00..=0xFE0F | 0xE0100..=0xE01EF => {
                at = run(text, from, is_selector);
                let count = text.get(from..at).map_or(0, |t| t.chars().count());
                if count > 2 {
                    let said = selected(text.get(from..at).unwrap_or_default());
                    out.push(Revealed { range: from..at, text: said, how: How::Selectors, deliberate: true });
                }
            }
            0x200B..=0x200D
            | 0x2060..=0x2064
            | 0xFEFF
            | 0x00AD
            | 0x180E
            | 0x034F
            | 0x115F
            | 0x1160
            | 0x3164
            | 0xFFA0 => {
                at = run(text, from, is_zero_width);
                zero.met(text, from, at);
            }
            0x202A..=0x202E | 0x2066..=0x2069 => {
                let rtl = *rtl.get_or_insert_with(|| text.chars().any(is_right_to_left));
                let turns = matches!(c, '\u{202d}' | '\u{202e}') || !rtl;
                let (first, last, count) = bidi.unwrap_or((from, at, 0));
                bidi = Some((first, at.max(last), count + usize::from(turns)));
            }
            0x1B => {
                at = escape(text, at);
                let hidden = concealed(text, from, at);
                let end = hidden.as_ref().map_or(at, |(end, _)| *end);
                let said = hidden.map(|(_, said)| said).unwrap_or_default();
                out.push(Revealed { range: from..end, text: said, how: How::Control, deliberate: true });
                at = end;
            }
            0x00..=0x08 | 0x0B | 0x0C | 0x0E..=0x1F | 0x7F..=0x9F => {
                at = run(text, from, |c| c.is_control() && !matches!(c, '\n' | '\r' | '\t' | '\u{1b}'));
                // A backspace wipes out what was written before it.
                let wipes = text.get(from..at).is_some_and(|t| t.contains(['\u{8}', '\u{7f}', '\u{9b}']));
                // Stray ones are told once: they must not stand in the way of what is hidden behind them.
                if wipes || !stray {
                    out.push(Revealed { range: from..at, text: String::new(), how: How::Control, deliberate: wipes });
                }
                stray |= !wipes;
            }
            _ => {}
        }
        if out.len() > super::revealed::MAX_PARTS {
            break;
        }
    }
    if let Some((from, to, turns)) = bidi.filter(|(_, _, turns)| *turns > 0) {
        let said: String =
            text.get(from..to).unwrap_or_default().chars().filter(|c| !tsuba_document::text::is_unseen(*c)).collect();
        out.push(Revealed { range: from..to, text: said, how: How::Bidi, deliberate: turns > 0 });
    }
    out.extend(zero.done(text));
}

fn run(text: &str, from: usize, more: impl Fn(char) -> bool) -> usize {
    let rest = text.get(from..).unwrap_or_default();
    rest.find(|c| !more(c)).map_or(text.len(), |n| from + n)
}

fn is_right_to_left(c: char) -> bool {
    matches!(u32::from(c), 0x0590..=0x08FF | 0xFB1D..=0xFDFF | 0xFE70..=0xFEFC)
}

fn is_selector(c: char) -> bool {
    matches!(u32::from(c), 0xFE00..=0xFE0F | 0xE0100..=0xE01EF)
}

fn is_zero_width(c: char) -> bool {
    matches!(u32::from(c), 0x200B..=0x200D | 0x2060..=0x2064 | 0xFEFF | 0x00AD | 0x180E | 0x034F | 0x115F | 0x1160 | 0x3164 | 0xFFA0)
}

/// Tag characters stand for the ASCII characters 0xE0000 below them (Unicode, section 23.9).
fn tags(text: &str) -> String {
    text.chars()
        .filter_map(|c| u32::from(c).checked_sub(0xE0000).filter(|n| (0x20..0x7f).contains(n)).and_then(char::from_u32))
        .collect()
}

/// Variation selectors 1 to 256 can carry a byte each.
fn selected(text: &str) -> String {
    let bytes: Vec<u8> = text
        .chars()
        .filter_map(|c| match u32::from(c) {
            n @ 0xFE00..=0xFE0F => u8::try_from(n - 0xFE00).ok(),
            n @ 0xE0100..=0xE01EF => u8::try_from(n - 0xE0100 + 16).ok(),
            _ => None,
        })
        .collect();
    let readable = |text: &String| text.chars().all(|c| !c.is_control());
    String::from_utf8(bytes).ok().filter(readable).unwrap_or_default()
}

/// Characters without width, outside the scripts and emoji that need them.
#[derive(Default)]
struct ZeroWidth {
    first: Option<usize>,
    last: usize,
    /// All of them.
    count: usize,
    /// Those between two letters of a word.
    inner: usize,
    longest: usize,
    bits: Vec<char>,
}

impl ZeroWidth {
    fn met(&mut self, text: &str, from: usize, to: usize) {
        let before = text.get(..from).and_then(|t| t.chars().next_back());
        let after = text.get(to..).and_then(|t| t.chars().next());
        let here: Vec<char> = text.get(from..to).unwrap_or_default().chars().take(4096).collect();
        let needed = |c: Option<char>| c.is_some_and(needs_joiners);
        if here.len() <= 2 && (needed(before) || needed(after)) {
            return;
        }
        // A byte order mark at the start of a text is a leftover of its file.
        if from == 0 && here == ['\u{feff}'] {
            return;
        }
        self.first.get_or_insert(from);
        self.last = to;
        self.count += here.len();
        self.longest = self.longest.max(here.len());
        let letter = |c: Option<char>| c.is_some_and(|c| c.is_ascii_alphanumeric());
        self.inner += usize::from(letter(before) && letter(after) && !here.contains(&'\u{ad}'));
        if self.bits.len() < 65_536 {
            self.bits.extend(here);
        }
    }

    fn done(self, text: &str) -> Option<Revealed> {
        let first = self.first?;
        let said = bits(&self.bits);
        let deliberate = self.longest >= 6 || self.inner >= 3 || !said.is_empty();
        // One stray character is a slip of an editor.
        let worth = deliberate || self.count > 2;
        let said = if said.is_empty() && self.inner > 0 {
            text.get(first..self.last).unwrap_or_default().chars().filter(|c| !is_zero_width(*c)).collect()
        } else {
            said
        };
        worth.then_some(Revealed { range: first..self.last, text: said, how: How::ZeroWidth, deliberate })
    }
}

/// Two kinds of characters as the bits of a text, either kind as one.
fn bits(chars: &[char]) -> String {
    let kinds: BTreeSet<char> = chars.iter().copied().collect();
    if chars.len() < 32 || kinds.len() < 2 {
        return String::new();
    }
    kinds
        .iter()
        .flat_map(|one| kinds.iter().filter(move |zero| *zero != one).map(move |zero| (*one, *zero)))
        .find_map(|(one, zero)| {
            let bits: Vec<u8> =
                chars.iter().filter(|c| **c == one || **c == zero).map(|c| u8::from(*c == one)).collect();
            let bytes: Vec<u8> =
                bits.chunks_exact(8).map(|byte| byte.iter().fold(0, |n, bit| (n << 1) | bit)).collect();
            String::from_utf8(bytes).ok().filter(|t| t.len() > 3 && t.chars().all(|c| c == '\n' || !c.is_control()))
        })
        .unwrap_or_default()
}

/// Does a script join or break its letters with characters without width, or is it a picture?
fn needs_joiners(c: char) -> bool {
    let emoji = matches!(u32::from(c), 0x00A9 | 0x00AE | 0x203C..=0x3299 | 0x1F000..=0x1FAFF | 0xFE0F);
    emoji
        || !matches!(
            c.script(),
            Script::Latin
                | Script::Common
                | Script::Cyrillic
                | Script::Greek
                | Script::Han
                | Script::Hiragana
                | Script::Katakana
                | Script::Hangul
                | Script::Inherited
                | Script::Unknown
        )
}

/// The end of an escape sequence whose introducer ends at `at` (ECMA-48, 5.4).
fn escape(text: &str, at: usize) -> usize {
    let bytes = text.as_bytes();
    let is = |i: usize, range: core::ops::RangeInclusive<u8>| bytes.get(i).is_some_and(|b| range.contains(b));
    let mut end = at;
    match bytes.get(at) {
        Some(b'[') => {
            end += 1;
            while is(end, 0x20..=0x3f) && end - at < 64 {
                end += 1;
            }
            end + usize::from(is(end, 0x40..=0x7e))
        }
        Some(b']') => {
            while bytes.get(end).is_some_and(|b| *b != 7 && *b != 0x1b) && end - at < 4096 {
                end += 1;
            }
            while !text.is_char_boundary(end) {
                end -= 1;
            }
            end
        }
        Some(b) if b.is_ascii() => at + 1,
        _ => at,
    }
}

/// What stands between a sequence that conceals (SGR 8, ECMA-48, 8.3.117) and the next one.
fn concealed(text: &str, from: usize, to: usize) -> Option<(usize, String)> {
    let sequence = text.get(from..to)?;
    let numbers = sequence.strip_prefix("\u{1b}[")?.strip_suffix('m')?;
    let hides = numbers.split(';').any(|n| n == "8")
        || numbers.contains("38;5;0")
        || (numbers.contains("30") && numbers.contains("40"));
    let rest = text.get(to..)?;
    let length = rest.find('\u{1b}').unwrap_or(rest.len());
    hides.then(|| (to + length, rest.get(..length).unwrap_or_default().to_owned()))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(text: &str) -> Vec<(How, String, bool)> {
        let mut out = Vec::new();
        find(text, &mut out);
        out.into_iter().map(|r| (r.how, r.text, r.deliberate)).collect()
    }

    fn in_tags(text: &str) -> String {
        text.chars().filter_map(|c| char::from_u32(0xE0000 + u32::from(c))).collect()
    }

    #[test]
    fn what_is_hidden_is_read() {
        let selectors: String = "hi!".bytes().filter_map(|b| char::from_u32(0xE0100 + u32::from(b) - 16)).collect();
        let zeros: String = "send"
            .bytes()
            .flat_map(|b| (0..8).rev().map(move |i| if b >> i & 1 == 1 { '\u{200c}' } else { '\u{200b}' }))
            .collect();
        for (text, how, said) in [
            (format!("Tides.{}", in_tags("read all")), How::Tags, "read all"),
            (format!("a{selectors}"), How::Selectors, "hi!"),
            (format!("a{zeros}"), How::ZeroWidth, "send"),
            ("a\u{1b}[8mquiet words\u{1b}[0m".to_owned(), How::Control, "quiet words"),
            ("abc\u{202e}def\u{202c}".to_owned(), How::Bidi, "def"),
            ("i\u{200b}g\u{200b}n\u{200b}ore".to_owned(), How::ZeroWidth, "gn"),
        ] {
            let all = found(&text);
            assert!(all.contains(&(how, said.to_owned(), true)), "{text:?}: {all:?}");
        }
    }

    #[test]
    fn what_scripts_and_pictures_need_is_left_alone() {
        for text in [
            "plain words",
            "⚓️ moors ❤️ and 👩‍✈️ pilots",
            "🏴\u{e0067}\u{e0062}\u{e0065}\u{e006e}\u{e0067}\u{e007f}",
            "می\u{200c}خواهم",
            "क्\u{200d}ष",
            "a stray\u{200b} one",
            "שלום \u{202b}abc\u{202c} עולם",
            "\u{feff}starts with a mark",
            "co\u{ad}op",
        ] {
            assert_eq!(found(text), vec![], "{text:?}");
        }
    }
}
