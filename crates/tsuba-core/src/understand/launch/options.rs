//! Options of a command line: names, values in either form, and what is left.

use crate::prelude::*;
use crate::text::Located;

/// One option with its value.
#[derive(Clone, Debug)]
pub(super) struct Opt {
    /// The option's name with its dashes.
    pub(super) name: String,
    /// Its value, if it takes one.
    pub(super) value: Option<Located>,
    /// The option as written.
    pub(super) word: Located,
}

/// Options before the first operand.
#[derive(Debug)]
pub(super) struct Parsed<'w> {
    pub(super) options: Vec<Opt>,
    /// From the first operand on (after `--`, if there is one).
    pub(super) rest: &'w [Located],
    /// The words that were options and their values.
    pub(super) consumed: &'w [Located],
    /// Was the end of the options marked by `--`?
    pub(super) separated: bool,
}

impl Parsed<'_> {
    /// The values of an option given under any of these names.
    pub(super) fn values<'a>(&'a self, names: &'a [&str]) -> impl Iterator<Item = &'a Located> {
        self.options.iter().filter(move |o| names.contains(&o.name.as_str())).filter_map(|o| o.value.as_ref())
    }

    /// Is one of these options given?
    pub(super) fn has(&self, names: &[&str]) -> bool {
        self.options.iter().any(|o| names.contains(&o.name.as_str()))
    }
}

/// Reads the options at the start of `words`. `with_value` lists those that take a value; every other one is a switch.
/// Understands `--name value`, `--name=value`, `-n value`, `-nvalue`, `-abc`, and `--`.
pub(super) fn parse<'w>(source: &str, words: &'w [Located], with_value: &[&str]) -> Parsed<'w> {
    let mut options = Vec::new();
    let mut at = 0;
    let mut separated = false;
    while let Some(word) = words.get(at) {
        let text = word.text.as_str();
        if text == "--" {
            at += 1;
            separated = true;
            break;
        }
        if !text.starts_with('-') || text == "-" {
            break;
        }
        at += 1;
        if let Some(equals) = text
            .find('=')
            .filter(|_| text.starts_with("--") || with_value.iter().any(|o| text.starts_with(&format!("{o}="))))
        {
            let name = text.get(..equals).unwrap_or(text).to_owned();
            options.push(Opt { name, value: Some(word.part(source, equals + 1..text.len())), word: word.clone() });
        } else if with_value.contains(&text) {
            let value = words.get(at).cloned();
            at += usize::from(value.is_some());
            options.push(Opt { name: text.to_owned(), value, word: word.clone() });
        } else if text.starts_with("--") {
            options.push(Opt { name: text.to_owned(), value: None, word: word.clone() });
        } else {
            at += cluster(source, word, words.get(at), with_value, &mut options);
        }
    }
    let consumed = words.get(..at).unwrap_or_default();
    Parsed { options, rest: words.get(at..).unwrap_or_default(), consumed, separated }
}

/// `-abc`: switches, the last of which may take a value from the rest of the word or from the next one.
/// Returns how many further words were used.
fn cluster(source: &str, word: &Located, next: Option<&Located>, with_value: &[&str], out: &mut Vec<Opt>) -> usize {
    for (at, c) in word.text.char_indices().skip(1) {
        let name = format!("-{c}");
        if with_value.contains(&name.as_str()) {
            let from = at + c.len_utf8();
            let from = from + usize::from(word.text.get(from..).is_some_and(|rest| rest.starts_with('=')));
            let attached = from < word.text.len();
            let value = if attached { Some(word.part(source, from..word.text.len())) } else { next.cloned() };
            let used = usize::from(!attached && value.is_some());
            out.push(Opt { name, value, word: word.clone() });
            return used;
        }
        out.push(Opt { name, value: None, word: word.clone() });
    }
    // A word such as `-Command` is one option with a single dash: it is kept whole too.
    if word.text.len() > 2 {
        out.push(Opt { name: word.text.clone(), value: None, word: word.clone() });
    }
    0
}
