//! What a file that sets up tool servers assigns besides: the variables of a pipeline or a container, of the program around a call, and what was
//! commented out. Whoever has the file has all of it.

use super::credential::{Kind, Lexicon, NameSays, Place};
use super::deploy::Made;
use super::entry::{Credential, Entry};
use super::entry_credentials::judge;
use super::setup::{Found, SetupKind};
use crate::prelude::*;
use crate::read::{Document, Node, Notation, Value};
use crate::text::{Located, Pointer, Span, boundary, head};
use core::ops::Range;

/// What follows behind so many bytes of a file is searched only inside its entries.
const MAX_SEARCHED_BYTES: usize = 8 << 20;
/// More assignments of one file are not looked at.
const MAX_ASSIGNED: usize = 1_000;
/// A longer name (bytes) is none.
const MAX_NAME_BYTES: usize = 64;
/// A longer value (bytes) is none.
const MAX_VALUE_BYTES: usize = 512;
/// In front of the name of a line's assignment stands no more (bytes): blanks, the sign of a comment.
const MAX_LEAD_BYTES: usize = 256;
/// Around the sign stand at most so many blanks.
const MAX_BLANKS: usize = 8;

/// The secrets that a document assigns beside its entries; `loose` are those of it that are known already.
pub(super) fn credentials(
    document: &Document,
    (found, built): (&Found<'_>, &[Made]),
    (entries, loose): (&[Entry], &[Credential]),
    lexicon: &Lexicon,
) -> Vec<Credential> {
    let sets_up =
        matches!(found.kind, SetupKind::Client | SetupKind::Script | SetupKind::Snippet) && !entries.is_empty();
    let place = match document.notation {
        Notation::Dotenv => Place::Dotenv,
        _ if sets_up => Place::Setting,
        _ => return Vec::new(),
    };
    // What belongs to an entry or is a line of its own was judged as that.
    let own = entries.iter().flat_map(|entry| &entry.credentials).chain(loose);
    let mut known: Vec<Span> = own.map(|credential| credential.value.span).collect();
    let servers = found.servers.iter().map(|server| server.node).chain(built.iter().map(|made| &made.node));
    let lines = document.roots.iter().filter(|_| place == Place::Dotenv);
    servers
        .chain(found.inputs.iter().map(|(_, inputs)| *inputs))
        .chain(lines)
        .for_each(|node| leaves(node, &mut known));
    known.sort_unstable();
    assigned(&document.text, &known, place, lexicon)
}

/// Where the texts of a node stand.
fn leaves(node: &Node, out: &mut Vec<Span>) {
    match &node.value {
        Value::Map(members) => members.iter().for_each(|member| leaves(&member.value, out)),
        Value::List(items) => items.iter().for_each(|item| leaves(item, out)),
        _ => out.push(node.span),
    }
}

/// Secrets that a text assigns to a name that says so, where nobody has looked yet: `known`, sorted.
fn assigned(source: &str, known: &[Span], place: Place, lexicon: &Lexicon) -> Vec<Credential> {
    let is_known = |range: &Range<usize>| {
        let next = known.partition_point(|span| (span.end as usize) <= range.start);
        known.get(next).is_some_and(|span| (span.start as usize) < range.end)
    };
    let searched = head(source, MAX_SEARCHED_BYTES);
    let signs = memchr::memchr2_iter(b'=', b':', searched.as_bytes());
    let new = signs.filter_map(|at| assignment(source, at)).filter(|(_, value)| !is_known(value));
    let mut out = Vec::new();
    for (name, value) in new.filter(|(name, _)| lexicon.says(name) >= NameSays::Secret).take(MAX_ASSIGNED) {
        let text = source.get(value.clone()).unwrap_or_default().to_owned();
        let value = Located { text, span: Span::new(value.start, value.end), pointer: Pointer::root() };
        judge(source, lexicon, name, place, &value, &mut out);
    }
    // Here the place says nothing for a secret.
    out.retain(|found| found.kind == Kind::Plaintext && !found.weak && !found.trivial);
    out
}

/// The name before a sign, and where the value behind it stands.
fn assignment(source: &str, at: usize) -> Option<(&str, Range<usize>)> {
    let bytes = source.as_bytes();
    let sign = *bytes.get(at)?;
    let next = bytes.get(at + 1).copied().unwrap_or(b'\n');
    // `==`, `=>`, `::`, `://`, `:=` (whose second sign is met by itself)
    if matches!((sign, next), (b'=', b'=' | b'>' | b'~') | (b':', b':' | b'/' | b'=')) {
        return None;
    }
    let before = source.get(..at)?;
    let before = match (sign, before.as_bytes().last()) {
        (b'=', Some(b':' | b'?')) => before.get(..at - 1)?,
        (b'=', Some(b'=' | b'!' | b'<' | b'>' | b'+' | b'~')) | (b':', Some(b':')) => return None,
        _ => before,
    };
    let blanks = |text: &str| text.len() - text.trim_end_matches([' ', '\t']).len();
    let apart = blanks(before);
    let head = before.get(..before.len() - apart).filter(|_| apart <= MAX_BLANKS)?;
    // `"name":`, `env["NAME"] =`
    let bare = head.strip_suffix(']').unwrap_or(head);
    let quote = bare.chars().next_back().filter(|c| matches!(c, '"' | '\''));
    let bare = quote.map_or(bare, |c| bare.strip_suffix(c).unwrap_or(bare));
    let is_named = |byte: u8| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'-' | b'.') || byte >= 0x80;
    let length = bare.bytes().rev().take(MAX_NAME_BYTES + 1).take_while(|byte| is_named(*byte)).count();
    let start = bare.len().checked_sub(length)?;
    let name = bare.get(start..).filter(|name| name.len() > 1 && name.len() <= MAX_NAME_BYTES)?;
    let lead = bare.get(..start)?;
    if quote.is_some_and(|c| !lead.ends_with(c)) {
        return None;
    }
    let rest = source.get(at + 1..)?;
    let gap = rest.len() - rest.trim_start_matches([' ', '\t']).len();
    let value = rest.get(gap..).filter(|_| gap <= MAX_BLANKS)?;
    let from = at + 1 + gap;
    if let Some(open) = value.chars().next().filter(|c| matches!(c, '"' | '\'' | '`')) {
        let inside = value.get(1..)?;
        let end = inside.bytes().take(MAX_VALUE_BYTES).position(|byte| byte == open as u8 || byte == b'\n')?;
        let text = inside.get(..end).filter(|text| !text.contains('\\'))?;
        return inside
            .as_bytes()
            .get(end)
            .filter(|byte| **byte == open as u8)
            .map(|_| (name, from + 1..from + 1 + text.len()));
    }
    let is_variable = name.contains('_') || !name.bytes().any(|byte| byte.is_ascii_lowercase());
    let opens_line = || {
        // Whatever stands further in front in its line, the assignment does not open that.
        let near = lead.get(boundary(lead, lead.len().saturating_sub(MAX_LEAD_BYTES))..).unwrap_or(lead);
        let line = near.rsplit_once('\n').map_or(near, |(_, line)| line);
        (line.len() < near.len() || near.len() == lead.len())
            && line.chars().all(|c| c.is_whitespace() || matches!(c, '#' | '/' | '*' | '-' | ';' | '"' | '\''))
    };
    let fits = match sign {
        b'=' if apart == 0 && gap == 0 => is_variable,
        b'=' => is_variable && opens_line(),
        _ => gap > 0 && opens_line(),
    };
    if !fits || value.starts_with(|c: char| "$%<{[(!@*&|>".contains(c)) {
        return None;
    }
    let ends = |byte: u8| byte.is_ascii_whitespace() || b"\"'`,;(){}[]<>".contains(&byte);
    // One that goes on behind the bound is no value: of a part of it the rest would stay in the open.
    let whole = || Some(value.len()).filter(|length| *length <= MAX_VALUE_BYTES);
    let end = value.bytes().take(MAX_VALUE_BYTES).position(ends).or_else(whole)?;
    let called = value.as_bytes().get(end).is_some_and(|byte| b"([{".contains(byte));
    (end > 0 && !called && value.is_char_boundary(end)).then_some((name, from..from + end))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(text: &str) -> Vec<String> {
        let found = assigned(text, &[], Place::Setting, &Lexicon::default());
        found.into_iter().map(|one| format!("{}={}", one.name, &text[one.value.span.range()])).collect()
    }

    #[test]
    fn what_is_assigned_in_passing_is_found_in_every_notation() {
        const SECRET: &str = "q8ZkW2mLxUPw0TyRbN4s";
        for (text, name) in [
            ("  // \"API_KEY\": \"@@\" },", "API_KEY"),
            ("# old login, still works: TIDE_PASSWORD=@@", "TIDE_PASSWORD"),
            ("#TIDE_TOKEN = @@", "TIDE_TOKEN"),
            ("  TIDE_TOKEN: @@\n", "TIDE_TOKEN"),
            ("\"containerEnv\": { \"TIDE_TOKEN\": \"@@\" }", "TIDE_TOKEN"),
            ("os.environ['TIDE_TOKEN'] = '@@'", "TIDE_TOKEN"),
            ("process.env.TIDE_TOKEN = \"@@\";", "process.env.TIDE_TOKEN"),
            ("const apiKey = \"@@\";", "apiKey"),
            ("connect(password=\"@@\")", "password"),
            ("$env:TIDE_TOKEN = '@@'", "TIDE_TOKEN"),
            ("export TIDE_TOKEN=\"@@\"", "TIDE_TOKEN"),
            ("TIDE_TOKEN ?= @@", "TIDE_TOKEN"),
            ("TIDE_TOKEN := @@", "TIDE_TOKEN"),
        ] {
            assert_eq!(told(&text.replace("@@", SECRET)), [format!("{name}={SECRET}")], "{text}");
        }
    }

    #[test]
    fn what_is_no_value_is_not() {
        for text in [
            "# TIDE_TOKEN=<your token>",
            "# TIDE_TOKEN=$(openssl rand -hex 32)",
            "TIDE_TOKEN: ${{ secrets.TIDE_TOKEN }}",
            "TIDE_TOKEN=$TIDE_TOKEN",
            "const apiKey = process.env.TIDE_API_KEY;",
            "token=get_token(q8ZkW2mLxUPw0TyRbN4s)",
            "if token == \"q8ZkW2mLxUPw0TyRbN4s\"",
            "Key => \"q8ZkW2mLxUPw0TyRbN4s\"",
            "the password: it is kept in the vault",
            "\"token_type\": \"bearer\"",
            "\"commit\": \"4e1243bd22c66e76c2ba9eddc1f91394e57f9f83\"",
            "API_KEY=your-api-key-here",
            "https://q8ZkW2mLxUPw0TyRbN4s",
            "token: \"q8ZkW2mLx\nUPw0TyRbN4s\"",
        ] {
            assert!(told(text).is_empty(), "{text}: {:?}", told(text));
        }
    }

    #[test]
    fn a_value_is_taken_whole_or_not_at_all() {
        let long = "q8ZkW2mLxUPw0TyRbN4s".repeat(MAX_VALUE_BYTES / 20);
        assert_eq!(told(&format!("# TIDE_TOKEN={long}")), [format!("TIDE_TOKEN={long}")]);
        for text in [format!("# TIDE_TOKEN={long}{long} b"), format!("# TIDE_TOKEN=\"{long}{long}\"")] {
            assert!(told(&text).is_empty(), "{text}");
        }
    }

    #[test]
    fn what_is_known_is_not_told_again() {
        let text = "TOKEN=q8ZkW2mLxUPw0TyRbN4s";
        assert!(assigned(text, &[Span::new(0, 4), Span::new(6, 12)], Place::Setting, &Lexicon::default()).is_empty());
    }
}
