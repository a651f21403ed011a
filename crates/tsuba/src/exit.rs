//! The exit status, decided in one place: 0 nothing at or above the gate, 1 something is, 2 the work could not be done.

use std::io::{self, Write};
use std::process::ExitCode;

/// What a command that did its work has to say about it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Done {
    /// Nothing at or above the gate.
    Clean,
    /// Something is.
    Gated,
    /// A program that was run in our place ended so.
    As(u8),
}

/// Turns an outcome into the exit status and tells an error on standard error.
pub(crate) fn status(outcome: anyhow::Result<Done>) -> ExitCode {
    match outcome {
        Ok(Done::Clean) => ExitCode::SUCCESS,
        Ok(Done::Gated) => ExitCode::from(1),
        Ok(Done::As(code)) => ExitCode::from(code),
        // Whoever reads our output may stop reading.
        Err(error)
            if error.chain().any(|cause| {
                cause.downcast_ref::<io::Error>().is_some_and(|e| e.kind() == io::ErrorKind::BrokenPipe)
            }) =>
        {
            ExitCode::SUCCESS
        }
        Err(error) => {
            // Paths, names and what a library says of them come from outside, like everything in a report.
            let cleaner = tsuba_core::judge::wary_cleaner();
            let told = format!("{error:#}");
            let lines: Vec<String> = told.lines().map(|line| cleaner.clean(line).to_string()).collect();
            // If standard error is gone too, the status still tells.
            let _ = writeln!(anstream::stderr(), "tsuba: {}", lines.join("\n"));
            ExitCode::from(2)
        }
    }
}

/// A panic's message may quote the input: only its place in the program is told.
pub(crate) fn quiet_panics() {
    std::panic::set_hook(Box::new(|info| {
        let place = info.location().map(ToString::to_string).unwrap_or_default();
        let _ = writeln!(io::stderr(), "tsuba: an internal error at {place}; please report it with that place");
    }));
}
