//! The third stage: gives up every right that is left, and becomes the server.

use landlock::RulesetStatus;
use landlock::{
    ABI, Access as _, AccessFs, CompatLevel, Compatible as _, Ruleset, RulesetAttr as _, RulesetCreatedAttr as _,
    Scope, path_beneath_rules,
};
use libc::c_long;
use rustix::process::{Resource, Rlimit, setrlimit};
use rustix::thread::{
    CapabilitySet, CapabilitySets, clear_ambient_capability_set, remove_capability_from_bounding_set,
};
use rustix::thread::{set_capabilities, set_no_new_privs};
use seccompiler::{
    BpfProgram, SeccompAction, SeccompCmpArgLen, SeccompCmpOp, SeccompCondition, SeccompFilter, SeccompRule,
    apply_filter,
};
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::fmt::Display;
use std::os::unix::process::CommandExt as _;
use std::path::Path;
use std::process::Command;

pub(super) fn run(cwd: &Path, program: &Path, args: &[OsString]) -> Result<u8, String> {
    let failed = |what: &str, error: &dyn Display| format!("no cage: {what} ({error})");
    limits().map_err(|e| failed("the system sets no limits", &e))?;
    std::env::set_current_dir(cwd).map_err(|e| failed("the server's folder is not there", &e))?;
    for capability in CapabilitySet::all().iter() {
        // What the system does not know it does not give.
        let _unknown = remove_capability_from_bounding_set(capability);
    }
    clear_ambient_capability_set().map_err(|e| failed("rights cannot be given up", &e))?;
    set_no_new_privs(true).map_err(|e| failed("rights cannot be given up", &e))?;
    if files().map_err(|e| failed("files cannot be locked away", &e))? == RulesetStatus::NotEnforced {
        return Err("no cage: the system has no Landlock".to_owned());
    }
    let none = CapabilitySet::empty();
    let nothing = CapabilitySets { effective: none, permitted: none, inheritable: none };
    set_capabilities(None, nothing).map_err(|e| failed("rights cannot be given up", &e))?;
    calls().map_err(|e| failed("calls cannot be forbidden", &e))?;
    // This only returns where it fails.
    let error = Command::new(program).args(args).exec();
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
    ] {
        setrlimit(resource, Rlimit { current: Some(most), maximum: Some(most) })?;
    }
    Ok(())
}

/// Landlock: the same again as the mounts, by other means.
fn files() -> Result<RulesetStatus, landlock::RulesetError> {
    let abi = ABI::V6;
    let read = AccessFs::from_read(abi);
    let write = ["/home", "/tmp", "/dev/null", "/dev/zero", "/dev/full"];
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

/// Calls by which a process leaves its cage, looks into others, or speaks to parts of the system that no server needs.
const FORBIDDEN: &[c_long] = &[
    libc::SYS_acct,
    libc::SYS_add_key,
    libc::SYS_bpf,
    libc::SYS_clock_adjtime,
    libc::SYS_clock_settime,
    libc::SYS_delete_module,
    libc::SYS_fanotify_init,
    libc::SYS_finit_module,
    libc::SYS_fsconfig,
    libc::SYS_fsmount,
    libc::SYS_fsopen,
    libc::SYS_fspick,
    libc::SYS_init_module,
    libc::SYS_io_uring_enter,
    libc::SYS_io_uring_register,
    libc::SYS_io_uring_setup,
    libc::SYS_kcmp,
    libc::SYS_kexec_load,
    libc::SYS_keyctl,
    libc::SYS_mount,
    libc::SYS_mount_setattr,
    libc::SYS_move_mount,
    libc::SYS_name_to_handle_at,
    libc::SYS_open_by_handle_at,
    libc::SYS_open_tree,
    libc::SYS_perf_event_open,
    libc::SYS_pidfd_getfd,
    libc::SYS_pivot_root,
    libc::SYS_process_vm_readv,
    libc::SYS_process_vm_writev,
    libc::SYS_ptrace,
    libc::SYS_quotactl,
    libc::SYS_reboot,
    libc::SYS_request_key,
    libc::SYS_setns,
    libc::SYS_settimeofday,
    libc::SYS_swapoff,
    libc::SYS_swapon,
    libc::SYS_syslog,
    libc::SYS_umount2,
    libc::SYS_unshare,
    libc::SYS_userfaultfd,
];

/// Kinds of sockets that no server needs: raw packets, the kernel's ciphers, virtual machines.
const FAMILIES: &[i32] = &[libc::AF_PACKET, libc::AF_ALG, libc::AF_VSOCK];

fn calls() -> Result<(), Box<dyn std::error::Error>> {
    let arch = std::env::consts::ARCH.try_into()?;
    let is = |argument: u8, operator: SeccompCmpOp, value: u64| -> Result<SeccompRule, seccompiler::BackendError> {
        SeccompRule::new(vec![SeccompCondition::new(argument, SeccompCmpArgLen::Dword, operator, value)?])
    };
    let mut rules: BTreeMap<c_long, Vec<SeccompRule>> = FORBIDDEN.iter().map(|call| (*call, Vec::new())).collect();
    let families = FAMILIES.iter().map(|family| is(0, SeccompCmpOp::Eq, u64::try_from(*family).unwrap_or(0)));
    rules.insert(libc::SYS_socket, families.collect::<Result<_, _>>()?);
    // New namespaces may be asked for by `clone` as well.
    let spaces = [
        libc::CLONE_NEWUSER,
        libc::CLONE_NEWNS,
        libc::CLONE_NEWPID,
        libc::CLONE_NEWNET,
        libc::CLONE_NEWIPC,
        libc::CLONE_NEWUTS,
        libc::CLONE_NEWCGROUP,
    ];
    let bits = spaces.iter().map(|space| {
        let bit = u64::try_from(*space).unwrap_or(0);
        is(0, SeccompCmpOp::MaskedEq(bit), bit)
    });
    rules.insert(libc::SYS_clone, bits.collect::<Result<_, _>>()?);
    let refuse =
        |rules: BTreeMap<c_long, Vec<SeccompRule>>, error: i32| -> Result<BpfProgram, seccompiler::BackendError> {
            let error = SeccompAction::Errno(u32::try_from(error).unwrap_or(1));
            SeccompFilter::new(rules, SeccompAction::Allow, error, arch)?.try_into()
        };
    // Its flags lie in memory, where no filter sees them: programs do without it where it is not there.
    apply_filter(&refuse(BTreeMap::from([(libc::SYS_clone3, Vec::new())]), libc::ENOSYS)?)?;
    apply_filter(&refuse(rules, libc::EPERM)?)?;
    Ok(())
}
