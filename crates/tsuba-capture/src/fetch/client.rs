//! Running a package client: in a folder where no project's settings lie, within a time, with its output bounded.

use rustix::process::{Pid, Signal, kill_process_group};
use std::io::Read;
use std::os::unix::process::CommandExt as _;
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::thread;
use std::time::{Duration, Instant};

/// More of what a client says is not read (bytes).
const MAX_OUTPUT_BYTES: u64 = 16 << 20;

/// Where and how long a client may work.
pub(super) struct Work<'w> {
    /// The folder of its own.
    pub(super) folder: &'w Path,
    /// When it has taken long enough.
    pub(super) until: Instant,
    pub(super) stop: &'w AtomicBool,
}

/// What a client said.
pub(super) struct Said {
    pub(super) success: bool,
    pub(super) out: String,
    pub(super) err: String,
}

impl Work<'_> {
    /// Runs a client to its end. It has the user's environment: how registries are reached and paid for is set up there.
    pub(super) fn run(&self, program: &str, args: &[&str]) -> Result<Said, String> {
        let mut command = Command::new(program);
        // A project's own settings could name another registry: it is started where none lie.
        command.args(args).current_dir(self.folder).process_group(0);
        command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped());
        let mut child = command.spawn().map_err(|_| format!("{program} is not installed, or does not start"))?;
        let (done, ended) = channel();
        let streams: [Option<Box<dyn Read + Send>>; 2] =
            [child.stdout.take().map(|out| Box::new(out) as _), child.stderr.take().map(|err| Box::new(err) as _)];
        for (at, stream) in streams.into_iter().enumerate() {
            let done = done.clone();
            thread::spawn(move || {
                let mut bytes = Vec::new();
                if let Some(mut stream) = stream {
                    let _broken = stream.by_ref().take(MAX_OUTPUT_BYTES).read_to_end(&mut bytes);
                    let _rest = std::io::copy(&mut stream, &mut std::io::sink());
                }
                let _gone = done.send((at, String::from_utf8_lossy(&bytes).into_owned()));
            });
        }
        let mut said = [String::new(), String::new()];
        let mut left = said.len();
        while left > 0 {
            match ended.recv_timeout(Duration::from_millis(50)) {
                Ok((at, text)) => {
                    left -= 1;
                    said.iter_mut().skip(at).take(1).for_each(|said| said.clone_from(&text));
                }
                Err(RecvTimeoutError::Disconnected) => break,
                Err(RecvTimeoutError::Timeout) => {
                    let stopped = self.stop.load(Ordering::Relaxed);
                    if stopped || Instant::now() > self.until {
                        if let Some(group) = i32::try_from(child.id()).ok().and_then(Pid::from_raw) {
                            let _gone = kill_process_group(group, Signal::KILL);
                        }
                        let _gone = child.wait();
                        return Err(if stopped { "stopped".to_owned() } else { format!("{program} took too long") });
                    }
                }
            }
        }
        // It may go on after it has closed its streams.
        let status = loop {
            match child.try_wait() {
                Ok(Some(status)) => break status,
                Ok(None) if !self.stop.load(Ordering::Relaxed) && Instant::now() < self.until => {
                    thread::sleep(Duration::from_millis(10));
                }
                Ok(None) | Err(_) => {
                    let _gone = child.kill();
                    let _gone = child.wait();
                    return Err(format!("{program} did not end"));
                }
            }
        };
        let [out, err] = said;
        Ok(Said { success: status.success(), out, err })
    }
}
