//! The words of a command line, each with the place of every letter, and its commands.

use super::mapped::Mapped;
use crate::prelude::*;
use crate::text::Span;
use core::ops::Range;

/// How quotes and escapes are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) enum Dialect {
    /// POSIX shells (POSIX.1-2024, Shell Command Language, 2.2).
    #[default]
    Posix,
    /// PowerShell: the grave accent escapes, and a quote that is written twice.
    PowerShell,
    /// The command interpreter of Windows: only double quotes, in which a backslash escapes a quote.
    Batch,
}

impl Dialect {
    /// Of what stands behind a fence, or of a file's ending.
    pub(super) fn named(name: &str) -> Self {
        match name.to_ascii_lowercase().as_str() {
            "powershell" | "pwsh" | "ps1" | "psm1" => Self::PowerShell,
            "bat" | "batch" | "cmd" | "dos" => Self::Batch,
            _ => Self::Posix,
        }
    }

    /// What escapes, and continues a line at its end.
    pub(super) fn escape(self) -> char {
        match self {
            Self::Posix => '\\',
            Self::PowerShell => '`',
            Self::Batch => '^',
        }
    }

    fn quotes(self, c: char) -> bool {
        c == '"' || c == '\'' && self != Self::Batch
    }
}

/// A word of a line, and where it stands with its quotes.
#[derive(Clone, Debug, Default)]
pub(super) struct Word {
    /// Its text without quotes and escapes, and where each part of it is written.
    mapped: Mapped,
    /// Where it is written, with its quotes.
    pub(super) range: Range<usize>,
}

impl Word {
    /// A word that is not written so, at the place of what it stands for.
    pub(super) fn made(text: &str, at: Span) -> Self {
        let mut mapped = Mapped::default();
        mapped.push_as(text, at.range());
        Self { mapped, range: at.range() }
    }

    pub(super) fn text(&self) -> &str {
        &self.mapped.text
    }

    pub(super) fn span(&self) -> Span {
        Span::new(self.range.start, self.range.end)
    }

    /// Where a part of its text is written.
    pub(super) fn place(&self, part: Range<usize>) -> Span {
        self.mapped.place(Span::new(part.start, part.end))
    }
}

/// Where these words stand, together.
pub(super) fn whole(words: &[Word]) -> Option<Span> {
    words.first().zip(words.last()).map(|(first, last)| Span::new(first.range.start, last.range.end))
}

/// The words of a line that is written from `from` on.
pub(super) fn words(line: &str, from: usize) -> Vec<Word> {
    split(line, from, Dialect::Posix, false).into_iter().flatten().collect()
}

/// The commands of a script's line, or of several that are one: what stands between `&&`, `||`, `;`, `|`, `&`, parentheses. Comments are left out,
/// and what stands behind a redirection.
pub(super) fn commands(line: &str, from: usize, dialect: Dialect) -> Vec<Vec<Word>> {
    split(line, from, dialect, true)
}

fn split(line: &str, from: usize, dialect: Dialect, operators: bool) -> Vec<Vec<Word>> {
    let mut out: Vec<Vec<Word>> = vec![Vec::new()];
    let (mut current, mut quote, mut dropped): (Option<Word>, Option<char>, bool) = (None, None, false);
    let mut chars = line.char_indices().peekable();
    while let Some((at, c)) = chars.next() {
        let ends = quote.is_none() && (c.is_whitespace() || operators && is_operator(c, dialect));
        if ends {
            let word = current.take().filter(|word| !word.text().is_empty() && !dropped);
            if let Some(command) = out.last_mut() {
                command.extend(word);
            }
            match c {
                '>' | '<' => dropped = true,
                // Between the two arrows of `<<` or behind `>&` it is still the same.
                '&' if dropped && line.get(..at).is_some_and(|before| before.ends_with(['>', '<'])) => {}
                _ if c.is_whitespace() && c != '\n' => {}
                _ if operators => {
                    dropped = false;
                    out.push(Vec::new());
                }
                _ => {}
            }
            continue;
        }
        if operators && quote.is_none() && current.is_none() && c == '#' && dialect != Dialect::Batch {
            while chars.next_if(|(_, c)| *c != '\n').is_some() {}
            continue;
        }
        let start = from + at..from + at;
        let word = current.get_or_insert_with(|| Word { mapped: Mapped::default(), range: start });
        let mut end = at + c.len_utf8();
        let next = chars.peek().copied();
        match (quote, c) {
            // PowerShell writes a quote within quotes twice.
            (Some(open), _) if c == open && dialect == Dialect::PowerShell && next.is_some_and(|(_, n)| n == c) => {
                chars.next();
                end += c.len_utf8();
                word.mapped.push_as(c.encode_utf8(&mut [0; 4]), from + at..from + end);
            }
            (Some(open), _) if c == open => quote = None,
            (None, _) if dialect.quotes(c) => quote = Some(c),
            (None | Some('"'), _)
                if c == dialect.escape()
                    || c == '\\'
                        && quote.is_some()
                        && dialect == Dialect::Batch
                        && next.is_some_and(|(_, n)| n == '"') =>
            {
                if let Some((next, escaped)) = chars.next() {
                    end = next + escaped.len_utf8();
                    // A line that goes on is one line.
                    if escaped == '\r' && chars.next_if(|(_, c)| *c == '\n').is_some() {
                        end += 1;
                    } else if escaped != '\n' {
                        word.mapped.push_as(escaped.encode_utf8(&mut [0; 4]), from + at..from + end);
                    }
                }
            }
            _ => word.mapped.push(line.get(at..end).unwrap_or_default(), from + at),
        }
        word.range.end = from + end;
    }
    if let Some(command) = out.last_mut() {
        command.extend(current.filter(|word| !word.text().is_empty() && !dropped));
    }
    out.retain(|command| !command.is_empty());
    out
}

fn is_operator(c: char, dialect: Dialect) -> bool {
    matches!(c, '&' | '|' | '>' | '<' | '(' | ')') || matches!(c, ';' | '{' | '}') && dialect != Dialect::Batch
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn commands_are_told_apart_in_every_dialect() {
        let told = |line: &str, dialect| -> Vec<Vec<String>> {
            let each = |words: Vec<Word>| words.iter().map(|word| word.text().to_owned()).collect();
            commands(line, 0, dialect).into_iter().map(each).collect()
        };
        for (line, dialect, want) in [
            ("a 'b c' \"d\\\"e\" f\\ g # h", Dialect::Posix, &[&["a", "b c", "d\"e", "f g"][..]][..]),
            ("a && b; c | d > /dev/null 2>&1 & e", Dialect::Posix, &[&["a"], &["b"], &["c"], &["d"], &["e"]]),
            ("a \\\n  b\nc", Dialect::Posix, &[&["a", "b"], &["c"]]),
            ("a `\r\n  'b''c' \"d`\"e\" C:\\f", Dialect::PowerShell, &[&["a", "b'c", "d\"e", "C:\\f"]]),
            ("a ^\r\n b \"{\\\"c\\\": 1}\" C:\\d it's", Dialect::Batch, &[&["a", "b", "{\"c\": 1}", "C:\\d", "it's"]]),
            ("if (a) { b }", Dialect::PowerShell, &[&["if"], &["a"], &["b"]]),
            ("a > f b", Dialect::Posix, &[&["a"]]),
        ] {
            assert_eq!(told(line, dialect), want, "{line}");
        }
        let line = "a \"{\\\"b\\\": 1}\"";
        let word = &words(line, 0)[1];
        assert_eq!((word.text(), &line[word.place(2..3).range()]), ("{\"b\": 1}", "b"));
    }
}
