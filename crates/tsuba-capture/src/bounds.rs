//! How much of a server's time and words is taken. What is over a bound ends in evidence that says so.

use std::time::Duration;

/// The bounds of a capture.
#[derive(Clone, Copy, Debug)]
pub struct Bounds {
    /// A message of more bytes is not read.
    pub message: usize,
    /// After so many bytes from one server the rest is not read; whoever judges evidence takes 32 MiB in one file.
    pub total: usize,
    /// A list of more pages is left there.
    pub pages: usize,
    /// So long an answer is waited for.
    pub answer: Duration,
    /// So long is waited to see whether a server is of the stateless era: servers of the other may be silent or end.
    pub probe: Duration,
    /// So long one session may take in all.
    pub session: Duration,
    /// So long fetching a package may take.
    pub fetch: Duration,
    /// After so many messages that nobody asked for a session ends.
    pub unasked: usize,
}

impl Default for Bounds {
    fn default() -> Self {
        Self {
            message: 8 << 20,
            total: 24 << 20,
            pages: 64,
            answer: Duration::from_secs(20),
            probe: Duration::from_secs(5),
            session: Duration::from_secs(60),
            fetch: Duration::from_secs(180),
            unasked: 2000,
        }
    }
}
