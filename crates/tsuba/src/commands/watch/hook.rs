//! The program that is called for each change.

use crate::output;
use std::io::Write as _;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// One that runs longer is ended.
const MAX_RUN: Duration = Duration::from_secs(60);
/// So often it is looked whether it has ended.
const PAUSE: Duration = Duration::from_millis(20);

/// Calls a program with the differences on its standard input, a line each as JSON, and waits for it. What goes wrong is told, and watching
/// goes on.
pub(super) fn call(program: &Path, lines: &[u8]) {
    let name = program.display();
    // What it prints is no report of ours.
    let child = Command::new(program).stdin(Stdio::piped()).stdout(Stdio::null()).spawn();
    let mut child = match child {
        Ok(child) => child,
        Err(error) => return output::note(&format!("--on-change {name}: cannot be started ({error})")),
    };
    // One that reads nothing, or leaves its input to a program of its own, would hold us up.
    let (input, lines) = (child.stdin.take(), lines.to_vec());
    std::thread::spawn(move || input.map(|mut input| input.write_all(&lines)));
    match wait(&mut child) {
        Some(status) if status.success() => {}
        Some(status) => output::note(&format!("--on-change {name}: ended with {status}")),
        None => output::note(&format!("--on-change {name}: ended after {} seconds", MAX_RUN.as_secs())),
    }
}

/// How it ended; `None` where it had to be ended.
fn wait(child: &mut Child) -> Option<std::process::ExitStatus> {
    let end = Instant::now() + MAX_RUN;
    loop {
        match child.try_wait() {
            Ok(Some(status)) => return Some(status),
            Ok(None) if Instant::now() < end => std::thread::sleep(PAUSE),
            _ => {
                let _ = child.kill();
                let _ = child.wait();
                return None;
            }
        }
    }
}
