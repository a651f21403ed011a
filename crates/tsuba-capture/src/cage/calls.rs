//! System calls: those that ordinary runtimes use are open, every other one is closed, the newest first of all.
//!
//! Two filters lie on each other. Both refuse: what nobody knows of is answered as a kernel would that is too old for it (`ENOSYS`), so that
//! runtimes go on without; what reaches for something is answered as forbidden (`EPERM`).

use libc::{c_long, *};
use seccompiler::{
    BackendError, BpfProgram, SeccompAction, SeccompCmpArgLen, SeccompCmpOp, SeccompCondition, SeccompFilter,
    SeccompRule, TargetArch, apply_filter,
};
use std::collections::BTreeMap;

/// Calls with any arguments, on every kind of processor.
const OPEN: &[c_long] = &[
    // Files.
    SYS_read,
    SYS_write,
    SYS_readv,
    SYS_writev,
    SYS_pread64,
    SYS_pwrite64,
    SYS_preadv,
    SYS_pwritev,
    SYS_preadv2,
    SYS_pwritev2,
    SYS_openat,
    SYS_close,
    SYS_close_range,
    SYS_lseek,
    SYS_fstat,
    SYS_newfstatat,
    SYS_statx,
    SYS_statfs,
    SYS_fstatfs,
    SYS_faccessat,
    SYS_faccessat2,
    SYS_readlinkat,
    SYS_getdents64,
    SYS_fcntl,
    SYS_flock,
    SYS_fsync,
    SYS_fdatasync,
    SYS_sync_file_range,
    SYS_truncate,
    SYS_ftruncate,
    SYS_fallocate,
    SYS_fadvise64,
    SYS_readahead,
    SYS_getcwd,
    SYS_chdir,
    SYS_fchdir,
    SYS_mkdirat,
    SYS_mknodat,
    SYS_unlinkat,
    SYS_renameat2,
    SYS_linkat,
    SYS_symlinkat,
    SYS_fchmod,
    SYS_fchmodat,
    SYS_fchown,
    SYS_fchownat,
    SYS_utimensat,
    SYS_umask,
    SYS_dup,
    SYS_dup3,
    SYS_pipe2,
    SYS_sendfile,
    SYS_copy_file_range,
    SYS_splice,
    SYS_tee,
    SYS_getxattr,
    SYS_lgetxattr,
    SYS_fgetxattr,
    SYS_listxattr,
    SYS_llistxattr,
    SYS_flistxattr,
    SYS_inotify_init1,
    SYS_inotify_add_watch,
    SYS_inotify_rm_watch,
    // Memory; `mmap` has a rule of its own.
    SYS_brk,
    SYS_mprotect,
    SYS_munmap,
    SYS_mremap,
    SYS_madvise,
    SYS_msync,
    SYS_mincore,
    SYS_mlock,
    SYS_mlock2,
    SYS_munlock,
    SYS_membarrier,
    SYS_pkey_alloc,
    SYS_pkey_free,
    SYS_pkey_mprotect,
    // Signals.
    SYS_rt_sigaction,
    SYS_rt_sigprocmask,
    SYS_rt_sigreturn,
    SYS_rt_sigpending,
    SYS_rt_sigtimedwait,
    SYS_rt_sigqueueinfo,
    SYS_rt_sigsuspend,
    SYS_rt_tgsigqueueinfo,
    SYS_sigaltstack,
    SYS_kill,
    SYS_tkill,
    SYS_tgkill,
    SYS_signalfd4,
    SYS_restart_syscall,
    // Processes and threads; `clone` and `prctl` have rules of their own.
    SYS_execve,
    SYS_execveat,
    SYS_exit,
    SYS_exit_group,
    SYS_wait4,
    SYS_waitid,
    SYS_set_tid_address,
    SYS_set_robust_list,
    SYS_get_robust_list,
    SYS_rseq,
    SYS_futex,
    SYS_sched_yield,
    SYS_sched_getaffinity,
    SYS_sched_setaffinity,
    SYS_sched_getparam,
    SYS_sched_setparam,
    SYS_sched_getscheduler,
    SYS_sched_setscheduler,
    SYS_sched_getattr,
    SYS_sched_get_priority_max,
    SYS_sched_get_priority_min,
    SYS_sched_rr_get_interval,
    SYS_getpriority,
    SYS_setpriority,
    SYS_getpid,
    SYS_getppid,
    SYS_gettid,
    SYS_getpgid,
    SYS_setpgid,
    SYS_getsid,
    SYS_setsid,
    SYS_getuid,
    SYS_geteuid,
    SYS_getgid,
    SYS_getegid,
    SYS_getresuid,
    SYS_getresgid,
    SYS_getgroups,
    SYS_setuid,
    SYS_setgid,
    SYS_setreuid,
    SYS_setregid,
    SYS_setresuid,
    SYS_setresgid,
    SYS_setfsuid,
    SYS_setfsgid,
    SYS_setgroups,
    SYS_capget,
    SYS_getrlimit,
    SYS_setrlimit,
    SYS_prlimit64,
    SYS_getrusage,
    SYS_times,
    SYS_getcpu,
    // Time.
    SYS_nanosleep,
    SYS_clock_nanosleep,
    SYS_clock_gettime,
    SYS_clock_getres,
    SYS_gettimeofday,
    SYS_getitimer,
    SYS_setitimer,
    SYS_timer_create,
    SYS_timer_settime,
    SYS_timer_gettime,
    SYS_timer_getoverrun,
    SYS_timer_delete,
    SYS_timerfd_create,
    SYS_timerfd_settime,
    SYS_timerfd_gettime,
    // Waiting and speaking; `socket` and `ioctl` have rules of their own.
    SYS_ppoll,
    SYS_pselect6,
    SYS_epoll_create1,
    SYS_epoll_ctl,
    SYS_epoll_pwait,
    SYS_epoll_pwait2,
    SYS_eventfd2,
    SYS_bind,
    SYS_listen,
    SYS_accept,
    SYS_accept4,
    SYS_connect,
    SYS_getsockname,
    SYS_getpeername,
    SYS_sendto,
    SYS_recvfrom,
    SYS_setsockopt,
    SYS_getsockopt,
    SYS_shutdown,
    SYS_sendmsg,
    SYS_recvmsg,
    SYS_sendmmsg,
    SYS_recvmmsg,
    // The machine, as far as every program asks.
    SYS_uname,
    SYS_sysinfo,
    SYS_getrandom,
];

/// The same by older names, which newer kinds of processors do without.
#[cfg(target_arch = "x86_64")]
const OLD: &[c_long] = &[
    SYS_open,
    SYS_creat,
    SYS_stat,
    SYS_lstat,
    SYS_access,
    SYS_readlink,
    SYS_getdents,
    SYS_mkdir,
    SYS_mknod,
    SYS_rmdir,
    SYS_unlink,
    SYS_rename,
    SYS_renameat,
    SYS_link,
    SYS_symlink,
    SYS_chmod,
    SYS_chown,
    SYS_lchown,
    SYS_utime,
    SYS_utimes,
    SYS_futimesat,
    SYS_dup2,
    SYS_pipe,
    SYS_poll,
    SYS_select,
    SYS_epoll_create,
    SYS_epoll_wait,
    SYS_eventfd,
    SYS_signalfd,
    SYS_inotify_init,
    SYS_fork,
    SYS_vfork,
    SYS_getpgrp,
    SYS_pause,
    SYS_alarm,
    SYS_time,
    SYS_arch_prctl,
];
#[cfg(not(target_arch = "x86_64"))]
const OLD: &[c_long] = &[SYS_renameat];

/// Calls by which a process leaves its cage, looks into others, or speaks to parts of the system that no server needs. They would be closed
/// anyway; who tries one is told that it is forbidden.
const FORBIDDEN: &[c_long] = &[
    SYS_acct,
    SYS_add_key,
    SYS_bpf,
    SYS_chroot,
    SYS_clock_adjtime,
    SYS_clock_settime,
    SYS_delete_module,
    SYS_fanotify_init,
    SYS_finit_module,
    SYS_fsconfig,
    SYS_fsmount,
    SYS_fsopen,
    SYS_fspick,
    SYS_init_module,
    SYS_io_uring_enter,
    SYS_io_uring_register,
    SYS_io_uring_setup,
    SYS_kcmp,
    SYS_kexec_load,
    SYS_keyctl,
    SYS_mount,
    SYS_mount_setattr,
    SYS_move_mount,
    SYS_name_to_handle_at,
    SYS_open_by_handle_at,
    SYS_open_tree,
    SYS_perf_event_open,
    SYS_personality,
    SYS_pidfd_getfd,
    SYS_pivot_root,
    SYS_process_vm_readv,
    SYS_process_vm_writev,
    SYS_ptrace,
    SYS_quotactl,
    SYS_reboot,
    SYS_request_key,
    SYS_setns,
    SYS_settimeofday,
    SYS_swapoff,
    SYS_swapon,
    SYS_syslog,
    SYS_umount2,
    SYS_unshare,
    SYS_userfaultfd,
];

/// What `prctl` may be asked for (prctl(2)).
const OF_A_PROCESS: &[c_int] = &[
    PR_SET_NAME,
    PR_GET_NAME,
    PR_SET_PDEATHSIG,
    PR_GET_PDEATHSIG,
    PR_SET_DUMPABLE,
    PR_GET_DUMPABLE,
    PR_CAPBSET_READ,
    PR_SET_NO_NEW_PRIVS,
    PR_GET_NO_NEW_PRIVS,
    PR_GET_SECCOMP,
    PR_SET_CHILD_SUBREAPER,
    PR_GET_CHILD_SUBREAPER,
    PR_SET_TIMERSLACK,
    PR_GET_TIMERSLACK,
    PR_SET_VMA,
    PR_SET_THP_DISABLE,
    PR_GET_THP_DISABLE,
    PR_GET_SECUREBITS,
];

/// What `ioctl` may be asked for: terminals that are none (ioctl_tty(2)), sockets (netdevice(7)), and what every file has.
const OF_A_FILE: &[u64] = &[
    // TCGETS, TCSETS, TCSETSW, TCSETSF, TIOCGPGRP, TIOCSPGRP, TIOCOUTQ, TIOCGWINSZ, FIONREAD, FIONBIO, FIONCLEX, FIOCLEX, FIOASYNC.
    0x5401,
    0x5402,
    0x5403,
    0x5404,
    0x540f,
    0x5410,
    0x5411,
    0x5413,
    0x541b,
    0x5421,
    0x5450,
    0x5451,
    0x5452,
    // TCGETS2.
    0x802c_542a,
    // SIOCATMARK, SIOCGIFNAME, SIOCGIFCONF, SIOCGIFFLAGS, SIOCGIFADDR, SIOCGIFBRDADDR, SIOCGIFNETMASK, SIOCGIFMTU, SIOCGIFHWADDR,
    // SIOCGIFINDEX.
    0x8905,
    0x8910,
    0x8912,
    0x8913,
    0x8915,
    0x8919,
    0x891b,
    0x8921,
    0x8927,
    0x8933,
];

/// New namespaces, which may be asked for by `clone` as well.
const SPACES: c_int =
    CLONE_NEWUSER | CLONE_NEWNS | CLONE_NEWPID | CLONE_NEWNET | CLONE_NEWIPC | CLONE_NEWUTS | CLONE_NEWCGROUP;

type Rules = BTreeMap<c_long, Vec<SeccompRule>>;

/// Closes everything else, for this process and all that it starts.
pub(super) fn forbid() -> Result<(), Box<dyn std::error::Error>> {
    let arch: TargetArch = std::env::consts::ARCH.try_into()?;
    let filter = |rules: Rules, otherwise: SeccompAction, then: SeccompAction| -> Result<BpfProgram, BackendError> {
        SeccompFilter::new(rules, otherwise, then, arch)?.try_into()
    };
    let refuse = |error: c_int| SeccompAction::Errno(error.unsigned_abs());
    // Of two refusals the later filter's counts: the first one's are open in the second.
    apply_filter(&filter(forbidden()?, SeccompAction::Allow, refuse(EPERM))?)?;
    apply_filter(&filter(open()?, refuse(ENOSYS), SeccompAction::Allow)?)?;
    Ok(())
}

fn is(argument: u8, operator: SeccompCmpOp, value: u64) -> Result<SeccompCondition, BackendError> {
    SeccompCondition::new(argument, SeccompCmpArgLen::Dword, operator, value)
}

/// A number of the system's headers, as an argument of a call.
fn number(value: c_int) -> u64 {
    u64::from(value.unsigned_abs())
}

fn forbidden() -> Result<Rules, BackendError> {
    let mut rules: Rules = FORBIDDEN.iter().map(|call| (*call, Vec::new())).collect();
    let mut spaces = Vec::new();
    for bit in (0..c_int::BITS - 1).map(|bit| 1 << bit).filter(|bit| SPACES & bit != 0) {
        spaces.push(SeccompRule::new(vec![is(0, SeccompCmpOp::MaskedEq(number(bit)), number(bit))?])?);
    }
    rules.insert(SYS_clone, spaces);
    // Shared memory without a file goes on when no process has it any more, and is counted nowhere.
    let shared = number(MAP_SHARED | MAP_ANONYMOUS);
    rules.insert(SYS_mmap, vec![SeccompRule::new(vec![is(3, SeccompCmpOp::MaskedEq(shared), shared)?])?]);
    Ok(rules)
}

fn open() -> Result<Rules, BackendError> {
    let mut rules: Rules = OPEN.iter().chain(OLD).chain(FORBIDDEN).map(|call| (*call, Vec::new())).collect();
    rules.extend([(SYS_clone, Vec::new()), (SYS_mmap, Vec::new())]);
    let any_of = |argument: u8, values: &mut dyn Iterator<Item = u64>| -> Result<Vec<SeccompRule>, BackendError> {
        values.map(|value| SeccompRule::new(vec![is(argument, SeccompCmpOp::Eq, value)?])).collect()
    };
    rules.insert(SYS_prctl, any_of(0, &mut OF_A_PROCESS.iter().map(|option| number(*option)))?);
    rules.insert(SYS_ioctl, any_of(1, &mut OF_A_FILE.iter().copied())?);
    rules.insert(SYS_socketpair, any_of(0, &mut [number(AF_UNIX)].into_iter())?);
    // Families and protocols: neighbours in the cage, the internet, and of the kernel only its tables of routes and addresses.
    let mut sockets = any_of(0, &mut [number(AF_UNIX)].into_iter())?;
    let protocols = [(AF_INET, 0), (AF_INET, IPPROTO_TCP), (AF_INET, IPPROTO_UDP), (AF_INET6, 0)];
    let protocols =
        protocols.into_iter().chain([(AF_INET6, IPPROTO_TCP), (AF_INET6, IPPROTO_UDP), (AF_NETLINK, NETLINK_ROUTE)]);
    for (family, protocol) in protocols {
        sockets.push(SeccompRule::new(vec![
            is(0, SeccompCmpOp::Eq, number(family))?,
            is(2, SeccompCmpOp::Eq, number(protocol))?,
        ])?);
    }
    rules.insert(SYS_socket, sockets);
    Ok(rules)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_call_is_both_open_and_forbidden() {
        assert!(OPEN.iter().chain(OLD).all(|call| !FORBIDDEN.contains(call)));
        // Closed because nobody opened them: the newest, and those that bring memory without a process or trace others.
        let open = open().unwrap();
        for closed in
            [SYS_memfd_create, SYS_memfd_secret, SYS_shmget, SYS_pidfd_open, SYS_seccomp, SYS_vmsplice, SYS_clone3]
        {
            assert!(!open.contains_key(&closed), "{closed}");
        }
    }

    #[test]
    fn both_filters_fit_into_a_program() {
        let arch: TargetArch = std::env::consts::ARCH.try_into().unwrap();
        for (rules, otherwise, then) in [
            (forbidden().unwrap(), SeccompAction::Allow, SeccompAction::Errno(1)),
            (open().unwrap(), SeccompAction::Errno(38), SeccompAction::Allow),
        ] {
            let program: BpfProgram = SeccompFilter::new(rules, otherwise, then, arch).unwrap().try_into().unwrap();
            assert!(program.len() > 40 && program.len() < 4096);
        }
    }
}
