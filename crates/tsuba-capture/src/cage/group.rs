//! A control group for one cage (cgroup v2), where this user may make one: it counts the memory that belongs to no process, too. Where none can
//! be had, the limits of processes and what the kernel is not asked for (`calls.rs`) must do.

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU32, Ordering};
use std::thread;
use std::time::Duration;

/// How the names of such groups begin; the process that made one and a number follow.
const PREFIX: &str = "tsuba-cage-";
/// The group that this program itself moves to, where it would stand in the way of others.
const OWN: &str = "tsuba";
/// What a group may use. Files that a missing controller would bring are missing too; only the first must be there.
const LIMITS: &[(&str, &str)] =
    &[("memory.max", "3221225472"), ("memory.swap.max", "0"), ("memory.oom.group", "1"), ("pids.max", "256")];
/// Processes that were killed need a moment to be gone.
const MAX_TRIES: u32 = 50;
const BETWEEN: Duration = Duration::from_millis(10);

/// A group; gone when this is dropped.
#[derive(Debug)]
pub(super) struct Group(PathBuf);

impl Group {
    /// A new one; `None` where this user may make none that counts memory.
    pub(super) fn new() -> Option<Self> {
        let own = own_group(
            &fs::read_to_string("/proc/self/cgroup").ok()?,
            &fs::read_to_string("/proc/self/mountinfo").ok()?,
        )?;
        Self::below(&own)
    }

    /// In the nearest group above that hands memory on to those below it.
    fn below(own: &Own) -> Option<Self> {
        static NUMBER: AtomicU32 = AtomicU32::new(0);
        let name = format!("{PREFIX}{}-{}", std::process::id(), NUMBER.fetch_add(1, Ordering::Relaxed));
        if !hands_on(&own.group) {
            make_way(&own.group);
        }
        let above = own.group.ancestors().take_while(|group| group.starts_with(&own.mount));
        above.filter(|group| hands_on(group)).find_map(|parent| {
            clear_abandoned(parent);
            let group = Self(parent.join(&name));
            fs::create_dir(&group.0).ok()?;
            let mut set = LIMITS.iter().map(|(file, most)| fs::write(group.0.join(file), most).is_ok());
            let counted = set.next() == Some(true);
            set.for_each(drop);
            counted.then_some(group)
        })
    }

    pub(super) fn path(&self) -> &Path {
        &self.0
    }

    /// Was a process ended because there was no more memory?
    pub(super) fn ran_out(&self) -> bool {
        let events = fs::read_to_string(self.0.join("memory.events")).unwrap_or_default();
        events.lines().filter_map(|line| line.strip_prefix("oom_kill ")).any(|count| count.trim() != "0")
    }
}

impl Drop for Group {
    fn drop(&mut self) {
        // Before Linux 5.14 there is no such file; the first process of a cage takes the others with it anyway.
        let _older = fs::write(self.0.join("cgroup.kill"), "1");
        for _ in 0..MAX_TRIES {
            if fs::remove_dir(&self.0).is_ok() || !self.0.exists() {
                return;
            }
            thread::sleep(BETWEEN);
        }
    }
}

/// The group that this process is in, and where the tree of groups is mounted.
#[derive(Debug, PartialEq, Eq)]
struct Own {
    group: PathBuf,
    mount: PathBuf,
}

/// From the process's lists of groups (cgroups(7)) and of mounts (proc_pid_mountinfo(5)).
fn own_group(groups: &str, mounts: &str) -> Option<Own> {
    let own = groups.lines().find_map(|line| line.strip_prefix("0::"))?;
    mounts.lines().find_map(|line| {
        let (place, kind) = line.split_once(" - ")?;
        if kind.split(' ').next() != Some("cgroup2") {
            return None;
        }
        let mut fields = place.split(' ').skip(3);
        let (root, mount) = (fields.next()?, PathBuf::from(fields.next()?));
        let within = Path::new(own).strip_prefix(root).ok()?;
        Some(Own { group: mount.join(within), mount })
    })
}

/// Are the groups below this one limited in memory?
fn hands_on(group: &Path) -> bool {
    let controllers = fs::read_to_string(group.join("cgroup.subtree_control")).unwrap_or_default();
    controllers.split_whitespace().any(|controller| controller == "memory")
}

/// A group that has processes hands nothing on: where this program is alone in one that was delegated to it, it moves down.
fn make_way(group: &Path) {
    let alone =
        fs::read_to_string(group.join("cgroup.procs")).is_ok_and(|all| all.trim() == std::process::id().to_string());
    if !alone {
        return;
    }
    let own = group.join(OWN);
    let moved = fs::create_dir(&own).and_then(|()| fs::write(own.join("cgroup.procs"), "0"));
    if moved.is_ok() {
        let control = group.join("cgroup.subtree_control");
        // Without a limit for processes the one for memory still holds.
        let _some = fs::write(&control, "+memory +pids").or_else(|_| fs::write(&control, "+memory"));
    }
}

/// Removes the groups of captures that were killed.
fn clear_abandoned(parent: &Path) {
    for entry in fs::read_dir(parent).into_iter().flatten().flatten() {
        let name = entry.file_name();
        let owner = name.to_str().and_then(|name| name.strip_prefix(PREFIX)?.split('-').next());
        if owner.is_some_and(|owner| !Path::new("/proc").join(owner).exists()) {
            // One with processes in it stays.
            let _left = fs::remove_dir(entry.path());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_own_group_is_found_among_the_mounts() {
        let mounts = "24 1 0:22 / /proc rw - proc proc rw\n35 24 0:30 / /sys/fs/cgroup rw,nosuid shared:9 - cgroup2 cgroup2 rw\n";
        let nested = "35 24 0:30 /box /sys/fs/cgroup rw - cgroup2 cgroup2 rw\n";
        let old = "36 24 0:31 / /sys/fs/cgroup/memory rw - cgroup cgroup rw,memory\n";
        for (groups, mounts, want) in [
            ("0::/user.slice/crew.scope\n", mounts, Some("/sys/fs/cgroup/user.slice/crew.scope")),
            ("4:memory:/x\n0::/\n", mounts, Some("/sys/fs/cgroup/")),
            ("0::/box/tide\n", nested, Some("/sys/fs/cgroup/tide")),
            ("0::/other\n", nested, None),
            ("4:memory:/x\n", mounts, None),
            ("0::/x\n", old, None),
        ] {
            let got = own_group(groups, mounts).map(|own| own.group);
            assert_eq!(got.as_deref(), want.map(Path::new), "{groups}");
        }
    }

    /// A folder stands for a tree of groups: what is asked for, and where.
    #[test]
    fn the_nearest_group_that_hands_memory_on_is_taken() {
        let mount = tempfile::tempdir().unwrap();
        let own = mount.path().join("app.slice/crew.scope");
        fs::create_dir_all(&own).unwrap();
        let at = Own { group: own.clone(), mount: mount.path().to_path_buf() };
        assert!(Group::below(&at).is_none());
        fs::write(mount.path().join("cgroup.subtree_control"), "cpu memory pids").unwrap();
        fs::write(mount.path().join("app.slice/cgroup.subtree_control"), "cpu pids").unwrap();
        let abandoned = mount.path().join("tsuba-cage-4194999-0");
        fs::create_dir(&abandoned).unwrap();
        let group = Group::below(&at).unwrap();
        assert_eq!(group.path().parent(), Some(mount.path()));
        assert!(!abandoned.exists());
        for (file, most) in LIMITS {
            assert_eq!(fs::read_to_string(group.path().join(file)).unwrap(), *most);
        }
        for (events, want) in [("low 0\noom 1\noom_kill 0\n", false), ("oom 3\noom_kill 2\n", true)] {
            fs::write(group.path().join("memory.events"), events).unwrap();
            assert_eq!(group.ran_out(), want);
        }
        // Alone in a group of one's own, it makes way.
        fs::write(own.join("cgroup.procs"), format!("{}\n", std::process::id())).unwrap();
        make_way(&own);
        assert_eq!(fs::read_to_string(own.join("cgroup.subtree_control")).unwrap(), "+memory +pids");
        assert_eq!(fs::read_to_string(own.join("tsuba/cgroup.procs")).unwrap(), "0");
    }
}
