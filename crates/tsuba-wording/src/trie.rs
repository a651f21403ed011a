//! A trie over bytes: every phrase that begins at a place, in one walk.

use crate::prelude::*;
use core::num::NonZeroU32;

/// Phrases by their bytes.
#[derive(Debug)]
pub(super) struct Trie {
    nodes: Vec<Node>,
    /// The byte that leads to node `i + 1`; those that lead away from one node stand together.
    labels: Vec<u8>,
}

/// A node.
#[derive(Clone, Copy, Debug, Default)]
struct Node {
    /// Where the bytes that lead away from it begin.
    first: u32,
    /// How many they are.
    count: u32,
    /// The number of the phrase that ends here, plus one.
    phrase: u32,
}

/// A node to go on from, its number plus one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct From(NonZeroU32);

impl Trie {
    /// Builds the trie of `phrases`, which are sorted and each there once.
    pub(super) fn build<'p>(phrases: impl Iterator<Item = &'p str>) -> Self {
        let phrases: Vec<&[u8]> = phrases.map(str::as_bytes).collect();
        let mut trie = Self { nodes: vec![Node::default()], labels: Vec::new() };
        // Each piece of work: the node to fill, the depth, and which phrases go through it. First come, first served: so the nodes that
        // one leads to are numbered in a row, as its labels are.
        let mut work = alloc::collections::VecDeque::from([(0usize, 0usize, 0..phrases.len())]);
        while let Some((index, depth, range)) = work.pop_front() {
            let mut node = Node { first: number(trie.labels.len()), ..Node::default() };
            let mut children: Vec<(u8, core::ops::Range<usize>)> = Vec::new();
            for phrase in range {
                match phrases.get(phrase).and_then(|p| p.get(depth)) {
                    None => node.phrase = number(phrase + 1),
                    Some(byte) => match children.last_mut().filter(|(last, _)| last == byte) {
                        Some((_, range)) => range.end = phrase + 1,
                        None => children.push((*byte, phrase..phrase + 1)),
                    },
                }
            }
            node.count = number(children.len());
            for (byte, range) in children {
                work.push_back((trie.nodes.len(), depth + 1, range));
                trie.nodes.push(Node::default());
                trie.labels.push(byte);
            }
            if let Some(place) = trie.nodes.get_mut(index) {
                *place = node;
            }
        }
        trie
    }

    /// The node that some bytes lead to, all of them.
    pub(super) fn after(&self, bytes: &[u8]) -> Option<From> {
        let mut node = self.nodes.first()?;
        let mut index = 0;
        for byte in bytes {
            index = self.child(node, *byte)?;
            node = self.nodes.get(index)?;
        }
        NonZeroU32::new(number(index + 1)).map(From)
    }

    #[inline]
    fn child(&self, node: &Node, byte: u8) -> Option<usize> {
        let first = node.first as usize;
        let labels = self.labels.get(first..first + node.count as usize)?;
        labels.iter().position(|label| *label == byte).map(|at| first + at + 1)
    }

    /// Every phrase that begins at `at`: its number and its end, shortest first.
    #[inline]
    pub(super) fn at(&self, text: &[u8], at: usize, found: impl FnMut(usize, usize)) {
        self.walk(0, text, at, found);
    }

    /// Every phrase that goes on from a node with the text at `at`: its number and its end, shortest first.
    #[inline]
    pub(super) fn on(&self, from: From, text: &[u8], at: usize, found: impl FnMut(usize, usize)) {
        self.walk(from.0.get() as usize - 1, text, at, found);
    }

    #[inline]
    fn walk(&self, from: usize, text: &[u8], at: usize, mut found: impl FnMut(usize, usize)) {
        let Some(mut node) = self.nodes.get(from) else { return };
        let mut end = at;
        loop {
            if node.phrase != 0 {
                found(node.phrase as usize - 1, end);
            }
            let next = text.get(end).and_then(|byte| self.child(node, *byte)).and_then(|index| self.nodes.get(index));
            let Some(next) = next else { return };
            node = next;
            end += 1;
        }
    }
}

/// A number in the trie: the phrases are some thousands.
fn number(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_phrase_that_begins_there_is_found() {
        let phrases = ["a", "an", "any", "be", "不", "不要"];
        let trie = Trie::build(phrases.into_iter());
        for (text, at, want) in [
            ("any", 0, vec!["a", "an", "any"]),
            ("many", 1, vec!["a", "an", "any"]),
            ("b", 0, vec![]),
            ("be", 0, vec!["be"]),
            ("不要", 0, vec!["不", "不要"]),
            ("", 0, vec![]),
        ] {
            let mut met = Vec::new();
            trie.at(text.as_bytes(), at, |phrase, end| {
                assert_eq!(&text[at..end], phrases[phrase]);
                met.push(phrases[phrase]);
            });
            assert_eq!(met, want, "{text}");
        }
        assert_eq!(trie.after(b"ax"), None);
        let mut met = Vec::new();
        trie.on(trie.after(b"an").unwrap(), b"any", 2, |phrase, _| met.push(phrases[phrase]));
        assert_eq!(met, ["an", "any"]);
    }
}
