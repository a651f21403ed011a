//! Questions and answers, a line each: on a terminal, over a slow connection, or from a script.

use std::io::{self, BufRead, Write};
use tsuba_core::judge::pattern_redactor;

/// Asks and reads.
pub(crate) struct Dialog<I, O> {
    input: I,
    /// Are the answers to be seen behind their questions? A terminal shows them itself.
    echo: bool,
    /// Where the questions go.
    pub(crate) out: O,
}

/// A longer answer is nobody's.
const MAX_ANSWER_BYTES: u64 = 4096;

impl<I: BufRead, O: Write> Dialog<I, O> {
    pub(crate) fn new(input: I, echo: bool, out: O) -> Self {
        Self { input, echo, out }
    }

    /// The answer to a question; `None` where there are no more answers.
    pub(crate) fn ask(&mut self, question: &str) -> io::Result<Option<String>> {
        write!(self.out, "{question} ")?;
        self.out.flush()?;
        let mut line = Vec::new();
        let read = io::Read::take(&mut self.input, MAX_ANSWER_BYTES).read_until(b'\n', &mut line)?;
        if read == 0 {
            writeln!(self.out)?;
            return Ok(None);
        }
        if line.last() != Some(&b'\n') {
            // The rest of a line that is too long is no answer to the next question.
            self.input.skip_until(b'\n')?;
        }
        let answer = String::from_utf8_lossy(&line).trim().to_owned();
        if self.echo {
            writeln!(self.out, "{}", pattern_redactor().clean(&answer))?;
        }
        Ok(Some(answer))
    }
}
