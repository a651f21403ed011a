//! What is told on a terminal while the work goes on.

use indicatif::{ProgressBar, ProgressStyle};
use std::io::{self, IsTerminal as _};
use std::time::{Duration, Instant};

/// A line on standard error that counts, shown only on a terminal and only when the work is long.
pub(crate) struct Progress {
    bar: ProgressBar,
    started: Instant,
}

impl Progress {
    const AFTER: Duration = Duration::from_secs(1);

    pub(crate) fn new() -> Self {
        let bar = if io::stderr().is_terminal() { ProgressBar::new_spinner() } else { ProgressBar::hidden() };
        if let Ok(style) = ProgressStyle::with_template("{spinner} {pos} files read, {elapsed}") {
            bar.set_style(style);
        }
        Self { bar, started: Instant::now() }
    }

    pub(crate) fn step(&self) {
        if self.started.elapsed() > Self::AFTER {
            self.bar.inc(1);
        }
    }

    pub(crate) fn done(&self) {
        self.bar.finish_and_clear();
    }
}

/// A bar on standard error that counts up to a known number, shown only on a terminal.
pub(crate) fn bar(count: usize, what: &str) -> ProgressBar {
    if !io::stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let bar = ProgressBar::new(count as u64);
    if let Ok(style) = ProgressStyle::with_template(&format!("{{bar:30}} {{pos}} of {{len}} {what}, {{elapsed}}")) {
        bar.set_style(style);
    }
    bar.enable_steady_tick(Duration::from_millis(200));
    bar
}
