//! JSON, with comments, trailing commas and the looser forms that editors accept.

use super::{Key, MAX_DEPTH, Member, Node, Notation, Reason, Unreadable, Value};
use crate::prelude::*;
use crate::text::Span;
use jsonc_parser::ast::{self, ObjectPropName};
use jsonc_parser::common::Range;
use jsonc_parser::errors::ParseErrorKind;
use jsonc_parser::{CollectOptions, ParseOptions, ParseStringErrorKind, parse_to_ast};

/// Parses one JSON text. An empty text is `null`.
pub(super) fn parse(text: &str) -> Result<Node, Unreadable> {
    let options = ParseOptions { allow_missing_commas: false, ..ParseOptions::default() };
    match parse_to_ast(text, &CollectOptions::default(), &options) {
        Ok(result) => match result.value {
            Some(value) => convert(value, 0),
            None => Ok(Node::new(Span::new(0, text.len()), Value::Null)),
        },
        Err(error) => {
            let at = error.range().start;
            let why = match error.kind() {
                ParseErrorKind::NestingDepthExceeded => Reason::TooDeep,
                _ if at >= text.trim_end().len() => Reason::Truncated(Notation::Json),
                ParseErrorKind::UnterminatedArray
                | ParseErrorKind::UnterminatedObject
                | ParseErrorKind::UnterminatedCommentBlock => Reason::Truncated(Notation::Json),
                ParseErrorKind::String(ParseStringErrorKind::UnterminatedStringLiteral) if in_last_line(text, at) => {
                    Reason::Truncated(Notation::Json)
                }
                _ => Reason::Malformed(Notation::Json),
            };
            Err(Unreadable { why, at: Some(at) })
        }
    }
}

fn in_last_line(text: &str, at: usize) -> bool {
    text.get(at..).is_some_and(|rest| !rest.trim_end().contains('\n'))
}

fn span(range: Range) -> Span {
    Span::new(range.start, range.end)
}

fn convert(value: ast::Value<'_>, depth: usize) -> Result<Node, Unreadable> {
    use jsonc_parser::common::Ranged;
    let range = value.range();
    if depth > MAX_DEPTH {
        return Err(Unreadable { why: Reason::TooDeep, at: Some(range.start) });
    }
    let value = match value {
        ast::Value::StringLit(text) => Value::Text(text.value.into_owned()),
        ast::Value::NumberLit(number) => Value::Number(number.value.to_owned()),
        ast::Value::BooleanLit(boolean) => Value::Bool(boolean.value),
        ast::Value::NullKeyword(_) => Value::Null,
        ast::Value::Array(array) => {
            Value::List(array.elements.into_iter().map(|item| convert(item, depth + 1)).collect::<Result<_, _>>()?)
        }
        ast::Value::Object(object) => {
            let mut members = Vec::with_capacity(object.properties.len());
            for property in object.properties {
                let key_span = span(property.name.range());
                let text = match property.name {
                    ObjectPropName::String(text) => text.value.into_owned(),
                    ObjectPropName::Word(word) => word.value.to_owned(),
                };
                members.push(Member { key: Key { text, span: key_span }, value: convert(property.value, depth + 1)? });
            }
            Value::Map(members)
        }
    };
    Ok(Node::new(span(range), value))
}
