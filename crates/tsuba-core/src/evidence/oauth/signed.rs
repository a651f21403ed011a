//! Signed copies of metadata: `signed_metadata` (RFC 9728, 2.2; RFC 8414, 2.1). They hold claims that everybody may read, and no secret.

use super::fields::Fields;
use super::token::{Claims, parts};
use crate::prelude::*;
use crate::read::{Node, Value as Written};
use crate::text::Located;
use serde_json::Value;

/// A signed copy of the members of a document.
#[derive(Clone, Debug)]
pub struct SignedMetadata {
    /// The token.
    pub at: Located,
    /// What it says of itself; `None` where it is no token that can be read.
    pub claims: Option<Claims>,
    /// Members of which the copy says something else than the document, with what it says.
    pub differs: Vec<(String, String)>,
    /// Its key is in none of the key sets of the issuer that signed it; known once everything is read.
    pub strange_key: bool,
}

/// Claims of the token as such (RFC 7519, 4.1).
const REGISTERED: &[&str] = &["iss", "sub", "aud", "exp", "nbf", "iat", "jti"];
/// More members of one mapping are not compared: the standards know fewer than a hundred.
const MAX_COMPARED: usize = 256;
/// More members that differ are not told.
const MAX_TOLD: usize = 16;

impl SignedMetadata {
    pub(super) fn read(fields: &Fields<'_>) -> Option<Self> {
        let at = fields.text("signed_metadata").filter(|text| !text.text.is_empty())?;
        let differs = parts(&at.text).map(|(_, claims)| {
            let members = claims.iter().filter(|(name, _)| !REGISTERED.contains(&name.as_str())).take(MAX_COMPARED);
            let other = members.filter(|(name, value)| fields.node.get(name).is_some_and(|node| !same(node, value)));
            other.map(|(name, value)| (name.clone(), brief(value))).take(MAX_TOLD).collect()
        });
        Some(Self { claims: Claims::decode(&at.text), differs: differs.unwrap_or_default(), strange_key: false, at })
    }
}

/// Do both say the same? The order of a list says nothing in such documents.
fn same(node: &Node, value: &Value) -> bool {
    match (&node.value, value) {
        (Written::Null, Value::Null) => true,
        (Written::Bool(_), Value::Bool(value)) => node.truth() == Some(*value),
        (Written::Text(_), Value::String(value)) => node.text() == Some(value),
        (Written::Number(_), Value::Number(value)) => {
            node.scalar().and_then(|text| text.parse::<f64>().ok()) == value.as_f64()
        }
        (Written::List(items), Value::Array(values)) => {
            let texts: Option<BTreeSet<&str>> = items.iter().map(Node::text).collect();
            let others: Option<BTreeSet<&str>> = values.iter().map(Value::as_str).collect();
            match (texts, others) {
                (Some(texts), Some(others)) => texts == others,
                _ => items.len() == values.len() && items.iter().zip(values).all(|(item, value)| same(item, value)),
            }
        }
        (Written::Map(_), Value::Object(map)) => {
            map.iter().take(MAX_COMPARED).all(|(key, value)| node.get(key).is_some_and(|item| same(item, value)))
        }
        _ => false,
    }
}

/// A value as it is told: only addresses, without what may be a secret in them.
fn brief(value: &Value) -> String {
    let address = |text: &str| {
        let bare = text.split(['?', '#']).next().unwrap_or(text);
        bare.contains("://").then(|| bare.to_owned()).filter(|bare| !bare.contains('@'))
    };
    let told = match value {
        Value::String(text) => address(text),
        Value::Array(items) => items.first().and_then(Value::as_str).and_then(address),
        Value::Object(_) | Value::Null | Value::Bool(_) | Value::Number(_) => None,
    };
    told.unwrap_or_else(|| "another value".to_owned())
}
