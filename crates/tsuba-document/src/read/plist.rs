//! Property lists in XML: services of a desktop system, and settings that a company hands out to its machines. Mappings, lists and texts; what else
//! a list may hold (dates, data) is passed over, and so is whatever is not well-formed.

use super::mapped::Mapped;
use super::{Key, MAX_DEPTH, Member, Node, Value};
use crate::prelude::*;
use crate::text::Span;

/// Reads a list; an empty mapping where there is none.
pub(super) fn parse(text: &str) -> Node {
    let mut reader = Reader { text, at: 0 };
    while let Some((tag, _)) = reader.tag() {
        if tag == "plist" {
            break;
        }
    }
    let first = reader.tag();
    let root = first.and_then(|(tag, start)| reader.value(tag, start, 0));
    root.unwrap_or_else(|| Node::new(Span::new(0, text.len()), Value::Map(Vec::new())))
}

struct Reader<'t> {
    text: &'t str,
    at: usize,
}

impl<'t> Reader<'t> {
    /// The next tag (`dict`, `/dict`, `true/`) and where it begins; comments and declarations are passed.
    fn tag(&mut self) -> Option<(&'t str, usize)> {
        loop {
            let rest = self.text.get(self.at..)?;
            let open = rest.find('<')?;
            let start = self.at + open;
            let inner = self.text.get(start + 1..)?;
            if let Some(comment) = inner.strip_prefix("!--") {
                self.at = start + 4 + comment.find("-->")? + 3;
                continue;
            }
            let end = inner.find('>')?;
            self.at = start + 1 + end + 1;
            let tag = inner.get(..end)?;
            if !tag.starts_with(['?', '!']) {
                let name = tag.split_whitespace().next().unwrap_or_default();
                // What a tag says besides its name, nothing here needs; that it is empty does.
                return Some((if tag.ends_with('/') && !name.ends_with('/') { "" } else { name }, start));
            }
        }
    }

    /// The value whose tag was read.
    fn value(&mut self, tag: &str, start: usize, depth: usize) -> Option<Node> {
        if depth > MAX_DEPTH {
            return None;
        }
        let value = match tag {
            "dict" => Value::Map(self.members(depth)),
            "array" => Value::List(self.items(depth)),
            "true/" | "false/" => Value::Bool(tag == "true/"),
            "string" | "integer" | "real" => {
                let node = self.string()?;
                return Some(node);
            }
            "string/" => Value::Text(String::new()),
            _ => return None,
        };
        Some(Node::new(Span::new(start, self.at), value))
    }

    /// The text up to the tag that closes it.
    fn string(&mut self) -> Option<Node> {
        let from = self.at;
        let Some(length) = self.text.get(from..)?.find("</") else {
            // What is never closed is looked through once.
            self.at = self.text.len();
            return None;
        };
        let written = self.text.get(from..from + length)?;
        let mut mapped = Mapped::default();
        mapped.push_html(written, from);
        self.at = from + length;
        self.tag()?;
        Some(Node::new(Span::new(from, from + length), Value::Text(mapped.text)))
    }

    fn members(&mut self, depth: usize) -> Vec<Member> {
        let (mut out, mut key) = (Vec::new(), None);
        while let Some((tag, start)) = self.tag() {
            match tag {
                "/dict" => break,
                "key" => {
                    let named = self.string();
                    key = named.and_then(|node| Some(Key { text: node.text()?.to_owned(), span: node.span }));
                }
                _ => {
                    let value = self.value(tag, start, depth + 1);
                    out.extend(key.take().zip(value).map(|(key, value)| Member { key, value }));
                }
            }
        }
        out
    }

    fn items(&mut self, depth: usize) -> Vec<Node> {
        let mut out = Vec::new();
        while let Some((tag, start)) = self.tag() {
            if tag == "/array" {
                break;
            }
            out.extend(self.value(tag, start, depth + 1));
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn mappings_lists_and_texts_are_read_with_their_places() {
        let text = "<?xml version=\"1.0\"?>\n<!DOCTYPE plist>\n<!-- <dict> -->\n<plist version=\"1.0\"><dict>\n<key>A</key><string>b &amp; c</string>\
                    <key>L</key><array><string>d</string><string/></array><key>T</key><true/><key>D</key><date>x</date><key>I</key><integer>7</integer>\
                    <key>M</key><dict><key>N</key><string>e</string></dict></dict></plist>";
        let root = parse(text);
        let keys: Vec<&str> = root.members().iter().map(|member| member.key.text.as_str()).collect();
        assert_eq!(keys, ["A", "L", "T", "I", "M"]);
        assert_eq!(root.get("A").and_then(Node::text), Some("b & c"));
        assert_eq!(&text[root.get("A").unwrap().span.range()], "b &amp; c");
        let items: Vec<&str> = root.get("L").unwrap().items().iter().filter_map(Node::text).collect();
        assert_eq!(items, ["d", ""]);
        assert_eq!(root.get("T").and_then(Node::truth), Some(true));
        assert_eq!(root.get("M").and_then(|inner| inner.get("N")).and_then(Node::text), Some("e"));
    }

    #[test]
    fn whatever_nests_it_ends() {
        for text in [
            "<plist><dict>".to_owned() + &"<key>a</key><dict>".repeat(50_000),
            "<plist>".to_owned() + &"<array>".repeat(50_000),
            "<plist><array>".to_owned() + &"<string>a".repeat(200_000),
        ] {
            parse(&text);
        }
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in "(<plist>)?(<(/?(dict|array|key|string)|true/)>|[a-z&;<>/ ]){0,40}") {
            parse(&text);
        }
    }
}
