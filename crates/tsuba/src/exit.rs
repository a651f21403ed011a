//! The exit status, decided in one place: 0 nothing at or above the gate, 1 something is, 2 the work could not be done.

use crate::output;
use std::io::{self, Write};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::process::ExitCode;
use std::sync::atomic::{AtomicBool, Ordering};

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

/// Is there a panic that was told? A thread of the walk, of judging, of a capture or a caught one: none ends unnoticed.
static BROKEN: AtomicBool = AtomicBool::new(false);

/// Runs a command to its exit status. Whatever broke inside, on any thread, the status is 2 and one line tells.
pub(crate) fn run(command: impl FnOnce() -> anyhow::Result<Done>) -> ExitCode {
    std::panic::set_hook(Box::new(|info| {
        // A panic's message may quote the input: only its place in the program is told.
        if !BROKEN.swap(true, Ordering::Relaxed) {
            let place = info.location().map(ToString::to_string).unwrap_or_default();
            let _ = writeln!(io::stderr(), "tsuba: an internal error at {place}; please report it with that place");
        }
    }));
    // What the command leaves half done is not looked at again.
    let code = catch_unwind(AssertUnwindSafe(command)).map(status);
    match code {
        Ok(code) if !BROKEN.load(Ordering::Relaxed) => code,
        _ => ExitCode::from(2),
    }
}

/// Turns an outcome into the exit status and tells an error on standard error.
fn status(outcome: anyhow::Result<Done>) -> ExitCode {
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
            output::note(&format!("{error:#}"));
            ExitCode::from(2)
        }
    }
}
