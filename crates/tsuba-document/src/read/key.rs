//! Key files: text in PEM form (RFC 7468).

use super::{Key, Member, Node, Value};
use crate::prelude::*;
use crate::text::Span;

/// Does a text begin as one?
pub(super) fn looks_like(text: &str) -> bool {
    text.trim_start().starts_with("-----BEGIN ")
}

/// The first private key of the text.
pub(super) fn parse(text: &str) -> Node {
    let mark = "PRIVATE KEY-----";
    let begin = text.find(mark).and_then(|at| text.get(..at)?.rfind("-----BEGIN "));
    let end = begin.and_then(|from| text.get(from..)?.find("-----END ").map(|n| from + n));
    let mut members = Vec::new();
    if let (Some(from), Some(last)) = (begin, end) {
        let to = text.get(last..).and_then(|rest| rest.find(mark)).map_or(text.len(), |n| last + n + mark.len());
        let span = Span::new(from, to);
        let value = Node::new(span, Value::Text(text.get(from..to).unwrap_or_default().to_owned()));
        members.push(Member { key: Key { text: "key".to_owned(), span }, value });
    }
    Node::new(Span::new(0, text.len()), Value::Map(members))
}
