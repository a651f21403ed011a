//! The second stage: the first process of the new namespaces. It builds what the server sees, starts it, watches it, and takes everything
//! with it when it ends.

use super::plan::Build;
use super::processes::Processes;
use super::watch::{Report, Watch};
use super::{files, network};
use rustix::process::{
    DumpableBehavior, Pid, Signal, WaitOptions, set_dumpable_behavior, set_parent_process_death_signal, setsid, wait,
};
use std::fmt::Display;
use std::fs::File;
use std::os::fd::AsRawFd as _;
use std::process::Command;
use std::thread;
use std::time::Duration;

/// More processes than this are too many.
const MAX_PROCESSES: usize = 200;
/// More memory than this is too much (bytes).
const MAX_MEMORY: u64 = 3 << 30;
/// More open files than this, in all processes, are too many: each may hold some hundred kilobytes that belong to nobody.
const MAX_FILES: u64 = 4096;
/// It looks so often.
const OFTEN: Duration = Duration::from_millis(5);

pub(super) fn run(plan: &Build) -> Result<u8, String> {
    let failed = |what: &str, error: &dyn Display| format!("no cage: {what} ({error})");
    set_parent_process_death_signal(Some(Signal::KILL))
        .map_err(|e| failed("the system does not signal the end of a parent", &e))?;
    // Without a terminal there is none to write commands into.
    let _alone = setsid();
    let own = File::open(super::SELF).map_err(|e| failed("this program cannot be read", &e))?;
    let report = Report::create(&plan.report).map_err(|e| failed("nothing can be written down", &e))?;
    let decoys = files::enter(plan).map_err(|e| failed("its file system cannot be built", &e))?;
    network::up(&report).map_err(|e| failed("its network cannot be built", &e))?;
    rustix::system::sethostname(b"cage").map_err(|e| failed("it cannot be named", &e))?;
    let mut watch = Watch::new(decoys, report.clone()).map_err(|e| failed("it cannot be watched", &e))?;
    let mut processes = Processes::new(report.clone()).map_err(|e| failed("it has no process list", &e))?;
    set_dumpable_behavior(DumpableBehavior::NotDumpable).map_err(|e| failed("it cannot be closed to tracing", &e))?;
    let server = Command::new(format!("/proc/self/fd/{}", own.as_raw_fd()))
        .args(["cage", "server"])
        .env_clear()
        .spawn()
        .map_err(|e| failed("the server does not start", &e))?;
    let server = i32::try_from(server.id()).ok().and_then(Pid::from_raw);
    loop {
        watch.look();
        let used = processes.look();
        let over = [
            (used.processes > MAX_PROCESSES, "too many processes"),
            (used.memory > MAX_MEMORY, "too much memory"),
            (used.files > MAX_FILES, "too many open files"),
        ];
        if let Some((_, over)) = over.iter().find(|(is_over, _)| *is_over) {
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
