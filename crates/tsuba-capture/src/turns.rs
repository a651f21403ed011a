//! Turns: so many may work at once, the others wait. A package client works hard; many at once would each take too long.

use std::num::NonZeroUsize;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Condvar, Mutex, PoisonError};
use std::thread::available_parallelism;
use std::time::Duration;

/// So many clients work at once for each processor: they wait for the network half of the time.
const FOR_EACH: usize = 2;
/// So often it is looked whether to stop.
const LOOKS: Duration = Duration::from_millis(100);

/// Who may work.
#[derive(Debug)]
pub(crate) struct Turns {
    free: Mutex<usize>,
    given_back: Condvar,
}

/// A turn; it is given back when this is dropped.
#[derive(Debug)]
pub(crate) struct Turn<'t>(&'t Turns);

impl Turns {
    /// As many as this machine can do at once.
    pub(crate) fn of_this_machine() -> Self {
        Self::new(FOR_EACH * available_parallelism().map_or(1, NonZeroUsize::get))
    }

    fn new(count: usize) -> Self {
        Self { free: Mutex::new(count), given_back: Condvar::new() }
    }

    /// Waits for a turn; `None` after a stop.
    pub(crate) fn take(&self, stop: &AtomicBool) -> Option<Turn<'_>> {
        let mut free = self.free.lock().unwrap_or_else(PoisonError::into_inner);
        while !stop.load(Ordering::Relaxed) {
            if let Some(rest) = free.checked_sub(1) {
                *free = rest;
                return Some(Turn(self));
            }
            free = self.given_back.wait_timeout(free, LOOKS).unwrap_or_else(PoisonError::into_inner).0;
        }
        None
    }
}

impl Drop for Turn<'_> {
    fn drop(&mut self) {
        *self.0.free.lock().unwrap_or_else(PoisonError::into_inner) += 1;
        self.0.given_back.notify_one();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::AtomicUsize;

    #[test]
    fn no_more_work_at_once_than_there_are_turns_and_everybody_gets_one() {
        let (turns, stop) = (Turns::new(2), AtomicBool::new(false));
        let (now, most, all) = (AtomicUsize::new(0), AtomicUsize::new(0), AtomicUsize::new(0));
        std::thread::scope(|scope| {
            for _ in 0..8 {
                scope.spawn(|| {
                    let _turn = turns.take(&stop).unwrap();
                    most.fetch_max(now.fetch_add(1, Ordering::SeqCst) + 1, Ordering::SeqCst);
                    std::thread::sleep(Duration::from_millis(20));
                    now.fetch_sub(1, Ordering::SeqCst);
                    all.fetch_add(1, Ordering::SeqCst);
                });
            }
        });
        assert_eq!((most.load(Ordering::SeqCst), all.load(Ordering::SeqCst)), (2, 8));
    }

    #[test]
    fn nobody_waits_after_a_stop() {
        let (turns, stop) = (Turns::new(1), AtomicBool::new(false));
        let _taken = turns.take(&stop).unwrap();
        stop.store(true, Ordering::Relaxed);
        assert!(turns.take(&stop).is_none());
    }
}
