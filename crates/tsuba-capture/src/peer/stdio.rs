//! A server that is a program: messages over its standard streams.

use super::{Failure, Outgoing, Peer};
use crate::wire::{Line, Lines};
use rustix::process::{Pid, Signal, kill_process_group};
use std::ffi::OsString;
use std::io::{Read, Write};
use std::os::unix::process::{CommandExt as _, ExitStatusExt as _};
use std::path::PathBuf;
use std::process::{Child, Command, ExitStatus, Stdio as Piped};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel, sync_channel};
use std::thread;
use std::time::{Duration, Instant};

/// A program and what it is given.
#[derive(Clone, Debug, Default)]
pub struct Launch {
    /// The program.
    pub program: OsString,
    /// Its arguments.
    pub args: Vec<OsString>,
    /// Its environment, all of it.
    pub env: Vec<(OsString, OsString)>,
    /// The folder it is started in.
    pub cwd: Option<PathBuf>,
    /// Folders of its own that it needs, beside what it is started from.
    pub shown: Vec<PathBuf>,
    /// Where a cage looks for the program; without one, the environment says it.
    pub search: OsString,
    /// What it reads before the first message.
    pub preface: Vec<u8>,
}

/// A program that is running.
pub(crate) struct Stdio {
    child: Child,
    to: Option<Sender<Vec<u8>>>,
    from: Receiver<Line>,
}

/// After its input has ended a program has so long to end by itself, and after being asked to.
const GRACE: Duration = Duration::from_millis(500);
/// Lines that wait to be looked at; a program that writes faster waits.
const WAITING: usize = 64;

impl Stdio {
    /// Starts a program, in a process group of its own.
    pub(crate) fn start(launch: &Launch, longest: usize) -> Result<Self, Failure> {
        let mut command = Command::new(&launch.program);
        command.args(&launch.args).env_clear().envs(launch.env.iter().map(|(name, value)| (name, value)));
        command.stdin(Piped::piped()).stdout(Piped::piped()).stderr(Piped::piped()).process_group(0);
        if let Some(cwd) = &launch.cwd {
            command.current_dir(cwd);
        }
        let mut child = command.spawn().map_err(|error| not_started(launch, &error))?;
        let (to, outgoing) = channel::<Vec<u8>>();
        // Where it is gone already, the first answer will say so.
        let _gone = to.send(launch.preface.clone());
        let (incoming, from) = sync_channel(WAITING);
        if let Some(mut input) = child.stdin.take() {
            // A program that does not read must not hold us up.
            thread::spawn(move || {
                for message in outgoing {
                    if input.write_all(&message).and_then(|()| input.flush()).is_err() {
                        break;
                    }
                }
            });
        }
        if let Some(mut output) = child.stdout.take() {
            thread::spawn(move || {
                let mut lines = Lines::new(longest);
                let mut piece = vec![0; 64 * 1024];
                while let Ok(length @ 1..) = output.read(&mut piece) {
                    for line in lines.push(piece.get(..length).unwrap_or_default()) {
                        if incoming.send(line).is_err() {
                            return;
                        }
                    }
                }
                if let Some(line) = lines.end() {
                    let _ended = incoming.send(line);
                }
            });
        }
        if let Some(mut errors) = child.stderr.take() {
            // What it says there may hold anything, its secrets too: it is read so that the program goes on, and kept nowhere.
            thread::spawn(move || std::io::copy(&mut errors, &mut std::io::sink()));
        }
        Ok(Self { child, to: Some(to), from })
    }

    fn wait(&mut self, until: Instant) -> Option<ExitStatus> {
        loop {
            match self.child.try_wait() {
                Ok(Some(status)) => return Some(status),
                Ok(None) if Instant::now() < until => thread::sleep(Duration::from_millis(5)),
                Ok(None) | Err(_) => return None,
            }
        }
    }

    fn signal(&self, signal: Signal) {
        if let Some(group) = i32::try_from(self.child.id()).ok().and_then(Pid::from_raw) {
            // A group that is gone needs no signal.
            let _gone = kill_process_group(group, signal);
        }
    }
}

impl Peer for Stdio {
    fn send(&mut self, message: Outgoing<'_>) -> Result<(), Failure> {
        let line = [message.text.as_bytes(), b"\n"].concat();
        match self.to.as_ref().map(|to| to.send(line)) {
            Some(Ok(())) => Ok(()),
            Some(Err(_)) | None => Err(Failure::Ended(String::new())),
        }
    }

    fn receive(&mut self, until: Instant) -> Result<Vec<u8>, Failure> {
        match self.from.recv_timeout(until.saturating_duration_since(Instant::now())) {
            Ok(Line::Whole(line)) => Ok(line),
            Ok(Line::TooLong(bytes)) => Err(Failure::TooLong(bytes)),
            Err(RecvTimeoutError::Timeout) => Err(Failure::Timeout),
            Err(RecvTimeoutError::Disconnected) => {
                let status = self.wait(Instant::now() + GRACE);
                Err(Failure::Ended(status.map(how).unwrap_or_default()))
            }
        }
    }

    fn close(&mut self) {
        self.to = None;
        if self.wait(Instant::now() + GRACE).is_none() {
            self.signal(Signal::TERM);
            self.wait(Instant::now() + GRACE);
        }
    }
}

impl Drop for Stdio {
    fn drop(&mut self) {
        // Whatever it started is in its group; nothing of it stays behind.
        self.signal(Signal::KILL);
        let _gone = self.child.wait();
    }
}

/// Why a program could not be started.
pub(crate) fn not_started(launch: &Launch, error: &std::io::Error) -> Failure {
    let why = match error.kind() {
        std::io::ErrorKind::NotFound => "there is no such program",
        std::io::ErrorKind::PermissionDenied => "it may not be run",
        _ => "the system does not start it",
    };
    Failure::NotStarted(format!("cannot start {}: {why}", launch.program.to_string_lossy()))
}

fn how(status: ExitStatus) -> String {
    match (status.code(), status.signal()) {
        (Some(code), _) => format!(" with status {code}"),
        (None, Some(signal)) => format!(" by signal {signal}"),
        (None, None) => String::new(),
    }
}
