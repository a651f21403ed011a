//! What a Python distribution says of itself (`METADATA`, `PKG-INFO`; core metadata 2.4): fields as a message has them (RFC 5322), and behind an
//! empty line its description. A field may occur many times: the tree keeps each.

use super::{Key, Member, Node, Value};
use crate::prelude::*;
use crate::text::Span;

/// The name under which the text behind the fields stands.
const BODY: &str = "Description";

/// Does a text begin as such a file does?
pub(super) fn looks_like(text: &str) -> bool {
    text.starts_with("Metadata-Version:")
}

pub(super) fn parse(text: &str) -> Node {
    let mut members: Vec<Member> = Vec::new();
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let start = at;
        at += line.len();
        if line.trim().is_empty() {
            break;
        }
        // What is set in goes on with the field before.
        if line.starts_with([' ', '\t']) {
            if let Some(Member { value: Node { value: Value::Text(value), span, .. }, .. }) = members.last_mut() {
                value.push('\n');
                value.push_str(line.trim());
                *span = Span::new(span.start as usize, start + line.trim_end().len());
            }
            continue;
        }
        let Some((name, value)) = line.split_once(':') else { continue };
        let from = start + name.len() + 1 + (value.len() - value.trim_start().len());
        members.push(member(name, start, value.trim(), from));
    }
    let body = text.get(at..).unwrap_or_default();
    let bare = body.trim();
    if !bare.is_empty() {
        let from = at + (body.len() - body.trim_start().len());
        members.push(Member {
            key: Key { text: BODY.to_owned(), span: Span::new(from, from) },
            ..member("", from, bare, from)
        });
    }
    Node::new(Span::new(0, text.len()), Value::Map(members))
}

fn member(name: &str, at: usize, value: &str, from: usize) -> Member {
    let key = Key { text: name.trim().to_owned(), span: Span::new(at, at + name.len()) };
    // An empty value ends where its line does.
    let from = if value.is_empty() { at + name.len() } else { from };
    Member { key, value: Node::new(Span::new(from, from + value.len()), Value::Text(value.to_owned())) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn fields_are_read_with_their_places() {
        let text = "Metadata-Version: 2.4\nName: tide-mcp\nRequires-Dist: httpx>=0.27\nRequires-Dist: bell\nLicense: a\n  b\nSummary:\n\n# Tide\n\nmcp-name: x\n";
        let root = parse(text);
        let told: Vec<(&str, &str, &str)> = root
            .members()
            .iter()
            .map(|m| (m.key.text.as_str(), m.value.text().unwrap(), &text[m.value.span.range()]))
            .collect();
        assert_eq!(
            told,
            [
                ("Metadata-Version", "2.4", "2.4"),
                ("Name", "tide-mcp", "tide-mcp"),
                ("Requires-Dist", "httpx>=0.27", "httpx>=0.27"),
                ("Requires-Dist", "bell", "bell"),
                ("License", "a\nb", "a\n  b"),
                ("Summary", "", ""),
                ("Description", "# Tide\n\nmcp-name: x", "# Tide\n\nmcp-name: x"),
            ]
        );
    }

    proptest! {
        #[test]
        fn every_place_is_in_the_text(text in "(Metadata-Version: 2\n)?([A-Z]{0,3}:? ?[a-zé \t]{0,6}\r?\n){0,9}") {
            for member in parse(&text).members() {
                prop_assert!(text.get(member.value.span.range()).is_some());
                prop_assert!(text.get(member.key.span.range()).is_some());
            }
        }
    }
}
