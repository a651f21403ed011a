//! A unified diff in which no secret stands: a line is shown as it is, or masked by the places of its secrets.

use similar::{ChangeTag, TextDiff};
use std::borrow::Cow;
use std::ops::Range;
use tsuba_core::judge::masked;
use tsuba_core::text::{Redactor, Span};

/// A text and the places of the secrets in it.
pub(crate) struct Side<'s> {
    pub(crate) text: &'s str,
    /// Sorted, apart from each other.
    pub(crate) secrets: &'s [Span],
}

impl Side<'_> {
    /// The ranges of its lines, without their ends.
    fn lines(&self) -> Vec<Range<usize>> {
        let mut at = 0;
        let lines = self.text.split_inclusive('\n').map(|line| {
            let start = at;
            at += line.len();
            start..start + line.trim_end_matches('\n').trim_end_matches('\r').len()
        });
        lines.collect()
    }
}

/// The difference of two texts of a file, and whether something in it is masked: then it cannot be applied.
pub(crate) fn unified(name: &str, before: &Side<'_>, after: &Side<'_>, cleaner: &Redactor) -> (String, bool) {
    // Lines end where a diff's lines end, whatever else a file takes for an end.
    let split = |text: &str| text.split_inclusive('\n').map(str::to_owned).collect::<Vec<_>>();
    let (old, new) = (split(before.text), split(after.text));
    let (old, new): (Vec<&str>, Vec<&str>) =
        (old.iter().map(String::as_str).collect(), new.iter().map(String::as_str).collect());
    let diff = TextDiff::from_slices(&old, &new);
    let (old_lines, new_lines) = (before.lines(), after.lines());
    let mut hidden = false;
    let mut shown = |side: &Side<'_>, range: Option<&Range<usize>>| -> String {
        let Some(range) = range else { return String::new() };
        let raw = side.text.get(range.clone()).unwrap_or_default();
        let clean = cleaner.clean(&masked(side.text, range, side.secrets));
        if clean.as_str() == raw.replace('\t', " ") {
            return raw.to_owned();
        }
        hidden = true;
        clean.as_str().to_owned()
    };
    let mut out = String::new();
    for hunk in diff.unified_diff().iter_hunks() {
        if out.is_empty() {
            out = format!("--- {}\n+++ {}\n", quoted("a/", name, cleaner), quoted("b/", name, cleaner));
        }
        out.push_str(&format!("{}\n", hunk.header()));
        for change in hunk.iter_changes() {
            let line = match change.tag() {
                ChangeTag::Insert => shown(after, change.new_index().and_then(|at| new_lines.get(at))),
                ChangeTag::Delete | ChangeTag::Equal => {
                    shown(before, change.old_index().and_then(|at| old_lines.get(at)))
                }
            };
            let end = if change.value().ends_with("\r\n") { "\r\n" } else { "\n" };
            out.push_str(&format!("{}{line}{end}", change.tag()));
            if change.missing_newline() {
                out.push_str("\\ No newline at end of file\n");
            }
        }
    }
    (out, hidden)
}

/// A file's name as the head of a diff has it: what could end the line, or be taken for something else, is escaped between quotes, as git does.
fn quoted(side: &str, name: &str, cleaner: &Redactor) -> String {
    let clean = cleaner.masker().mask(name);
    let plain = |c: char| !c.is_control() && c != '"' && c != '\\';
    if clean.chars().all(plain) && cleaner.clean(name).as_str() == clean {
        return format!("{side}{clean}");
    }
    let mut out = format!("\"{side}");
    for c in clean.chars() {
        let mut bytes = [0; 4];
        let text = c.encode_utf8(&mut bytes);
        let message: Cow<'_, str> = match c {
            '\n' => "\\n".into(),
            '\t' => "\\t".into(),
            '\r' => "\\r".into(),
            '"' => "\\\"".into(),
            '\\' => "\\\\".into(),
            c if c.is_ascii() && !c.is_control() => text.to_owned().into(),
            _ => text.bytes().map(|byte| format!("\\{byte:03o}")).collect::<String>().into(),
        };
        out.push_str(&message);
    }
    out.push('"');
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use tsuba_core::judge::pattern_redactor;

    fn shown(name: &str, before: &str, after: &str, secret: &str) -> (String, bool) {
        let place =
            |text: &str| text.find(secret).map(|at| Span::new(at, at + secret.len())).filter(|_| !secret.is_empty());
        let (one, other) = (place(before), place(after));
        let side = |text, place: &'static [Span]| Side { text, secrets: place };
        let leak = |place: Option<Span>| -> &'static [Span] { Vec::leak(place.into_iter().collect()) };
        unified(name, &side(before, leak(one)), &side(after, leak(other)), &pattern_redactor())
    }

    #[test]
    fn a_line_is_shown_or_masked_by_place() {
        for (before, after, secret, want, masked) in [
            ("a\nb\n", "a\nc\n", "", "@@ -1,2 +1,2 @@\n a\n-b\n+c\n", false),
            (
                "a\r\nb",
                "a\r\nc",
                "",
                "@@ -1,2 +1,2 @@\n a\r\n-b\n\\ No newline at end of file\n+c\n\\ No newline at end of file\n",
                false,
            ),
            ("k: ab\nb\n", "k: ab\nc\n", "ab", "@@ -1,2 +1,2 @@\n k: …(2 chars)\n-b\n+c\n", true),
            // Of several lines each is masked, also where only one of them is shown.
            (
                "k: one\n two\nb\n",
                "k: one\n two\nc\n",
                "one\n two",
                "@@ -1,3 +1,3 @@\n k: o…(8 chars)\n o…(8 chars)\n-b\n+c\n",
                true,
            ),
        ] {
            let (text, hidden) = shown("s.yaml", before, after, secret);
            assert_eq!(
                (text.as_str(), hidden),
                (format!("--- a/s.yaml\n+++ b/s.yaml\n{want}").as_str(), masked),
                "{before}"
            );
        }
    }

    #[test]
    fn a_name_stays_in_its_line() {
        let (text, _) = shown("x\n+++ b/other\n\"ü.json", "a\n", "b\n", "");
        assert!(text.starts_with("--- \"a/x\\n+++ b/other\\n\\\"\\303\\274.json\"\n+++ \"b/x"), "{text}");
        assert_eq!(text.lines().filter(|line| line.starts_with("+++")).count(), 1);
        assert!(shown("ü.json", "a\n", "b\n", "").0.starts_with("--- a/ü.json\n"));
    }
}
