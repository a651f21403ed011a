//! The third stage: gives up every right that is left, and becomes the server.

use super::plan::Start;
use super::{calls, map_user, process_list};
use landlock::{
    ABI, Access as _, AccessFs, CompatLevel, Compatible as _, Ruleset, RulesetAttr as _, RulesetCreatedAttr as _,
    RulesetStatus, Scope, path_beneath_rules,
};
use nix::sched::{CloneFlags, unshare};
use rustix::process::{DumpableBehavior, Resource, Rlimit, set_dumpable_behavior, setrlimit};
use rustix::thread::{
    CapabilitySet, CapabilitySets, clear_ambient_capability_set, remove_capability_from_bounding_set, set_capabilities,
    set_no_new_privs,
};
use std::fmt::Display;
use std::os::unix::process::CommandExt as _;
use std::path::Path;
use std::process::Command;

/// The number of the user and group that the server is, inside.
const CREW: u32 = 1000;

pub(super) fn run(start: &Start) -> Result<u8, String> {
    let failed = |what: &str, error: &dyn Display| format!("no cage: {what} ({error})");
    let rights = |error: &dyn Display| failed("rights cannot be given up", error);
    // A user namespace below the one that the cage was built in: every mount is now locked as it is, whatever rights a process gets in
    // here, and nobody can tell who the user is outside.
    unshare(CloneFlags::CLONE_NEWUSER | CloneFlags::CLONE_NEWNS).map_err(|e| failed("mounts cannot be locked", &e))?;
    let map = format!("{CREW} 0 1");
    map_user(&map, &map).map_err(|e| failed("the user cannot be mapped", &e))?;
    process_list::close().map_err(|e| failed("the process list cannot be closed", &e))?;
    set_dumpable_behavior(DumpableBehavior::NotDumpable).map_err(|e| rights(&e))?;
    limits().map_err(|e| failed("the system sets no limits", &e))?;
    for capability in CapabilitySet::all().iter() {
        // What the system does not know it does not give.
        let _unknown = remove_capability_from_bounding_set(capability);
    }
    clear_ambient_capability_set().map_err(|e| rights(&e))?;
    set_no_new_privs(true).map_err(|e| rights(&e))?;
    if files().map_err(|e| failed("files cannot be locked away", &e))? == RulesetStatus::NotEnforced {
        return Err("no cage: the system has no Landlock".to_owned());
    }
    let none = CapabilitySet::empty();
    let nothing = CapabilitySets { effective: none, permitted: none, inheritable: none };
    set_capabilities(None, nothing).map_err(|e| rights(&e))?;
    // From here on something that the setup names is looked at.
    std::env::set_current_dir(&start.cwd).map_err(|e| failed("the server's folder is not there", &e))?;
    let mut server = Command::new(&start.program);
    server.args(&start.args).env_clear().envs(start.env.iter().map(|(name, value)| (name, value)));
    calls::forbid().map_err(|e| failed("calls cannot be forbidden", &e))?;
    // This only returns where it fails.
    let error = server.exec();
    Err(format!("the server cannot be started in its cage ({error})"))
}

fn limits() -> rustix::io::Result<()> {
    const MIB: u64 = 1 << 20;
    for (resource, most) in [
        (Resource::Core, 0),
        (Resource::Cpu, 120),
        (Resource::Data, 2048 * MIB),
        (Resource::Fsize, 32 * MIB),
        (Resource::Nofile, 1024),
        (Resource::Nproc, 128),
        (Resource::Memlock, MIB),
        (Resource::Msgqueue, 0),
        (Resource::Sigpending, 1024),
    ] {
        setrlimit(resource, Rlimit { current: Some(most), maximum: Some(most) })?;
    }
    Ok(())
}

/// Landlock: the same again as the mounts, by other means.
fn files() -> Result<RulesetStatus, landlock::RulesetError> {
    let abi = ABI::V6;
    let read = AccessFs::from_read(abi);
    let write = ["/home", "/tmp", "/dev/null", "/dev/full"];
    let there = |path: &&str| Path::new(path).exists();
    let restricted = Ruleset::default()
        .set_compatibility(CompatLevel::BestEffort)
        .handle_access(AccessFs::from_all(abi))?
        .scope(Scope::from_all(abi))?
        .create()?
        .add_rules(path_beneath_rules(["/"], read))?
        .add_rules(path_beneath_rules(write.iter().filter(|path| there(path)), AccessFs::from_all(abi)))?
        .restrict_self()?;
    Ok(restricted.ruleset)
}
