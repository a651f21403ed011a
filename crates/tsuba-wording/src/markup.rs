//! HTML and Markdown that a page does not show: comments, hidden elements, link definitions, text pushed out of sight by space.

use super::revealed::{How, Revealed};
use crate::prelude::*;
use tsuba_document::text::{boundary, head};

/// Finds it.
pub(super) fn find(text: &str, out: &mut Vec<Revealed>) {
    if text.contains('<') {
        between(text, "<!--", "-->", out);
        elements(text, out);
    }
    if text.contains(']') && (text.contains("[//]:") || text.contains("[comment]:") || text.contains("[_]:")) {
        definitions(text, out);
    }
}

fn between(text: &str, open: &str, close: &str, out: &mut Vec<Revealed>) {
    let mut from = 0;
    while let Some(at) = text.get(from..).and_then(|t| t.find(open)).map(|n| from + n) {
        let start = at + open.len();
        // A comment that is never closed hides the rest.
        let end = text
            .get(start..)
            .and_then(|t| t.find(close))
            .map_or_else(|| boundary(text, start + MAX_OPEN), |n| start + n);
        let said = text.get(start..end).unwrap_or_default().trim();
        out.push(Revealed {
            range: at..(end + close.len()).min(text.len()),
            text: said.to_owned(),
            how: How::Comment,
            deliberate: false,
        });
        from = end;
        if out.len() > super::revealed::MAX_PARTS {
            break;
        }
    }
}

/// An element that is never closed is read so far (bytes).
const MAX_OPEN: usize = 4096;

/// Elements whose attributes hide what is in them, or that no page shows.
fn elements(text: &str, out: &mut Vec<Revealed>) {
    let mut open = BTreeSet::new();
    let mut from = 0;
    while let Some(at) = text.get(from..).and_then(|t| t.find('<')).map(|n| from + n) {
        from = at + 1;
        let rest = text.get(from..).unwrap_or_default();
        let name: String = rest.chars().take_while(char::is_ascii_alphanumeric).take(24).collect();
        let window = head(rest, 2048);
        let Some(closing) = window.find('>').filter(|_| !name.is_empty()) else { continue };
        let attributes = window.get(name.len()..closing).unwrap_or_default();
        let lower = name.to_ascii_lowercase();
        let unshown = matches!(lower.as_str(), "script" | "style" | "template" | "noscript" | "meta" | "head");
        if !(unshown || hides(attributes)) {
            continue;
        }
        let start = from + closing + 1;
        let close = format!("</{name}");
        // A name that is not closed here is not closed further on: it is looked for once.
        let closed = if open.contains(&close) {
            None
        } else {
            text.get(start..).and_then(|t| t.find(&close)).map(|n| start + n)
        };
        if closed.is_none() {
            open.insert(close);
        }
        // A tag that is only spoken of is never closed.
        // What is never closed hides what follows; a page's worth of it is enough.
        let Some(end) = closed.or((!unshown).then_some(boundary(text, start + MAX_OPEN))) else { continue };
        let said = text.get(start..end).unwrap_or_default().trim();
        if !said.is_empty() {
            out.push(Revealed { range: at..end, text: said.to_owned(), how: How::Hidden, deliberate: !unshown });
        }
        if out.len() > super::revealed::MAX_PARTS {
            break;
        }
    }
}

fn hides(attributes: &str) -> bool {
    let plain: String =
        attributes.chars().filter(|c| !c.is_whitespace() || *c == ' ').collect::<String>().to_ascii_lowercase();
    let tight: String = plain.chars().filter(|c| *c != ' ').collect();
    let styles = [
        "display:none",
        "visibility:hidden",
        "opacity:0;",
        "opacity:0\"",
        "opacity:0'",
        "font-size:0",
        "font-size:1px",
        "color:white",
        "color:#fff",
        "color:transparent",
        "left:-999",
        "text-indent:-999",
        "max-height:0",
        "height:0",
        "width:0",
        "clip:rect(0",
    ];
    styles.iter().any(|style| tight.contains(style))
        || plain.split([' ', '=']).any(|word| word == "hidden")
        || tight.contains("aria-hidden=\"true\"")
        || tight.contains("class=\"sr-only\"")
}

/// `[//]: # (text)`: a link definition used as a comment (CommonMark, 4.7).
fn definitions(text: &str, out: &mut Vec<Revealed>) {
    let mut from = 0;
    for line in text.split_inclusive('\n') {
        let trimmed = line.trim();
        if ["[//]:", "[comment]:", "[_]:"].iter().any(|open| trimmed.starts_with(open)) {
            let said = trimmed.split_once(':').map_or("", |(_, rest)| rest).trim_start_matches([' ', '#', '<', '>']);
            let said = said.trim_matches(['(', ')', '"', '\'']);
            out.push(Revealed {
                range: from..from + line.trim_end().len(),
                text: said.to_owned(),
                how: How::Comment,
                deliberate: false,
            });
        }
        from += line.len();
    }
}

/// Empty lines, or empty columns, after which a text goes on: a window shows only what stands before.
const LINES: usize = 25;
const COLUMNS: usize = 160;

/// Finds text that stands behind a window's worth of white space.
pub(super) fn space(text: &str, out: &mut Vec<Revealed>) {
    // So much empty space holds eight bytes of it in a row that begin at a multiple of eight.
    let empty = |byte: &u8| byte.is_ascii_whitespace() | (*byte >= 0x80);
    if !text.as_bytes().chunks_exact(8).any(|block| block.iter().fold(true, |all, byte| all & empty(byte))) {
        return;
    }
    let (mut from, mut lines, mut columns, mut at) = (0, 0, 0, 0);
    while let Some(byte) = text.as_bytes().get(at) {
        let (blank, width) = match byte {
            b'\n' => {
                (lines, columns, at) = (lines + 1, 0, at + 1);
                continue;
            }
            0x80.. => {
                text.get(at..).and_then(|t| t.chars().next()).map_or((false, 1), |c| (c.is_whitespace(), c.len_utf8()))
            }
            byte => (byte.is_ascii_whitespace(), 1),
        };
        if blank {
            (columns, at) = (columns + 1, at + width);
            continue;
        }
        if (lines >= LINES || columns >= COLUMNS) && from > 0 {
            let said = head(text.get(at..).unwrap_or_default(), 4096).to_owned();
            out.push(Revealed { range: from..text.len(), text: said, how: How::Space, deliberate: false });
            return;
        }
        at += width;
        (from, lines, columns) = (at, 0, 0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(text: &str) -> Vec<(How, String)> {
        crate::revealed::describe(
            |text, out| {
                find(text, out);
                space(text, out);
            },
            text,
        )
    }

    #[test]
    fn what_a_page_does_not_show_is_read() {
        let far = format!("Tides.{}more", "\n".repeat(40));
        let wide = format!("Tides.{}more", " ".repeat(300));
        for (text, how, said) in [
            ("a <!-- be still --> b", How::Comment, "be still"),
            ("a <!-- never closed", How::Comment, "never closed"),
            ("<span style=\"display: none\">be still</span>", How::Hidden, "be still"),
            ("<div hidden>be still</div>", How::Hidden, "be still"),
            ("<p style='font-size:0px'>be still", How::Hidden, "be still"),
            ("x\n[//]: # (be still)\ny", How::Comment, "be still"),
            (far.as_str(), How::Space, "more"),
            (wide.as_str(), How::Space, "more"),
        ] {
            assert_eq!(found(text), vec![(how, said.to_owned())], "{text}");
        }
    }

    #[test]
    fn what_is_shown_is_left_alone() {
        for text in [
            "a < b and b > c",
            "<b>bold</b>",
            "<important_notes>x</important_notes>",
            "a\n\nb",
            "[tides]: https://tides.example",
            "<hidden_depth>3</hidden_depth>",
            "all <script> tags are removed",
        ] {
            assert_eq!(found(text), vec![], "{text}");
        }
    }
}
