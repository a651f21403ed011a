//! A trie over bytes: every phrase that begins at a place, in one walk.

use crate::prelude::*;

/// Phrases by their bytes. The first two bytes are looked up in tables, for every word passes there; further on a node has one or two
/// edges.
#[derive(Debug)]
pub(super) struct Trie {
    /// A table of 256 nodes for each of the first nodes, the root's first; 0 is none.
    tables: Vec<u32>,
    nodes: Vec<Node>,
    /// The edges of all nodes: the byte and the node it leads to, those of one node together.
    edges: Vec<(u8, u32)>,
}

/// A node.
#[derive(Clone, Copy, Debug, Default)]
struct Node {
    /// Where its edges begin.
    first: u32,
    /// How many they are.
    count: u32,
    /// The number of the phrase that ends here, plus one.
    phrase: u32,
}

const TABLE: usize = 256;

impl Trie {
    /// Builds the trie of `phrases`, which are sorted and each there once.
    pub(super) fn build<'p>(phrases: impl Iterator<Item = &'p str>) -> Self {
        let phrases: Vec<&[u8]> = phrases.map(str::as_bytes).collect();
        let mut trie = Self { tables: vec![0; TABLE], nodes: vec![Node::default()], edges: Vec::new() };
        // Each piece of work: the node to fill, the depth, and which phrases go through it. First come, first served: so the nodes after
        // the root are numbered from one, as their tables are.
        let mut work = alloc::collections::VecDeque::from([(0usize, 0usize, 0..phrases.len())]);
        while let Some((index, depth, range)) = work.pop_front() {
            let mut node = Node { first: number(trie.edges.len()), ..Node::default() };
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
            if depth == 1 {
                trie.tables.resize((index + 1) * TABLE, 0);
            }
            for (byte, range) in children {
                let child = trie.nodes.len();
                trie.nodes.push(Node::default());
                trie.edges.push((byte, number(child)));
                if let Some(slot) = trie.tables.get_mut(index * TABLE + usize::from(byte)).filter(|_| depth < 2) {
                    *slot = number(child);
                }
                work.push_back((child, depth + 1, range));
            }
            node.count = number(trie.edges.len()) - node.first;
            if let Some(place) = trie.nodes.get_mut(index) {
                *place = node;
            }
        }
        trie
    }

    /// Every phrase that begins at `at`: its number and its end, shortest first.
    #[inline]
    pub(super) fn at(&self, text: &[u8], at: usize, mut found: impl FnMut(usize, usize)) {
        let mut index = 0;
        for (depth, byte) in text.get(at..).unwrap_or_default().iter().enumerate() {
            index = if depth < 2 {
                self.tables.get(index * TABLE + usize::from(*byte)).map_or(0, |child| *child as usize)
            } else {
                let Some(node) = self.nodes.get(index) else { return };
                let edges = self.edges.get(node.first as usize..(node.first + node.count) as usize).unwrap_or_default();
                edges.iter().find(|(b, _)| b == byte).map_or(0, |(_, child)| *child as usize)
            };
            if index == 0 {
                return;
            }
            if let Some(node) = self.nodes.get(index).filter(|node| node.phrase != 0) {
                found(node.phrase as usize - 1, at + depth + 1);
            }
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
    }
}
