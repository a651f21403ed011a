//! Spreading the core's work over threads.

use std::num::NonZeroUsize;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};
use tsuba_core::judge::Parallel;

/// Pieces of the items, taken by whichever thread is free.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Threads(usize);

/// Fewer items than this are not worth a thread.
const WORTH: usize = 64;
/// Pieces for each thread: items are not all the same work.
const PIECES: usize = 8;

impl Threads {
    /// As many threads as asked for; 0 means one for each core.
    pub(crate) fn new(jobs: usize) -> Self {
        Self(if jobs == 0 { std::thread::available_parallelism().map_or(1, NonZeroUsize::get) } else { jobs })
    }

    /// How many of so many items are one piece.
    fn piece(self, items: usize) -> usize {
        items.div_ceil(self.0.max(1) * PIECES).max(WORTH)
    }

    /// Does `work` for pieces of `size` items, and joins the results in the order of the items.
    fn pieces<T: Sync, R: Send>(self, items: &[T], size: usize, work: impl Fn(usize, &T) -> Vec<R> + Sync) -> Vec<R> {
        let of = |start: usize, piece: &[T]| -> Vec<R> {
            // Mostly an item has one result.
            let mut out = Vec::with_capacity(piece.len());
            piece.iter().enumerate().for_each(|(at, item)| out.extend(work(start + at, item)));
            out
        };
        let count = items.len().div_ceil(size.max(1));
        let threads = self.0.min(count);
        if threads < 2 {
            return of(0, items);
        }
        let next = AtomicUsize::new(0);
        let take = || -> Vec<(usize, Vec<R>)> {
            let numbers = std::iter::from_fn(|| Some(next.fetch_add(1, Relaxed)).filter(|number| *number < count));
            let piece = |number: usize| items.get(number * size..items.len().min((number + 1) * size));
            numbers.map(|number| (number, of(number * size, piece(number).unwrap_or_default()))).collect()
        };
        let mut all = std::thread::scope(|scope| {
            let others: Vec<_> = (1..threads).map(|_| scope.spawn(take)).collect();
            // This thread works, too.
            let mut all = take();
            for other in others {
                match other.join() {
                    Ok(pieces) => all.extend(pieces),
                    Err(panic) => std::panic::resume_unwind(panic),
                }
            }
            all
        });
        all.sort_unstable_by_key(|(number, _)| *number);
        let mut out = Vec::with_capacity(all.iter().map(|(_, piece)| piece.len()).sum());
        all.into_iter().for_each(|(_, piece)| out.extend(piece));
        out
    }
}

impl Parallel for Threads {
    fn consume<T: Send, R: Send>(&self, items: Vec<T>, work: impl Fn(T) -> Vec<R> + Sync) -> Vec<R> {
        let size = self.piece(items.len());
        let mut items = items.into_iter();
        let pieces =
            std::iter::from_fn(|| Some(items.by_ref().take(size).collect::<Vec<T>>()).filter(|p| !p.is_empty()));
        let pieces: Vec<Mutex<Vec<T>>> = pieces.map(Mutex::new).collect();
        self.pieces(&pieces, 1, |_, piece| {
            // A piece is taken once, so nobody can have left it locked.
            let piece = piece.lock().map(|mut piece| std::mem::take(&mut *piece)).unwrap_or_default();
            piece.into_iter().flat_map(&work).collect()
        })
    }

    fn spread<T: Sync, R: Send>(&self, items: &[T], work: impl Fn(usize, &T) -> Vec<R> + Sync) -> Vec<R> {
        self.pieces(items, self.piece(items.len()), work)
    }

    fn each<T: Sync, R: Send>(&self, items: &[T], work: impl Fn(&T) -> Vec<R> + Sync) -> Vec<R> {
        self.pieces(items, 1, |_, item| work(item))
    }

    fn both<A: Send, B>(&self, one: impl FnOnce() -> A + Send, other: impl FnOnce() -> B) -> (A, B) {
        if self.0 < 2 {
            return (one(), other());
        }
        std::thread::scope(|scope| {
            let one = scope.spawn(one);
            let other = other();
            match one.join() {
                Ok(one) => (one, other),
                Err(panic) => std::panic::resume_unwind(panic),
            }
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn results_come_in_the_order_of_the_items_however_many_threads_there_are() {
        for count in [0_usize, 1, WORTH, WORTH + 1, 10 * WORTH + 7] {
            let items: Vec<usize> = (0..count).collect();
            for jobs in [0, 1, 2, 3, 64] {
                // Every third item gives nothing, every other one two results.
                let work =
                    |index: usize, item: &usize| if item.is_multiple_of(3) { vec![] } else { vec![index, item * 2] };
                let want: Vec<usize> = items.iter().flat_map(|i| work(*i, i)).collect();
                assert_eq!(Threads::new(jobs).spread(&items, work), want, "{count} items, {jobs} threads");
                assert_eq!(
                    Threads::new(jobs).consume(items.clone(), |item| work(item, &item)),
                    want,
                    "{count} items, {jobs} threads"
                );
                let few = items.get(..count.min(7)).unwrap();
                assert_eq!(
                    Threads::new(jobs).each(few, |item| work(*item, item)),
                    few.iter().flat_map(|i| work(*i, i)).collect::<Vec<_>>(),
                    "{count} items, {jobs} threads"
                );
            }
        }
    }
}
