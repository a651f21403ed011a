//! The second stage: the first process of the new namespaces. It builds what the server sees, starts it, watches it, and takes everything
//! with it when it ends.

use super::watch::{Report, Watch};
use super::{Plan, SELF, files, network};
use rustix::process::{Pid, Signal, WaitOptions, set_parent_process_death_signal, wait};
use std::fmt::Display;
use std::fs;
use std::process::Command;
use std::thread;
use std::time::Duration;

/// More processes than this are too many.
const PROCESSES: usize = 200;
/// More memory than this is too much (bytes).
const MEMORY: u64 = 3 << 30;
/// It looks so often.
const OFTEN: Duration = Duration::from_millis(5);

pub(super) fn run(plan: &Plan) -> Result<u8, String> {
    let failed = |what: &str, error: &dyn Display| format!("no cage: {what} ({error})");
    set_parent_process_death_signal(Some(Signal::KILL))
        .map_err(|e| failed("the system tells no end of a parent", &e))?;
    let report = Report::create(&plan.report).map_err(|e| failed("nothing can be written down", &e))?;
    let decoys = files::enter(plan).map_err(|e| failed("its file system cannot be built", &e))?;
    network::up(&report).map_err(|e| failed("its network cannot be built", &e))?;
    rustix::system::sethostname(b"cage").map_err(|e| failed("it cannot be named", &e))?;
    // From Linux 6.14 on each namespace has a limit of its own; where it has none, the watch below must do.
    let _limited = fs::write("/proc/sys/kernel/pid_max", "512");
    files::close().map_err(|e| failed("the process list cannot be closed", &e))?;
    let mut watch = Watch::new(decoys, &plan.helper, report.clone()).map_err(|e| failed("it cannot be watched", &e))?;
    let server = Command::new(SELF)
        .args(["cage", "server"])
        .arg(&plan.cwd)
        .arg(&plan.program)
        .args(&plan.args)
        .env_clear()
        .envs(plan.env.iter().map(|(name, value)| (name, value)))
        .spawn()
        .map_err(|e| failed("the server does not start", &e))?;
    let server = i32::try_from(server.id()).ok().and_then(Pid::from_raw);
    loop {
        let (count, memory) = watch.look();
        let over = match (count > PROCESSES, memory > MEMORY) {
            (true, _) => Some("too many processes"),
            (false, true) => Some("too much memory"),
            (false, false) => None,
        };
        if let Some(over) = over {
            report.note("limit", over);
            // This process ends, and with it everything in its namespace.
            return Ok(137);
        }
        while let Ok(Some((pid, status))) = wait(WaitOptions::NOHANG) {
            if Some(pid) == server {
                watch.look();
                let code = status.exit_status().or_else(|| status.terminating_signal().map(|signal| 128 + signal));
                return Ok(u8::try_from(code.unwrap_or(2)).unwrap_or(2));
            }
        }
        thread::sleep(OFTEN);
    }
}
