//! What a cluster keeps for its containers apart from them: maps of settings and secrets, and the variables that come from them.

use super::{ClusterSecret, word};
use crate::prelude::*;
use crate::read::{Key, Member, Node, Value};
use crate::text::{Located, Pointer, speaks_of_servers};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use core::cell::Cell;

/// How a reference to a secret of the cluster is written among the variables of an entry.
pub(crate) const REFERENCE: &str = "secretref:";

/// What the maps and secrets of a file hold, by kind and name.
pub(super) struct Kept<'n> {
    values: BTreeMap<(&'n str, &'n str), BTreeMap<String, Node>>,
    /// How many values may still be taken over.
    left: Cell<usize>,
}

/// So many values are taken over by the containers of one file: many containers with one large map would have its multiple.
const MAX_VALUES: usize = 50_000;

impl<'n> Kept<'n> {
    pub(super) fn of(objects: &'n [(Pointer, &'n Node)]) -> Self {
        let named = objects.iter().filter_map(|(at, object)| {
            let kind = object.get("kind")?.text().filter(|kind| matches!(*kind, "Secret" | "ConfigMap"))?;
            Some(((kind, name(object)?), values(object, at).into_iter().collect()))
        });
        Self { values: named.collect(), left: Cell::new(MAX_VALUES) }
    }

    /// The variables of a container, as `{name, value}` each, at the places where their values are written: in its own list, or in what the
    /// list names.
    pub(super) fn env(&self, container: &Node, at: &Pointer) -> Option<Node> {
        let mut items = Vec::new();
        for (index, item) in container.get("envFrom").map(Node::items).unwrap_or_default().iter().enumerate() {
            let own = at.key("envFrom").index(index);
            let prefix = item.get("prefix").and_then(Node::text).unwrap_or_default();
            self.all_of(item, &own, prefix, &mut items);
        }
        // What a container sets itself goes before what it takes over.
        for (index, item) in container.get("env").map(Node::items).unwrap_or_default().iter().enumerate() {
            let own = at.key("env").index(index);
            if item.get("value").is_some() {
                items.push(item.clone().placed(&own));
            } else if let Some(name) = item.get("name").and_then(Node::text) {
                items.extend(item.get("valueFrom").and_then(|from| self.one_of(name, from, &own.key("valueFrom"))));
            }
        }
        let span = container.first(&["env", "envFrom"])?.1.span;
        Some(Node { at: Some(Box::new(at.key("env"))), ..Node::new(span, Value::List(items)) })
    }

    fn all_of(&self, item: &Node, own: &Pointer, prefix: &str, items: &mut Vec<Node>) {
        for (key, kind) in [("secretRef", "Secret"), ("configMapRef", "ConfigMap")] {
            let Some(node) = item.get(key).and_then(|from| from.get("name")) else { continue };
            let Some(name) = node.text() else { continue };
            match self.values.get(&(kind, name)) {
                Some(values) => {
                    let taken = values.iter().take(self.left.get());
                    items.extend(taken.map(|(name, value)| variable(&format!("{prefix}{name}"), value.clone())));
                    self.left.set(self.left.get().saturating_sub(values.len()));
                }
                None if kind == "Secret" => {
                    let value = word(format!("{REFERENCE}{name}"), node.span, &own.key(key).key("name"));
                    items.push(variable(&format!("secret {name}"), value));
                }
                None => {}
            }
        }
    }

    fn one_of(&self, variable_name: &str, from: &Node, own: &Pointer) -> Option<Node> {
        let (key, kind) = [("secretKeyRef", "Secret"), ("configMapKeyRef", "ConfigMap")]
            .into_iter()
            .find(|(key, _)| from.get(key).is_some())?;
        let reference = from.get(key)?;
        let name = reference.get("name")?.text()?;
        let wanted = reference.get("key")?;
        let value = match self.values.get(&(kind, name)).and_then(|values| values.get(wanted.text()?)) {
            Some(value) => value.clone(),
            None if kind == "Secret" => {
                let text = format!("{REFERENCE}{name}/{}", wanted.text()?);
                word(text, wanted.span, &own.key(key).key("key"))
            }
            None => return None,
        };
        Some(variable(variable_name, value))
    }
}

/// The name of an object.
fn name(object: &Node) -> Option<&str> {
    object.get("metadata")?.get("name")?.text()
}

/// The values of a map or secret, at their places. Those in base64 are decoded: anybody can.
fn values(object: &Node, at: &Pointer) -> Vec<(String, Node)> {
    let mut out = Vec::new();
    let packed = object.get("kind").and_then(Node::text) == Some("Secret");
    for key in ["data", "stringData"] {
        for member in object.get(key).map(Node::members).unwrap_or_default() {
            let own = at.key(key).key(&member.key.text);
            let Some(text) = member.value.scalar() else { continue };
            let text = if packed && key == "data" {
                let bytes = STANDARD.decode(text.split_whitespace().collect::<String>());
                let Some(text) = bytes.ok().and_then(|bytes| String::from_utf8(bytes).ok()) else { continue };
                text
            } else {
                text.into_owned()
            };
            // A line end at the end is no part of the secret.
            out.push((member.key.text.clone(), word(text.trim_end(), member.value.span, &own)));
        }
    }
    out
}

fn variable(name: &str, value: Node) -> Node {
    let member = |key: &str, value: Node| Member { key: Key { text: key.to_owned(), span: value.span }, value };
    let named = Node { at: value.at.clone(), ..Node::new(value.span, Value::Text(name.to_owned())) };
    let span = value.span;
    Node { at: value.at.clone(), ..Node::new(span, Value::Map(vec![member("name", named), member("value", value)])) }
}

/// Does an object keep secrets in base64, whether or not they are known to be some?
pub(super) fn packs(object: &Node) -> bool {
    let secret = object.get("kind").and_then(Node::text) == Some("Secret");
    secret && object.get("data").is_some_and(|data| !data.members().is_empty())
}

/// Secrets that are generated from what is written down beside them (`secretGenerator` of a kustomization), likewise.
pub(super) fn generated(root: &Node, at: &Pointer) -> Vec<ClusterSecret> {
    let generators = root.get("secretGenerator").map(Node::items).unwrap_or_default();
    let each = generators.iter().enumerate().filter_map(|(index, generator)| {
        let own = at.key("secretGenerator").index(index).key("literals");
        let name = generator.get("name")?.text()?;
        let literals = generator.get("literals")?.items().iter().enumerate();
        let values: Vec<(String, Located)> = literals
            .filter_map(|(index, literal)| {
                let (key, value) = literal.text()?.split_once('=')?;
                let whole = Located { text: value.to_owned(), span: literal.span, pointer: own.index(index) };
                Some((key.to_owned(), whole))
            })
            .collect();
        let said = speaks_of_servers(name) || values.iter().any(|(key, _)| speaks_of_servers(key));
        said.then(|| ClusterSecret { name: name.to_owned(), values })
    });
    each.collect()
}

/// A secret that is a tool server's by its name or by those of its values.
pub(super) fn secret(object: &Node, at: &Pointer) -> Option<ClusterSecret> {
    let name = name(object).filter(|_| object.get("kind").and_then(Node::text) == Some("Secret"))?;
    let values = values(object, at);
    if !speaks_of_servers(name) && !values.iter().any(|(key, _)| speaks_of_servers(key)) {
        return None;
    }
    let values = values.into_iter().filter_map(|(key, value)| Some((key, value.located(at.clone())?)));
    Some(ClusterSecret { name: name.to_owned(), values: values.collect() })
}
