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
}
