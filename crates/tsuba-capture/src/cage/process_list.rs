//! The process list inside: the cage's own processes, and of the machine's files only made-up ones that programs cannot do without.

use rustix::mount::{MountFlags, mount_bind_recursive, mount_remount};
use std::fs;
use std::io;
use std::path::Path;

/// Files of the machine that programs read to size themselves, as a small machine would have them.
const MADE_UP: &[(&str, &str)] = &[
    (
        "cpuinfo",
        "processor\t: 0\nmodel name\t: cage\ncpu MHz\t\t: 2000.000\ncpu cores\t: 1\n\nprocessor\t: 1\nmodel name\t: cage\ncpu MHz\t\t: 2000.000\ncpu cores\t: 1\n\n",
    ),
    ("filesystems", "nodev\ttmpfs\nnodev\tproc\n"),
    ("loadavg", "0.00 0.00 0.00 1/16 16\n"),
    (
        "meminfo",
        "MemTotal:        4194304 kB\nMemFree:         3145728 kB\nMemAvailable:    3145728 kB\nBuffers:               0 kB\nCached:                0 kB\nSwapTotal:             0 kB\nSwapFree:              0 kB\nShmem:                 0 kB\n",
    ),
    (
        "stat",
        "cpu  100 0 100 1000 0 0 0 0 0 0\ncpu0 50 0 50 500 0 0 0 0 0 0\ncpu1 50 0 50 500 0 0 0 0 0 0\nctxt 1000\nbtime 1700000000\nprocesses 100\nprocs_running 1\nprocs_blocked 0\n",
    ),
    ("uptime", "1000.00 2000.00\n"),
    ("version", "Linux version 6.1.0 (cage)\n"),
];
/// The same for its settings.
const SETTINGS: &[(&str, &str)] = &[
    ("sys/fs/file-max", "1024\n"),
    ("sys/fs/inotify/max_user_watches", "1024\n"),
    ("sys/kernel/cap_last_cap", "40\n"),
    ("sys/kernel/hostname", "cage\n"),
    ("sys/kernel/ngroups_max", "65536\n"),
    ("sys/kernel/osrelease", "6.1.0\n"),
    ("sys/kernel/ostype", "Linux\n"),
    ("sys/kernel/pid_max", "512\n"),
    ("sys/kernel/threads-max", "512\n"),
    ("sys/net/core/somaxconn", "128\n"),
    ("sys/vm/max_map_count", "65530\n"),
    ("sys/vm/overcommit_memory", "0\n"),
];
/// Links, each to what is the process's own.
const LINKS: &[&str] = &["mounts", "net", "self", "thread-self"];
/// More processes than this are not given numbers.
const MAX_PROCESSES: &str = "512";

/// Narrows a fresh process list down; `room` is a folder outside of it for the made-up files, `nothing` an empty file and folder.
pub(super) fn narrow(list: &Path, room: &Path, nothing: (&Path, &Path)) -> io::Result<()> {
    // From Linux 6.14 on each namespace has a limit of its own; where it has none, the watch must do.
    let _limited = fs::write(list.join("sys/kernel/pid_max"), MAX_PROCESSES);
    for (name, text) in MADE_UP.iter().chain(SETTINGS) {
        let file = room.join(name);
        if let Some(folder) = file.parent() {
            fs::create_dir_all(folder)?;
        }
        fs::write(file, text)?;
    }
    for entry in fs::read_dir(list)? {
        let entry = entry?;
        let name = entry.file_name();
        let name = name.to_string_lossy();
        if name.parse::<u32>().is_ok() || LINKS.contains(&name.as_ref()) {
            continue;
        }
        let instead = room.join(name.as_ref());
        let instead = match (instead.exists(), entry.file_type()?.is_dir()) {
            (true, _) => instead.as_path(),
            (false, true) => nothing.1,
            (false, false) => nothing.0,
        };
        mount_bind_recursive(instead, entry.path())?;
        mount_remount(
            entry.path(),
            MountFlags::BIND | MountFlags::RDONLY | MountFlags::NOSUID | MountFlags::NODEV,
            c"",
        )?;
    }
    Ok(())
}

/// Nothing is set through the process list: the server may run as the machine's own root, whom its files obey without any rights.
pub(super) fn close() -> io::Result<()> {
    let flags = MountFlags::NOSUID | MountFlags::NODEV | MountFlags::NOEXEC | MountFlags::RDONLY | MountFlags::BIND;
    Ok(mount_remount("/proc", flags, c"")?)
}
