//! HTML and Markdown that a page does not show: comments, hidden elements, link definitions, text pushed out of sight by space.

use super::revealed::{How, Revealed};
use crate::prelude::*;
use html5gum::emitters::callback::{CallbackEmitter, CallbackEvent};
use html5gum::{Span, Tokenizer};
use tsuba_document::text::{boundary, head};

/// Finds it.
pub(super) fn find(text: &str, out: &mut Vec<Revealed>) {
    if text.contains('<') {
        between(text, "<!--", "-->", How::Comment, out);
        between(text, "<?", "?>", How::Aside, out);
        elements(text, out);
    }
    if text.contains("](") {
        titles(text, out);
    }
    if text.contains(']') && (text.contains("[//]:") || text.contains("[comment]:") || text.contains("[_]:")) {
        definitions(text, out);
    }
}

fn between(text: &str, open: &str, close: &str, how: How, out: &mut Vec<Revealed>) {
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
            how,
            deliberate: false,
        });
        from = end;
        if out.len() > super::revealed::MAX_PARTS {
            break;
        }
    }
}

/// `[table](https://… "a title")`: shown only where a pointer rests on the link (CommonMark, 6.3).
fn titles(text: &str, out: &mut Vec<Revealed>) {
    let mut from = 0;
    while let Some(at) = text.get(from..).and_then(|t| t.find("](")).map(|n| from + n + 2) {
        from = at;
        let inside = head(text.get(at..).unwrap_or_default(), MAX_TAG);
        // An address holds no blank, and one with parentheses is nobody's.
        let Some(space) = inside.find([' ', '\n', '(', ')']) else { continue };
        let rest = inside.get(space..).unwrap_or_default();
        let title = rest.trim_start();
        if title.len() == rest.len() {
            continue;
        }
        let (open, close) = match title.bytes().next() {
            Some(b'"') => ('"', "\")"),
            Some(b'\'') => ('\'', "')"),
            Some(b'(') => ('(', "))"),
            _ => continue,
        };
        let said = title.strip_prefix(open).and_then(|said| said.split_once(close)).map(|(said, _)| said);
        if let Some(said) = said.filter(|said| !said.trim().is_empty()) {
            let start = at + (inside.len() - title.len()) + 1;
            out.push(Revealed {
                range: start..start + said.len(),
                text: said.to_owned(),
                how: How::Aside,
                deliberate: false,
            });
        }
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
    let (mut from, mut failed) = (0, 0);
    while let Some(at) = text.get(from..).and_then(|t| t.find('<')).map(|n| from + n) {
        from = at + 1;
        let rest = text.get(from..).unwrap_or_default();
        let name: String = rest.chars().take_while(char::is_ascii_alphanumeric).take(24).collect();
        if name.is_empty() {
            continue;
        }
        let window = head(text.get(at..).unwrap_or_default(), MAX_TAG);
        let Some(sign) = window.find('>') else { continue };
        // A text full of tags that never end is not read to the bound from each of them.
        let read = if failed < MAX_FAILED { opening(window) } else { Some((as_written(window, sign), sign + 1)) };
        let Some((attributes, closing)) = read else {
            failed += 1;
            continue;
        };
        let lower = name.to_ascii_lowercase();
        let unshown = matches!(lower.as_str(), "script" | "style" | "template" | "noscript" | "meta" | "head");
        if !(unshown || hides(&attributes)) {
            continue;
        }
        let start = at + closing;
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

/// A tag with its attributes is shorter (bytes).
const MAX_TAG: usize = 2048;

/// After so many tags that never end the others are read only to the first sign that closes one.
const MAX_FAILED: usize = 512;

/// The attributes of a tag that ends at `sign`, without a look at its quotes.
fn as_written(window: &str, sign: usize) -> Attributes {
    let inner = window.get(..sign).unwrap_or_default().to_ascii_lowercase();
    let hidden = inner.split_ascii_whitespace().skip(1).find(|word| word.starts_with("hidden"));
    let style = inner.split_once("style").map_or("", |(_, style)| style).trim_matches(['=', '"', '\'', ' ']);
    let named = |name: &str, value: &str| (name.to_owned(), value.to_owned());
    hidden.map(|_| named("hidden", "")).into_iter().chain([named("style", style)]).collect()
}

/// Attributes with their values.
type Attributes = Vec<(String, String)>;

/// The attributes of the tag that a text begins with, as a browser reads them (WHATWG HTML, 13.2.5), and where the tag ends: a sign that stands in
/// quotes closes nothing, and a letter may be written as its number.
fn opening(text: &str) -> Option<(Attributes, usize)> {
    let mut attributes = Attributes::new();
    let plain = |bytes: &[u8]| String::from_utf8_lossy(bytes).to_ascii_lowercase();
    let emitter = CallbackEmitter::new(move |event: CallbackEvent<'_>, span: Span<usize>| match event {
        CallbackEvent::OpenStartTag { .. } | CallbackEvent::Error(_) => None,
        CallbackEvent::AttributeName { name } => {
            attributes.push((plain(name), String::new()));
            None
        }
        CallbackEvent::AttributeValue { value } => {
            if let Some((_, last)) = attributes.last_mut() {
                last.push_str(&plain(value));
            }
            None
        }
        CallbackEvent::CloseStartTag { .. } => Some(Some((core::mem::take(&mut attributes), span.end))),
        _ => Some(None),
    });
    Tokenizer::new_with_emitter(text, emitter).next()?.ok()?
}

fn hides(attributes: &[(String, String)]) -> bool {
    attributes.iter().any(|(name, value)| match name.as_str() {
        "hidden" => true,
        "aria-hidden" => value == "true",
        "class" => value.split_ascii_whitespace().any(|class| class == "sr-only"),
        "style" => value.split(';').any(hides_by),
        _ => false,
    })
}

/// Is it a declaration of a style by which nothing is seen?
fn hides_by(declaration: &str) -> bool {
    let Some((property, value)) = declaration.split_once(':') else { return false };
    let value: String = value.chars().filter(|c| !c.is_whitespace()).collect();
    let value = value.strip_suffix("!important").unwrap_or(&value);
    let digits = value.trim_end_matches(|c: char| c.is_ascii_alphabetic() || c == '%');
    let amount = digits.parse::<f64>().ok();
    let below = |least: f64| amount.is_some_and(|amount| amount < least);
    match property.trim() {
        "display" => value == "none",
        "visibility" => matches!(value, "hidden" | "collapse"),
        "opacity" => below(0.05),
        "font-size" => below(0.05) || value == "1px",
        "color" => matches!(value, "white" | "#fff" | "#ffffff" | "transparent"),
        "left" | "right" | "top" | "text-indent" | "margin-left" => value.starts_with("-999"),
        "max-height" | "height" | "width" | "max-width" => below(0.05),
        "clip" => value.starts_with("rect(0"),
        _ => false,
    }
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
    fn titles_of_links_and_processing_instructions_are_read() {
        for (text, want) in [
            ("See the [table](https://docs.example/t \"be still\").", "be still"),
            ("See [it](/t 'be (very) still') and go on", "be (very) still"),
            ("See [it](/t (be still)).", "be still"),
            ("Gives it. <?model be still?> In metres.", "model be still"),
        ] {
            assert_eq!(found(text), [(How::Aside, want.to_owned())], "{text}");
        }
        for text in ["See the [table](https://docs.example/t) of tides.", "f(a)[0](b c)", "[x](y", "[a](b \"c"] {
            assert_eq!(found(text), [], "{text}");
        }
        let text = "See the [table](https://docs.example/t \"be still\").";
        let mut out = Vec::new();
        find(text, &mut out);
        assert_eq!(out.first().map(|part| &text[part.range.clone()]), Some("be still"));
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
            ("<span title=\">\" style=\"display:none\">be still</span>", How::Hidden, "be still"),
            ("<span style=\"display&#58;none\">be still</span>", How::Hidden, "be still"),
            ("<SPAN STYLE=display:none>be still</SPAN>", How::Hidden, "be still"),
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
            "<span title=\"display:none is a style\">shown</span>",
            "<p style=\"font-size:0.9em;opacity:0.8;max-width:40em\">shown</p>",
            "a <style=\"display:none",
        ] {
            assert_eq!(found(text), vec![], "{text}");
        }
    }
}
