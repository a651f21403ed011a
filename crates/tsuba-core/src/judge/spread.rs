//! Work over many items, spread over threads by whoever has threads.

use crate::prelude::*;

/// How work over many items is done. The core knows no threads: the program hands in a way that uses them.
pub trait Parallel {
    /// Does `work` for each item (with its index) and joins the results in the order of the items.
    fn spread<T: Sync, R: Send>(&self, items: &[T], work: impl Fn(usize, &T) -> Vec<R> + Sync) -> Vec<R>;

    /// Likewise for items that are not needed any more afterwards: each is dropped as soon as its results are there.
    fn consume<T: Send, R: Send>(&self, items: Vec<T>, work: impl Fn(T) -> Vec<R> + Sync) -> Vec<R>;

    /// Likewise for a few items that are much work each.
    fn each<T: Sync, R: Send>(&self, items: &[T], work: impl Fn(&T) -> Vec<R> + Sync) -> Vec<R>;

    /// Does two things that do not need each other.
    fn both<A: Send, B>(&self, one: impl FnOnce() -> A + Send, other: impl FnOnce() -> B) -> (A, B);
}

/// One item after the other.
#[derive(Clone, Copy, Debug)]
pub struct Sequential;

impl Parallel for Sequential {
    fn spread<T: Sync, R: Send>(&self, items: &[T], work: impl Fn(usize, &T) -> Vec<R> + Sync) -> Vec<R> {
        items.iter().enumerate().flat_map(|(index, item)| work(index, item)).collect()
    }

    fn consume<T: Send, R: Send>(&self, items: Vec<T>, work: impl Fn(T) -> Vec<R> + Sync) -> Vec<R> {
        items.into_iter().flat_map(work).collect()
    }

    fn each<T: Sync, R: Send>(&self, items: &[T], work: impl Fn(&T) -> Vec<R> + Sync) -> Vec<R> {
        items.iter().flat_map(work).collect()
    }

    fn both<A: Send, B>(&self, one: impl FnOnce() -> A + Send, other: impl FnOnce() -> B) -> (A, B) {
        (one(), other())
    }
}
