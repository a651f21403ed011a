//! Colours and width. Colour only repeats what the words say.

use anstyle::{AnsiColor, Style};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;

/// How a text may look: decided by the caller, who knows the terminal.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct RenderOptions {
    /// Columns to fill.
    pub width: usize,
    /// May colours be used?
    pub colour: bool,
    /// Only so many entries are told, the worst; all where there is no number, and with none only what a report begins with.
    pub most: Option<usize>,
    /// Is everything listed that speaks to the model?
    pub orders: bool,
}

/// What a piece of text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    /// A verdict.
    Verdict(Verdict),
    /// A severity.
    Severity(Severity),
    /// A name.
    Name,
    /// Something to find one's way by.
    Quiet,
    /// A heading.
    Heading,
}

impl RenderOptions {
    /// Paints a text.
    pub fn paint(self, tint: Role, text: &str) -> String {
        if !self.colour {
            return text.to_owned();
        }
        let style = match tint {
            Role::Verdict(Verdict::Refuse) | Role::Severity(Severity::Critical) => {
                Style::new().bold().fg_color(Some(AnsiColor::Red.into()))
            }
            Role::Verdict(Verdict::FixFirst) => Style::new().bold().fg_color(Some(AnsiColor::Yellow.into())),
            Role::Verdict(Verdict::Unchecked) => Style::new().bold().fg_color(Some(AnsiColor::Cyan.into())),
            Role::Verdict(Verdict::Ready) => Style::new().bold().fg_color(Some(AnsiColor::Green.into())),
            Role::Severity(Severity::High) => Style::new().fg_color(Some(AnsiColor::Red.into())),
            Role::Severity(Severity::Medium) => Style::new().fg_color(Some(AnsiColor::Yellow.into())),
            Role::Severity(Severity::Low | Severity::Note) | Role::Quiet => Style::new().dimmed(),
            Role::Name | Role::Heading => Style::new().bold(),
        };
        format!("{style}{text}{style:#}")
    }
}

/// Cuts a path to a number of columns: its end tells it from others.
pub(crate) fn cut_front(path: &str, columns: usize) -> String {
    use unicode_width::{UnicodeWidthChar as _, UnicodeWidthStr as _};
    if path.width() <= columns {
        return path.to_owned();
    }
    let mut used = 1;
    let fits = |c: &char| {
        used += c.width().unwrap_or(0);
        used <= columns
    };
    let kept: Vec<char> = path.chars().rev().take_while(fits).collect();
    core::iter::once('…').chain(kept.into_iter().rev()).collect()
}

/// Cuts a text to a number of columns, with an ellipsis where something is left out.
pub(crate) fn cut(text: &str, columns: usize) -> String {
    use unicode_width::{UnicodeWidthChar as _, UnicodeWidthStr as _};
    if text.width() <= columns {
        return text.to_owned();
    }
    let mut out = String::new();
    let mut used = 0;
    for c in text.chars() {
        used += c.width().unwrap_or(0);
        if used + 1 > columns {
            break;
        }
        out.push(c);
    }
    out + "…"
}

/// Pads a text with spaces to a number of columns.
pub(crate) fn pad(text: &str, columns: usize) -> String {
    use unicode_width::UnicodeWidthStr as _;
    format!("{text}{}", " ".repeat(columns.saturating_sub(text.width())))
}

/// Breaks a text into lines at spaces only: a package's name must not be torn at its hyphens.
pub(crate) fn wrap(text: &str, width: usize, indent: &'static str) -> Vec<String> {
    let options =
        textwrap::Options::new(width).subsequent_indent(indent).word_splitter(textwrap::WordSplitter::NoHyphenation);
    textwrap::wrap(text, options).into_iter().map(std::borrow::Cow::into_owned).collect()
}
