//! Lines of a stdio server: one message a line, UTF-8, no line end inside (`protocol.md`, 1.9).

/// A line that came.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Line {
    /// All of it, without its end.
    Whole(Vec<u8>),
    /// One over the bound; so many bytes of it were dropped.
    TooLong(usize),
}

/// Cuts what a server writes into lines.
#[derive(Debug)]
pub struct Lines {
    bound: usize,
    kept: Vec<u8>,
    /// How long the line is so far, kept or not.
    length: usize,
}

impl Lines {
    /// Begins; a line of more bytes than `bound` is dropped and told. `kept.len() <= bound` holds at all times.
    pub fn new(bound: usize) -> Self {
        Self { bound, kept: Vec::new(), length: 0 }
    }

    /// Takes bytes; answers the lines that end in them. Empty lines are none.
    pub fn push(&mut self, bytes: &[u8]) -> Vec<Line> {
        let mut out = Vec::new();
        let mut pieces = bytes.split(|byte| *byte == b'\n').peekable();
        while let Some(piece) = pieces.next() {
            let room = self.bound.saturating_sub(self.kept.len());
            self.kept.extend_from_slice(piece.get(..room.min(piece.len())).unwrap_or_default());
            self.length += piece.len();
            // The last piece has no end yet.
            if pieces.peek().is_some() {
                out.extend(self.end());
            }
        }
        out
    }

    /// What stands there without an end, when the stream has ended.
    pub fn end(&mut self) -> Option<Line> {
        let (length, mut line) = (core::mem::take(&mut self.length), core::mem::take(&mut self.kept));
        if length > self.bound {
            return Some(Line::TooLong(length));
        }
        if line.last() == Some(&b'\r') {
            line.pop();
        }
        (!line.is_empty()).then_some(Line::Whole(line))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn cut(bound: usize, pieces: &[&str]) -> Vec<Line> {
        let mut lines = Lines::new(bound);
        let mut out: Vec<Line> = pieces.iter().flat_map(|piece| lines.push(piece.as_bytes())).collect();
        out.extend(lines.end());
        out
    }

    fn whole(text: &str) -> Line {
        Line::Whole(text.as_bytes().to_vec())
    }

    #[test]
    fn lines_are_cut_wherever_the_bytes_are() {
        for (pieces, want) in [
            (vec!["{}\n[]\n"], vec![whole("{}"), whole("[]")]),
            (vec!["{", "}\r", "\n", "\n\n", "x"], vec![whole("{}"), whole("x")]),
            (vec!["123456789\nok\n"], vec![Line::TooLong(9), whole("ok")]),
            (vec!["12345", "6789", "\nok"], vec![Line::TooLong(9), whole("ok")]),
            (vec!["12345678\n"], vec![whole("12345678")]),
            (vec![""], vec![]),
        ] {
            assert_eq!(cut(8, &pieces), want, "{pieces:?}");
        }
    }

    proptest! {
        #[test]
        fn how_the_bytes_come_makes_no_difference(text in "[ab\n\r]{0,60}", at in 0usize..60) {
            let at = at.min(text.len());
            let (left, right) = text.split_at(at);
            prop_assert_eq!(cut(8, &[left, right]), cut(8, &[&text]));
        }
    }
}
