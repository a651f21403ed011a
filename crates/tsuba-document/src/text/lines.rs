//! From byte offsets to lines and columns.

use crate::prelude::*;

/// A line and a column, both from 1. The column counts characters (Unicode scalar values), as editors do, not bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Position {
    /// Line, from 1.
    pub line: u32,
    /// Column in characters, from 1.
    pub column: u32,
}

/// Where each line of a text begins. `\n`, `\r\n` and a lone `\r` end a line.
#[derive(Clone, Debug)]
pub struct Lines {
    starts: Vec<u32>,
    /// How many bytes before each block of the text continue a character; empty where every character is one byte.
    /// Without it a column in a file of one long line costs a walk over the line, for each finding in it.
    continued: Vec<u32>,
}

/// Bytes in a block.
const BLOCK: usize = 1024;

impl Lines {
    /// Finds the lines of `text`.
    pub fn new(text: &str) -> Self {
        let bytes = text.as_bytes();
        let mut starts = vec![0];
        for (at, byte) in bytes.iter().enumerate() {
            let ends = match byte {
                b'\n' => true,
                b'\r' => bytes.get(at + 1) != Some(&b'\n'),
                _ => false,
            };
            if ends {
                starts.push(u32::try_from(at + 1).unwrap_or(u32::MAX));
            }
        }
        let mut continued = Vec::new();
        if !text.is_ascii() {
            let mut count = 0_u32;
            for block in bytes.chunks(BLOCK) {
                continued.push(count);
                count += clamp(block.iter().filter(|b| is_continuation(**b)).count());
            }
            continued.push(count);
        }
        Self { starts, continued }
    }

    /// How many bytes before `offset` continue a character.
    fn continued_before(&self, bytes: &[u8], offset: usize) -> usize {
        let Some(before) = self.continued.get(offset / BLOCK) else { return 0 };
        let block = bytes.get(offset / BLOCK * BLOCK..offset).unwrap_or_default();
        *before as usize + block.iter().filter(|b| is_continuation(**b)).count()
    }

    /// The position of the byte at `offset`; an offset past the end is the end.
    pub fn position(&self, text: &str, offset: usize) -> Position {
        let offset = offset.min(text.len());
        let line = self.starts.partition_point(|start| *start as usize <= offset).max(1);
        let start = self.starts.get(line - 1).map_or(0, |s| *s as usize);
        let bytes = text.as_bytes();
        let continued = self.continued_before(bytes, offset) - self.continued_before(bytes, start);
        let column = (offset - start).saturating_sub(continued);
        Position { line: clamp(line), column: clamp(column + 1) }
    }

    /// The text of a line (from 1), without its line end; empty when there is no such line.
    pub fn line<'t>(&self, text: &'t str, line: u32) -> &'t str {
        let range = self.range(text, line);
        text.get(range).unwrap_or_default()
    }

    /// The byte range of a line (from 1), without its line end.
    pub fn range(&self, text: &str, line: u32) -> core::ops::Range<usize> {
        let index = (line as usize).saturating_sub(1);
        let Some(start) = self.starts.get(index).map(|s| *s as usize) else { return text.len()..text.len() };
        let mut end = self.starts.get(index + 1).map_or(text.len(), |s| *s as usize);
        while end > start && matches!(text.as_bytes().get(end - 1), Some(b'\n' | b'\r')) {
            end -= 1;
        }
        start..end
    }
}

fn is_continuation(byte: u8) -> bool {
    byte & 0b1100_0000 == 0b1000_0000
}

fn clamp(n: usize) -> u32 {
    u32::try_from(n).unwrap_or(u32::MAX)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn positions_count_characters_and_every_kind_of_line_end() {
        let text = "ab\r\ncäd\re\nf";
        let lines = Lines::new(text);
        for (offset, line, column) in [(0, 1, 1), (2, 1, 3), (4, 2, 1), (7, 2, 3), (9, 3, 1), (11, 4, 1), (99, 4, 2)] {
            assert_eq!(lines.position(text, offset), Position { line, column }, "offset {offset}");
        }
        let long = format!("x\n{}", "aä".repeat(3_000));
        let lines_of_long = Lines::new(&long);
        for (count, _) in long.get(2..).unwrap().char_indices().enumerate().map(|(n, (at, _))| (n, at)).step_by(97) {
            let at = 2 + count / 2 * 3 + count % 2;
            let want = Position { line: 2, column: u32::try_from(count + 1).unwrap() };
            assert_eq!(lines_of_long.position(&long, at), want, "character {count}");
        }
        assert_eq!(lines.line(text, 1), "ab");
        assert_eq!(lines.line(text, 2), "cäd");
        assert_eq!(lines.line(text, 4), "f");
        assert_eq!(lines.line(text, 5), "");
    }
}
