//! Values of a mapping by their keys, with their places.

use crate::prelude::*;
use crate::read::Node;
use crate::text::{Located, Pointer, Span};

/// A mapping and where it is.
#[derive(Clone, Copy, Debug)]
pub(super) struct Fields<'n> {
    pub(super) node: &'n Node,
    pub(super) pointer: &'n Pointer,
}

impl Fields<'_> {
    /// The place of the mapping as a whole: its opening. What is absent is told there.
    pub(super) fn start(&self) -> Located {
        let span = Span { end: self.node.span.start.saturating_add(1), ..self.node.span };
        Located { text: String::new(), span, pointer: self.pointer.clone() }
    }

    /// A text.
    pub(super) fn text(&self, key: &str) -> Option<Located> {
        let node = self.node.get(key)?;
        node.text()?;
        node.located(self.pointer.key(key))
    }

    /// Is it there and not null?
    pub(super) fn has(&self, key: &str) -> bool {
        self.node.get(key).is_some_and(|node| node.value != crate::read::Value::Null)
    }

    /// True or false.
    pub(super) fn truth(&self, key: &str) -> Option<bool> {
        self.node.get(key).and_then(Node::truth)
    }

    /// A whole number.
    pub(super) fn number(&self, key: &str) -> Option<i64> {
        self.node.get(key)?.scalar()?.parse().ok()
    }

    /// The texts of a list; `None` where there is no list.
    pub(super) fn texts(&self, key: &str) -> Option<Vec<Located>> {
        let node = self.node.get(key).filter(|node| node.is_list())?;
        let at = self.pointer.key(key);
        Some(node.items().iter().enumerate().filter_map(|(i, item)| item.located(at.index(i))).collect())
    }

    /// An address: a text with a scheme.
    pub(super) fn address(&self, key: &str) -> Option<Located> {
        self.text(key).filter(|text| text.text.contains(':'))
    }
}
