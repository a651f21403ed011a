//! The first stage: leaves the machine's namespaces, and waits for the second.

use nix::sched::{CloneFlags, unshare};
use rustix::process::{Signal, set_parent_process_death_signal};
use std::fs;
use std::os::unix::process::ExitStatusExt as _;
use std::process::Command;

pub(super) fn run() -> Result<u8, String> {
    let failed = |what: &str, error: &dyn std::fmt::Display| format!("no cage: {what} ({error})");
    // Whoever asked for the cage may be killed: nothing stays behind.
    set_parent_process_death_signal(Some(Signal::KILL))
        .map_err(|e| failed("the system tells no end of a parent", &e))?;
    let (user, group) = (rustix::process::geteuid().as_raw(), rustix::process::getegid().as_raw());
    let all = CloneFlags::CLONE_NEWUSER
        | CloneFlags::CLONE_NEWNS
        | CloneFlags::CLONE_NEWPID
        | CloneFlags::CLONE_NEWNET
        | CloneFlags::CLONE_NEWIPC
        | CloneFlags::CLONE_NEWUTS;
    unshare(all).map_err(|e| failed("the system gives no namespaces of one's own", &e))?;
    for (file, text) in
        [("setgroups", "deny".to_owned()), ("uid_map", format!("0 {user} 1")), ("gid_map", format!("0 {group} 1"))]
    {
        fs::write(format!("/proc/self/{file}"), text).map_err(|e| failed("the user cannot be mapped", &e))?;
    }
    let program = std::env::current_exe().map_err(|e| failed("this program is not to be found", &e))?;
    let mut inner = Command::new(program);
    let status = inner.args(["cage", "inner"]).status();
    let status = status.map_err(|e| failed("its first process does not start", &e))?;
    let code = status.code().or_else(|| status.signal().map(|signal| 128 + signal)).unwrap_or(2);
    Ok(u8::try_from(code).unwrap_or(2))
}
