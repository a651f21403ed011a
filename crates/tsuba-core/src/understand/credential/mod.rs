//! Credentials: for every value handed to a server, is it a reference, a placeholder, public, or a secret in plain text?
//!
//! The decision weighs the value's name, its place, the catalogue of token formats with their checks, the shape of the
//! value (addresses, paths, identifiers, hashes), and how random it looks. It errs towards silence only where neither
//! name nor format nor randomness speaks.

mod formats;
mod matching;
mod name;
mod pairs;
mod reference;
mod shape;
mod suspects;
mod url_parts;
mod vocabulary;
mod words;

pub use formats::{Format, Nature};
pub use name::NameSays;
pub(crate) use name::name_says;
pub(crate) use reference::{default_of, is_store_address, references};
pub(crate) use suspects::suspects;
pub use suspects::tokens;
pub use vocabulary::{OwnFormat, Vocabulary};

use crate::prelude::*;
use crate::text::words_of;
use core::ops::Range;
use matching::{base62_crc32, first_match, first_telling};
use vocabulary::has_words;
use words::Words;

/// Where a value was handed over.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Place {
    /// The entry's environment.
    Env,
    /// A command-line argument (visible in the process listing).
    Argument,
    /// An HTTP header.
    Header,
    /// Part of an address.
    Url,
    /// The password in a connection string.
    ConnectionString,
    /// Inside a shell line.
    ShellLine,
    /// A dotenv file.
    Dotenv,
    /// Another setting of the entry.
    Setting,
}

impl Place {
    /// The place as the JSON contract names it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Env => "env",
            Self::Argument => "argument",
            Self::Header => "header",
            Self::Url => "url",
            Self::ConnectionString => "connection-string",
            Self::ShellLine => "shell-line",
            Self::Dotenv => "dotenv",
            Self::Setting => "setting",
        }
    }
}

crate::text::named!(Place: Env, Argument, Header, Url, ConnectionString, ShellLine, Dotenv, Setting);

/// What a value is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Kind {
    /// A secret in plain text.
    Plaintext,
    /// Names where the secret is kept.
    Reference,
    /// To be filled in by the reader.
    Placeholder,
    /// Public by its kind.
    Public,
}

impl Kind {
    /// The kind as the JSON contract names it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Plaintext => "plaintext",
            Self::Reference => "reference",
            Self::Placeholder => "placeholder",
            Self::Public => "public",
        }
    }
}

crate::text::named!(Kind: Plaintext, Reference, Placeholder, Public);

/// Why a part of a value was judged as it was.
#[derive(Clone, Debug)]
pub enum Why {
    /// It has a format of the company's own.
    Own(Arc<str>),
    /// It has a catalogued format; true when the format's own check holds, false when it fails.
    Format(&'static Format, Option<bool>),
    /// Its name says so.
    Name(NameSays),
    /// It is a private key in PEM form.
    PrivateKey,
    /// It is the password in a connection string or an address.
    Password,
    /// It is the key of a connection string's key-value list.
    ConnectionKey,
    /// It looks random, and nothing else explains it.
    Random,
}

/// A judged part of a value.
#[derive(Clone, Debug)]
pub struct Part {
    /// Byte range in the value.
    pub range: Range<usize>,
    /// What it is.
    pub kind: Kind,
    /// What speaks for that kind: its name, its format, its place.
    pub why: Why,
    /// A well-known default (`postgres`, `admin`) that guards nothing.
    pub trivial: bool,
    /// Only its place speaks for a secret; the value itself could be words.
    pub weak: bool,
    /// The place is part of an address or connection string.
    pub place: Option<Place>,
}

/// The dictionaries that judging needs; made once for a run and shared.
pub struct Lexicon {
    words: Words,
    vocabulary: Vocabulary,
}

impl Default for Lexicon {
    fn default() -> Self {
        Self::with(Vocabulary::default())
    }
}

/// Values longer than this are judged by their first part only.
const MAX_VALUE: usize = 256 * 1024;

impl Lexicon {
    /// With what only the company knows.
    pub fn with(vocabulary: Vocabulary) -> Self {
        Self { words: Words::new(), vocabulary }
    }

    /// What a name says about its value: as the company's policy has it, else by its words.
    pub(crate) fn says(&self, name: &str) -> NameSays {
        let Vocabulary { secret_names, public_names, .. } = &self.vocabulary;
        if !secret_names.is_empty() || !public_names.is_empty() {
            let words = words_of(name);
            if has_words(&words, public_names) {
                return NameSays::Public;
            }
            if has_words(&words, secret_names) {
                return NameSays::Secret;
            }
        }
        name_says(name)
    }

    /// Is a value one to be filled in by the reader?
    fn is_placeholder(&self, value: &str) -> bool {
        let own = &self.vocabulary.placeholders;
        (!own.is_empty() && own.contains(&value.trim().to_lowercase())) || reference::is_placeholder(value, &self.words)
    }

    /// Judges `value`, handed over under `name` (a variable, flag, header or parameter; may be empty).
    /// The parts come in order and do not overlap.
    pub fn judge(&self, name: &str, place: Place, value: &str) -> Vec<Part> {
        let mut parts = Vec::new();
        let value = shape::head(value, MAX_VALUE);
        self.collect(name, place, value, 0, &mut parts, 0);
        parts.sort_by_key(|part| (part.range.start, core::cmp::Reverse(part.range.end)));
        let mut end = 0;
        parts.retain(|part| {
            let keep = part.range.start >= end;
            end = end.max(part.range.end);
            keep
        });
        parts
    }

    fn collect(&self, name: &str, place: Place, value: &str, base: usize, out: &mut Vec<Part>, depth: usize) {
        let trimmed = value.trim();
        if trimmed.is_empty() || depth > 4 {
            return;
        }
        let base = base + (value.len() - value.trim_start().len());
        let value = trimmed;
        let all = base..base + value.len();
        let says = self.says(name);

        // Settings written into one value are judged each under its own name.
        let before = out.len();
        for pair in pairs::pairs(value) {
            let (key, text) =
                (value.get(pair.key).unwrap_or_default(), value.get(pair.value.clone()).unwrap_or_default());
            self.collect(key, place, text, base + pair.value.start, out, depth + 1);
        }
        if out.len() > before {
            return;
        }
        if let Some(block) = shape::private_key(value) {
            return out.push(part(base + block.start..base + block.end, Kind::Plaintext, Why::PrivateKey));
        }
        if shape::is_public_block(value) {
            return;
        }
        if self.by_own_format(value, base, out) || self.by_format(value, base, out) {
            return;
        }
        if self.by_scheme(name, place, value, base, out, depth) {
            return;
        }
        let references = reference::references(value);
        let stored = reference::is_store_address(value);
        if !references.is_empty() || stored {
            return self.with_references((name, says), place, value, base, &references, stored, out, depth);
        }
        let before = out.len();
        self.addresses((name, says), place, value, base, out);
        if out.len() > before || shape::is_address(value) {
            return;
        }
        self.by_name(says, place, value, all, out);
    }

    /// Tokens of the company's own anywhere in the value. True when one was found.
    fn by_own_format(&self, value: &str, base: usize, out: &mut Vec<Part>) -> bool {
        let (mut from, before) = (0, out.len());
        while let Some((range, format)) = self.vocabulary.next(value, from) {
            from = range.end;
            let kind = if format.public { Kind::Public } else { Kind::Plaintext };
            out.push(part(base + range.start..base + range.end, kind, Why::Own(format.name.clone())));
        }
        out.len() > before
    }

    /// Catalogued tokens anywhere in the value. True when one was found.
    fn by_format(&self, value: &str, base: usize, out: &mut Vec<Part>) -> bool {
        let (mut from, mut found) = (0, false);
        while let Some(hit) = first_match(value, from) {
            from = hit.range.end;
            let token = value.get(hit.range.clone()).unwrap_or_default();
            let body = token.get(shape::literal_prefix(hit.format)..).unwrap_or(token);
            let kind = match hit.format.nature {
                // Made to be shown, whatever it is called by.
                Nature::Public => Kind::Public,
                _ if self.is_sample(token, hit.format) => Kind::Placeholder,
                // A format without a telling prefix needs a random body, or a word could be taken for it.
                _ if shape::literal_prefix(hit.format) == 0 && !self.is_random(token) => continue,
                _ if self.words.coverage(body) > 0.75 && hit.checksum != Some(true) => Kind::Placeholder,
                Nature::Secret | Nature::Broad(_) | Nature::Admin => Kind::Plaintext,
            };
            found = true;
            out.push(part(base + hit.range.start..base + hit.range.end, kind, Why::Format(hit.format, hit.checksum)));
        }
        found
    }

    /// `Bearer …`, `Basic …`, `token …`: the scheme is set aside. True when there was one.
    fn by_scheme(&self, name: &str, place: Place, value: &str, base: usize, out: &mut Vec<Part>, depth: usize) -> bool {
        let Some((scheme, rest)) = value.split_once(' ') else { return false };
        let at = base + scheme.len() + 1;
        match scheme.to_ascii_lowercase().as_str() {
            // What is handed over so has no blanks (RFC 6750, 2.1); a sentence that begins with the word has.
            "bearer" | "token" | "apikey" | "api-key" | "key" | "dpop" | "bot" if is_sentence(rest) => false,
            "bearer" | "token" | "apikey" | "api-key" | "key" | "dpop" | "bot" => {
                self.collect(if name.is_empty() { "authorization" } else { "token" }, place, rest, at, out, depth + 1);
                true
            }
            "basic" => {
                let range = at..base + value.len();
                if !reference::references(rest).is_empty() {
                    out.push(part(range, Kind::Reference, Why::Name(NameSays::Password)));
                } else if self.is_placeholder(rest) {
                    out.push(part(range, Kind::Placeholder, Why::Name(NameSays::Password)));
                } else if let Some(login) = shape::basic_login(rest) {
                    let password = login.split_once(':').map_or("", |(_, password)| password);
                    let kind = if self.is_placeholder(password) { Kind::Placeholder } else { Kind::Plaintext };
                    // An empty password with a key as the user's name is a common form.
                    let kind = if password.is_empty() { Kind::Plaintext } else { kind };
                    out.push(part(range, kind, Why::Password));
                }
                true
            }
            _ => false,
        }
    }

    #[expect(clippy::too_many_arguments, reason = "one step of `collect`, with its whole state")]
    fn with_references(
        &self,
        (name, says): (&str, NameSays),
        place: Place,
        value: &str,
        base: usize,
        references: &[Range<usize>],
        stored: bool,
        out: &mut Vec<Part>,
        depth: usize,
    ) {
        // A default written into the reference is what is used where the variable is not set.
        for reference in references {
            if let Some(default) = reference::default_of(value, reference) {
                let text = value.get(default.clone()).unwrap_or_default();
                self.collect(name, place, text, base + default.start, out, depth + 1);
            }
        }
        self.addresses((name, says), place, value, base, out);
        if out.is_empty() && says >= NameSays::Perhaps {
            let range = match references.first() {
                Some(first) if !stored => base + first.start..base + first.end,
                _ => base..base + value.len(),
            };
            out.push(part(range, Kind::Reference, Why::Name(says)));
        }
    }

    /// The credentials in the addresses of a value, and in what is written like one.
    fn addresses(&self, (name, says): (&str, NameSays), place: Place, value: &str, base: usize, out: &mut Vec<Part>) {
        let paths = || place == Place::Url || says >= NameSays::Perhaps || url_parts::is_capability(name, value);
        let paths = value.contains("://") && paths();
        url_parts::collect(self, value, paths, base, out);
    }

    fn by_name(&self, says: NameSays, place: Place, value: &str, all: Range<usize>, out: &mut Vec<Part>) {
        if says == NameSays::Public {
            if !shape::is_plain_setting(value) {
                out.push(part(all, Kind::Public, Why::Name(says)));
            }
            return;
        }
        if says >= NameSays::Secret && self.is_placeholder(value) {
            return out.push(part(all, Kind::Placeholder, Why::Name(says)));
        }
        // Some issuers hand out identifiers as keys: only a name that says so in full makes a secret of one.
        if says >= NameSays::Secret && shape::is_uuid(value) {
            return out.push(Part { weak: true, ..part(all, Kind::Plaintext, Why::Name(says)) });
        }
        // By a number of digits alone a person is let in as well; short ones are switches and counts.
        let digits = value.bytes().all(|byte| byte.is_ascii_digit()) && (6..=32).contains(&value.len());
        if shape::is_no_secret(value) && !(digits && says == NameSays::Password) {
            return;
        }
        match says {
            NameSays::Password if value.chars().count() >= 3 => {
                out.push(Part { trivial: shape::is_trivial(value), ..part(all, Kind::Plaintext, Why::Name(says)) });
            }
            // A name of a thing (`harbour-staging`, `prod/db`) under a token's name is likely the name of a stored secret.
            NameSays::Secret if value.len() >= 8 && !shape::is_identifier_path(value, &self.words) => {
                let weak = self.words.coverage(value) > 0.6 && !value.chars().any(|c| c.is_ascii_digit());
                if weak && value.contains(' ') {
                    return;
                }
                out.push(Part { weak, ..part(all, Kind::Plaintext, Why::Name(says)) });
            }
            NameSays::Perhaps if self.is_random(value) => out.push(part(all, Kind::Plaintext, Why::Name(says))),
            // A header is mostly there to let somebody in, whatever it is called.
            NameSays::Nothing if place == Place::Header && value.len() >= 20 && self.is_random(value) => {
                out.push(Part { weak: true, ..part(all, Kind::Plaintext, Why::Random) });
            }
            NameSays::Nothing if place != Place::Header && self.is_very_random(value) => {
                out.push(Part { weak: true, ..part(all, Kind::Plaintext, Why::Random) });
            }
            NameSays::Nothing
            | NameSays::Perhaps
            | NameSays::Secret
            | NameSays::Password
            | NameSays::Public
            | NameSays::About => {}
        }
    }

    /// Is this catalogued token only a sample of its format, to be replaced by the reader?
    pub(crate) fn is_sample(&self, token: &str, format: &Format) -> bool {
        let body = token.get(shape::literal_prefix(format)..).unwrap_or(token);
        self.is_placeholder(body) || token.contains("EXAMPLE")
    }

    /// Every token of a known form in a text, catalogued or the company's own, but for samples.
    pub(crate) fn tokens(&self, text: &str) -> Vec<(Range<usize>, Why)> {
        let mut out = Vec::new();
        let mut from = 0;
        while let Some((range, format, checksum)) = next_token(text, from) {
            from = range.end;
            if !self.is_sample(text.get(range.clone()).unwrap_or_default(), format) {
                out.push((range, Why::Format(format, checksum)));
            }
        }
        from = 0;
        while let Some((range, format)) = self.vocabulary.next(text, from) {
            from = range.end;
            if !format.public {
                out.push((range, Why::Own(format.name.clone())));
            }
        }
        out.sort_by_key(|(range, _)| (range.start, core::cmp::Reverse(range.end)));
        out.dedup_by(|next, kept| next.0.start < kept.0.end);
        out
    }

    /// Does a value look like made by a generator? For values whose name or place already points that way.
    pub(crate) fn is_random(&self, value: &str) -> bool {
        let length = value.len();
        if length < 12 || !value.bytes().all(|b| b.is_ascii_graphic()) || shape::is_no_secret(value) {
            return false;
        }
        let digits = value.bytes().filter(u8::is_ascii_digit).count();
        let letters = value.bytes().filter(u8::is_ascii_alphabetic).count();
        if shape::is_hex(value) {
            return length >= 24 && digits > 0 && letters > 0;
        }
        let mixed = digits > 0 && letters > 0;
        let unlike_words = self.words.coverage(value) < 0.55 && (letters < 8 || self.words.fluency(value) < -4.55);
        let spread = words::entropy(value) > 0.72 * words::log2(length.min(40) as f64);
        unlike_words && spread && (mixed || (length >= 20 && self.words.fluency(value) < -5.0))
    }

    /// As [`Self::is_random`], where nothing but the value speaks: long, of mixed case and digits, in one piece.
    fn is_very_random(&self, value: &str) -> bool {
        let case = |test: fn(&u8) -> bool| value.bytes().filter(&test).count();
        value.len() >= 28
            && case(u8::is_ascii_lowercase) >= 4
            && case(u8::is_ascii_uppercase) >= 4
            && case(u8::is_ascii_digit) >= 2
            && !shape::is_hex(value)
            && value.bytes().filter(|b| !b.is_ascii_alphanumeric()).count() * 8 <= value.len()
            && !value.contains(['/', '\\', ':', '@', ',', ' '])
            && self.is_random(value)
    }
}

/// The next catalogued secret in a text at or after `from`, whatever stands around it: its place, its format, and whether its
/// own check holds. Formats without a telling prefix are not looked for, since any word could be one.
pub(crate) fn next_token(text: &str, from: usize) -> Option<(Range<usize>, &'static Format, Option<bool>)> {
    first_telling(text, from).map(|hit| (hit.range, hit.format, hit.checksum))
}

/// Words with blanks between them, and nothing that stands for another value.
fn is_sentence(text: &str) -> bool {
    text.split_whitespace().count() > 2 && references(text).is_empty()
}

fn part(range: Range<usize>, kind: Kind, why: Why) -> Part {
    Part { range, kind, why, trivial: false, weak: false, place: None }
}

#[cfg(test)]
mod shape_tests;
#[cfg(test)]
mod tests;
