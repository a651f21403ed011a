//! The layout that all commands have for people: a line with what something is, its name and its place, and labelled lines below it.

use crate::model::OrderRow;
use crate::style::{cut, pad, wrap};
use crate::{RenderOptions, Role};
use std::io::{self, Write};

/// Columns before a label.
pub(crate) const INDENT: usize = 4;
/// Columns of a label.
const LABEL: usize = 8;
/// Columns of what something is, in front of its name.
const STATUS: usize = 9;
/// Texts have at least so many columns, however narrow the terminal is.
const MIN_TEXT: usize = 24;
/// Lines of one labelled text; what goes on is cut.
const MAX_LINES: usize = 8;
/// Stands for a blank at which no line is broken; no text that may be shown has it.
const HELD: &str = "\u{1}";

/// A page that is written from top to bottom. Every text on it may be shown.
pub struct Page<'p> {
    look: RenderOptions,
    out: &'p mut dyn Write,
}

impl<'p> Page<'p> {
    /// An empty one.
    pub fn new(look: RenderOptions, out: &'p mut dyn Write) -> Self {
        Self { look, out }
    }

    /// `status     name  place`, after an empty line.
    ///
    /// # Errors
    /// What the writer says, here and below.
    pub fn head(&mut self, (tint, status): (Role, &str), name: &str, place: &str) -> io::Result<()> {
        let status = self.look.paint(tint, &pad(status, STATUS));
        let (name, place) = (self.look.paint(Role::Name, name), self.look.paint(Role::Quiet, place));
        let line = format!("{status}  {name}  {place}");
        writeln!(self.out, "\n{}", line.trim_end())
    }

    /// `    label    text`, wrapped under its beginning.
    ///
    /// # Errors
    /// As above.
    pub fn row(&mut self, label: &str, text: &str) -> io::Result<()> {
        let width = self.look.width.saturating_sub(INDENT + LABEL + 1).max(MIN_TEXT);
        let lines = wrap(text, width, "");
        for (at, line) in lines.iter().take(MAX_LINES).enumerate() {
            let label = self.look.paint(Role::Quiet, &pad(if at == 0 { label } else { "" }, LABEL));
            let more = if at + 1 == MAX_LINES && lines.len() > MAX_LINES { "…" } else { "" };
            writeln!(self.out, "{}{label} {line}{more}", " ".repeat(INDENT))?;
        }
        Ok(())
    }

    /// What speaks to the model: what it does and where, and the words themselves under that.
    ///
    /// # Errors
    /// As above.
    pub fn order(&mut self, order: &OrderRow) -> io::Result<()> {
        let does: Vec<&str> = order.speaks.iter().map(|one| one.as_str()).collect();
        let place = format!("{}, line {}", order.whereabouts, order.place.line);
        let (width, lead) = (self.look.width.saturating_sub(INDENT).max(MIN_TEXT), " ".repeat(INDENT));
        // What it does and where it stands share a line.
        let place = cut(&place, width.saturating_sub(MIN_TEXT + 2));
        let room = width.saturating_sub(place.chars().count() + 2).max(MIN_TEXT);
        let does = self.look.paint(Role::Name, &cut(&does.join("; "), room));
        writeln!(self.out, "{lead}{does}  {}", self.look.paint(Role::Quiet, &place))?;
        for line in wrap(&format!("“{}”", order.text), width.saturating_sub(2), "").iter().take(MAX_LINES) {
            writeln!(self.out, "{lead}  {line}")?;
        }
        Ok(())
    }

    /// A heading, after an empty line.
    ///
    /// # Errors
    /// As above.
    pub fn heading(&mut self, text: &str) -> io::Result<()> {
        writeln!(self.out, "\n{}", self.look.paint(Role::Heading, text))
    }

    /// A line as it is.
    ///
    /// # Errors
    /// As above.
    pub fn line(&mut self, text: &str) -> io::Result<()> {
        writeln!(self.out, "{text}")
    }

    /// Texts in columns, one line each; the last is wrapped under its beginning, and the others are brought under each other up to `widest`.
    ///
    /// # Errors
    /// As above.
    pub fn columns<const N: usize>(&mut self, rows: &[([String; N], String)], widest: [usize; N]) -> io::Result<()> {
        use unicode_width::UnicodeWidthStr as _;
        let column = |at: usize, most: usize| {
            let widths = rows.iter().filter_map(|(cells, _)| Some(cells.get(at)?.width()));
            widths.filter(|width| *width <= most).max().unwrap_or(0)
        };
        let widths: Vec<usize> = widest.iter().enumerate().map(|(at, most)| column(at, *most)).collect();
        for (cells, last) in rows {
            let padded = cells.iter().zip(&widths).map(|(cell, width)| pad(cell, *width)).collect::<Vec<_>>();
            let lead = format!("{}{}", " ".repeat(INDENT), padded.join("  "));
            let used = lead.width() + 2;
            let room = self.look.width.saturating_sub(used);
            let beside = room >= MIN_TEXT || last.width() <= room;
            let (hang, room) =
                if beside { (used, room) } else { (2 * INDENT, self.look.width.saturating_sub(2 * INDENT)) };
            let mut lines = wrap(last, room.max(MIN_TEXT), "").into_iter();
            if beside {
                let line = format!("{lead}  {}", lines.next().unwrap_or_default());
                writeln!(self.out, "{}", line.trim_end())?;
            } else {
                writeln!(self.out, "{}", lead.trim_end())?;
            }
            lines.try_for_each(|line| writeln!(self.out, "{}{line}", " ".repeat(hang)))?;
        }
        Ok(())
    }
}

/// An error or a note, behind who says it, wrapped under its beginning; lines stay lines. A word longer than a line stays whole: it may be a
/// path that is to be copied, and so does what stands between backticks: it may be a command.
pub fn message(who: &str, text: &str, look: RenderOptions) -> String {
    use unicode_width::UnicodeWidthStr as _;
    let lead = who.width() + 2;
    let width = look.width.saturating_sub(lead).max(MIN_TEXT);
    let options = |text: &str| {
        let own = textwrap::Options::new(width)
            .word_splitter(textwrap::WordSplitter::NoHyphenation)
            .word_separator(textwrap::WordSeparator::AsciiSpace)
            .break_words(false);
        textwrap::wrap(text, own).into_iter().map(|line| line.into_owned()).collect::<Vec<String>>()
    };
    let held = |line: &str| {
        let parts = line.split('`').enumerate();
        let parts = parts.map(|(at, part)| if at % 2 == 1 { part.replace(' ', HELD) } else { part.to_owned() });
        parts.collect::<Vec<_>>().join("`")
    };
    let lines: Vec<String> =
        text.lines().flat_map(|line| options(&held(line.trim_start()))).map(|line| line.replace(HELD, " ")).collect();
    let gap = format!("\n{}", " ".repeat(lead));
    format!("{}: {}", look.paint(Role::Heading, who), lines.join(&gap))
}

#[cfg(test)]
mod tests {
    use super::*;

    const NARROW: RenderOptions = RenderOptions { width: 48, colour: false, most: None, orders: false };

    fn page(write: impl FnOnce(&mut Page<'_>) -> io::Result<()>) -> String {
        let mut out = Vec::new();
        write(&mut Page::new(NARROW, &mut out)).unwrap();
        String::from_utf8(out).unwrap()
    }

    #[test]
    fn texts_are_wrapped_under_their_beginning() {
        let text = page(|page| {
            page.head((Role::Heading, "serious"), "tides", "a/mcp.json")?;
            page.row("change", "the version 2.4.1 has become any version, and the server is another")
        });
        let want = "\nserious    tides  a/mcp.json\n    change   the version 2.4.1 has become any\n             version, and the server is another\n";
        assert_eq!(text, want);
    }

    #[test]
    fn columns_stand_under_each_other_and_the_last_is_wrapped() {
        let row = |name: &str, last: &str| ([name.to_owned()], last.to_owned());
        let rows =
            [row("tides", "asked and answered"), row("berth-board", "answers clients differently; version 2.4.1")];
        let text = page(|page| page.columns(&rows, [20]));
        let want = "    tides        asked and answered\n    berth-board  answers clients differently;\n                 version 2.4.1\n";
        assert_eq!(text, want);
        // Where nothing is left beside a long name the text stands below it.
        let rows = [row("a-server-with-a-name-of-forty-columns", "answers clients differently")];
        let text = page(|page| page.columns(&rows, [60]));
        assert_eq!(text, "    a-server-with-a-name-of-forty-columns\n        answers clients differently\n");
    }

    #[test]
    fn errors_are_wrapped_and_paths_stay_whole() {
        let text =
            message("tsuba", "a/very/long/path/that/is/longer/than/a/line/mcp.json: no such file\nsecond", NARROW);
        assert_eq!(
            text,
            "tsuba: a/very/long/path/that/is/longer/than/a/line/mcp.json:\n       no such file\n       second"
        );
        let text = message("tsuba", "it is not signed: run `tsuba decisions --to-sign | ssh-keygen` first", NARROW);
        assert_eq!(text, "tsuba: it is not signed: run\n       `tsuba decisions --to-sign | ssh-keygen`\n       first");
    }
}
