//! TOML.

use super::{Key, MAX_DEPTH, Member, Node, Notation, Reason, Unreadable, Value};
use crate::prelude::*;
use crate::text::Span;
use ::toml::de::{DeTable, DeValue};

/// Parses one TOML text.
pub(super) fn parse(text: &str) -> Result<Node, Unreadable> {
    let (table, errors) = DeTable::parse_recoverable(text);
    if let Some(error) = errors.first() {
        let at = error.span().map(|s| s.start);
        let truncated = at.is_some_and(|at| at >= text.trim_end().len());
        let why = if truncated { Reason::Truncated(Notation::Toml) } else { Reason::Malformed(Notation::Toml) };
        return Err(Unreadable { why, at });
    }
    let span = Span::new(0, text.len());
    Ok(Node::new(span, table_value(table.into_inner(), 0)?))
}

fn table_value(table: DeTable<'_>, depth: usize) -> Result<Value, Unreadable> {
    let mut members = Vec::with_capacity(table.len());
    for (key, value) in table {
        let key_span = Span::new(key.span().start, key.span().end);
        let key = Key { text: key.into_inner().into_owned(), span: key_span };
        let value_span = Span::new(value.span().start, value.span().end);
        let value = Node::new(value_span, convert(value.into_inner(), key_span, depth + 1)?);
        members.push(Member { key, value });
    }
    // The parser hands tables over sorted by key; a reader expects them as written.
    members.sort_by_key(|member| member.key.span);
    Ok(Value::Map(members))
}

fn convert(value: DeValue<'_>, at: Span, depth: usize) -> Result<Value, Unreadable> {
    if depth > MAX_DEPTH {
        return Err(Unreadable { why: Reason::TooDeep, at: Some(at.start as usize) });
    }
    Ok(match value {
        DeValue::String(text) => Value::Text(text.into_owned()),
        DeValue::Integer(number) => Value::Number(number.as_str().to_owned()),
        DeValue::Float(number) => Value::Number(number.as_str().to_owned()),
        DeValue::Boolean(yes) => Value::Bool(yes),
        DeValue::Datetime(moment) => Value::Number(moment.to_string()),
        DeValue::Array(array) => {
            let mut items = Vec::with_capacity(array.len());
            for item in array {
                let span = Span::new(item.span().start, item.span().end);
                items.push(Node::new(span, convert(item.into_inner(), span, depth + 1)?));
            }
            Value::List(items)
        }
        DeValue::Table(table) => table_value(table, depth)?,
    })
}
