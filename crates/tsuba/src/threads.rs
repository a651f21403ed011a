//! Spreading the core's work over threads.

use std::num::NonZeroUsize;
use tsuba_core::judge::Spread;

/// Chunks of the items, one for each thread.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Threads(usize);

/// Fewer items than this are not worth a thread.
const WORTH: usize = 64;

impl Threads {
    /// As many threads as asked for; 0 means one for each core.
    pub(crate) fn new(jobs: usize) -> Self {
        Self(if jobs == 0 { std::thread::available_parallelism().map_or(1, NonZeroUsize::get) } else { jobs })
    }
}

impl Spread for Threads {
    fn spread<T: Sync, R: Send>(&self, items: &[T], work: impl Fn(usize, &T) -> Vec<R> + Sync) -> Vec<R> {
        let size = items.len().div_ceil(self.0.max(1)).max(WORTH);
        let work = &work;
        std::thread::scope(|scope| {
            let chunk = |(number, chunk): (usize, &[T])| -> Vec<R> {
                chunk.iter().enumerate().flat_map(|(index, item)| work(number * size + index, item)).collect()
            };
            let mut chunks = items.chunks(size).enumerate();
            // The first chunk is this thread's own.
            let first = chunks.next();
            let others: Vec<_> = chunks.map(|numbered| scope.spawn(move || chunk(numbered))).collect();
            let mut out = first.map(chunk).unwrap_or_default();
            for other in others {
                match other.join() {
                    Ok(part) => out.extend(part),
                    Err(panic) => std::panic::resume_unwind(panic),
                }
            }
            out
        })
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
            }
        }
    }
}
