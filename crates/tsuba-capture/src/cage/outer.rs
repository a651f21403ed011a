//! The first stage: leaves the machine's namespaces, and waits for the second.

use nix::sched::{CloneFlags, unshare};
use rustix::process::{Signal, set_parent_process_death_signal};
use std::ffi::OsString;
use std::fs;
use std::os::unix::process::ExitStatusExt as _;
use std::path::Path;
use std::process::Command;

/// The argument is the control group to run in, where there is one.
pub(super) fn run(group: Option<&OsString>) -> Result<u8, String> {
    let failed = |what: &str, error: &dyn std::fmt::Display| format!("no cage: {what} ({error})");
    // Whoever asked for the cage may be killed: nothing stays behind.
    let dies = || set_parent_process_death_signal(Some(Signal::KILL));
    dies().map_err(|e| failed("the system does not signal the end of a parent", &e))?;
    if let Some(group) = group {
        fs::write(Path::new(group).join("cgroup.procs"), "0").map_err(|e| failed("its control group is closed", &e))?;
    }
    let (user, group) = (rustix::process::geteuid().as_raw(), rustix::process::getegid().as_raw());
    let all = CloneFlags::CLONE_NEWUSER
        | CloneFlags::CLONE_NEWNS
        | CloneFlags::CLONE_NEWPID
        | CloneFlags::CLONE_NEWNET
        | CloneFlags::CLONE_NEWIPC
        | CloneFlags::CLONE_NEWUTS
        | CloneFlags::CLONE_NEWCGROUP;
    unshare(all).map_err(|e| failed("the system does not allow user namespaces", &e))?;
    super::map_user(&format!("0 {user} 1"), &format!("0 {group} 1"))
        .map_err(|e| failed("the user cannot be mapped", &e))?;
    // Other rights may have cleared it.
    dies().map_err(|e| failed("the system does not signal the end of a parent", &e))?;
    let status = Command::new(super::SELF).args(["cage", "inner"]).env_clear().status();
    let status = status.map_err(|e| failed("its first process does not start", &e))?;
    let code = status.code().or_else(|| status.signal().map(|signal| 128 + signal)).unwrap_or(2);
    Ok(u8::try_from(code).unwrap_or(2))
}
