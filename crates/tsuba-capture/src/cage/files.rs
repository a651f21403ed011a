//! The file system inside: the runtime and the server's own folder to read, a home and a folder for temporary files to write.

use super::{HOME, Plan, SELF, WORK, decoys};
use rustix::fs::StatVfsMountFlags as Has;
use rustix::fs::statvfs;
use rustix::mount::{
    MountFlags, MountPropagationFlags, UnmountFlags, mount, mount_bind_recursive, mount_change, mount_remount, unmount,
};
use rustix::process::{chdir, pivot_root};
use std::ffi::CStr;
use std::fs;
use std::io;
use std::os::unix::fs::{PermissionsExt as _, symlink};
use std::path::{Path, PathBuf};

/// Folders of the system that programs run from.
const SYSTEM: &[&str] = &["/usr", "/bin", "/sbin", "/lib", "/lib32", "/lib64", "/libx32"];
/// Files that programs look at to find their libraries, certificates, the time zone.
const SETTINGS: &[&str] = &[
    "/etc/alternatives",
    "/etc/ca-certificates",
    "/etc/ld.so.cache",
    "/etc/ld.so.conf",
    "/etc/ld.so.conf.d",
    "/etc/localtime",
    "/etc/pki/tls/certs",
    "/etc/ssl/certs",
    "/etc/ssl/openssl.cnf",
];
const DEVICES: &[&str] = &["/dev/null", "/dev/zero", "/dev/full", "/dev/random", "/dev/urandom"];
/// So much may be written, in all.
const ROOM: &CStr = c"size=32m,nr_inodes=8k,mode=1777";

/// Builds it and goes in. The old one is gone afterwards. Answers the decoys.
pub(super) fn enter(plan: &Plan) -> io::Result<Vec<PathBuf>> {
    let root = plan.root.as_path();
    mount_change("/", MountPropagationFlags::PRIVATE | MountPropagationFlags::REC)?;
    let plain = MountFlags::NOSUID | MountFlags::NODEV;
    mount("tmpfs", root, "tmpfs", plain, Some(c"size=4m,mode=755"))?;
    for folder in ["dev", "etc", "home", "proc", "tmp"] {
        fs::create_dir(root.join(folder))?;
    }
    // First, for what is shown may lie in them.
    for folder in ["home", "tmp"] {
        mount("tmpfs", root.join(folder), "tmpfs", plain, Some(ROOM))?;
    }
    for folder in SYSTEM {
        show(root, Path::new(folder), true)?;
    }
    for file in SETTINGS {
        show(root, Path::new(file), true)?;
    }
    for path in &plan.shown {
        show(root, path, true)?;
    }
    for device in DEVICES {
        show(root, Path::new(device), false)?;
    }
    fs::write(inside(root, Path::new(SELF)), "")?;
    bind(&plan.helper, &inside(root, Path::new(SELF)), true)?;
    for (file, text) in [
        ("etc/passwd", "root:x:0:0::/home/crew:/bin/sh\ncrew:x:1000:1000::/home/crew:/bin/sh\n"),
        ("etc/group", "root:x:0:\ncrew:x:1000:\n"),
        ("etc/hosts", "127.0.0.1 localhost\n"),
        ("etc/resolv.conf", "nameserver 127.0.0.1\n"),
        ("etc/nsswitch.conf", "hosts: files dns\n"),
    ] {
        fs::write(root.join(file), text)?;
    }
    for (name, target) in [
        ("fd", "/proc/self/fd"),
        ("stdin", "/proc/self/fd/0"),
        ("stdout", "/proc/self/fd/1"),
        ("stderr", "/proc/self/fd/2"),
    ] {
        symlink(target, root.join("dev").join(name))?;
    }
    // A system that hides parts of its own process list shows none at all; programs mostly do without.
    let _shown = mount("proc", root.join("proc"), "proc", plain | MountFlags::NOEXEC, None);
    fs::create_dir_all(inside(root, Path::new(WORK)))?;
    let decoys = decoys::lay(&root.join(HOME.trim_start_matches('/')))?;
    chdir(root)?;
    pivot_root(".", ".")?;
    unmount(".", UnmountFlags::DETACH)?;
    chdir("/")?;
    mount_remount("/", plain | MountFlags::RDONLY | MountFlags::BIND, c"")?;
    Ok(decoys.into_iter().map(|decoy| Path::new("/").join(decoy.strip_prefix(root).unwrap_or(&decoy))).collect())
}

/// Nothing more is set through the process list: the server may run as the machine's own root, whom its files obey without any rights.
pub(super) fn close() -> io::Result<()> {
    if Path::new("/proc/self").exists() {
        let flags = MountFlags::NOSUID | MountFlags::NODEV | MountFlags::NOEXEC | MountFlags::RDONLY | MountFlags::BIND;
        mount_remount("/proc", flags, c"")?;
    }
    Ok(())
}

fn inside(root: &Path, path: &Path) -> PathBuf {
    root.join(path.strip_prefix("/").unwrap_or(path))
}

/// Shows a path of the outside at the same place inside. What is not there is not shown.
fn show(root: &Path, path: &Path, read_only: bool) -> io::Result<()> {
    let Ok(kind) = path.symlink_metadata().map(|metadata| metadata.file_type()) else { return Ok(()) };
    let place = inside(root, path);
    if place.symlink_metadata().is_ok() {
        return Ok(());
    }
    if let Some(parent) = place.parent() {
        // A folder that is shown already cannot be written in: what lies in it is there.
        if fs::create_dir_all(parent).is_err() {
            return Ok(());
        }
    }
    if kind.is_symlink() && SYSTEM.iter().any(|folder| Path::new(folder) == path) {
        return symlink(fs::read_link(path)?, place);
    }
    if path.is_dir() {
        fs::create_dir(&place)?;
        fs::set_permissions(&place, fs::Permissions::from_mode(0o755))?;
    } else {
        fs::write(&place, "")?;
    }
    bind(path, &place, read_only)
}

fn bind(from: &Path, to: &Path, read_only: bool) -> io::Result<()> {
    mount_bind_recursive(from, to)?;
    // What the outside has set stays set, or the system refuses.
    let has = statvfs(to)?.f_flag;
    let mut flags = MountFlags::BIND;
    for (here, flag) in [
        (Has::NOSUID, MountFlags::NOSUID),
        (Has::NODEV, MountFlags::NODEV),
        (Has::NOEXEC, MountFlags::NOEXEC),
        (Has::NOATIME, MountFlags::NOATIME),
        (Has::RELATIME, MountFlags::RELATIME),
    ] {
        if has.contains(here) {
            flags |= flag;
        }
    }
    if read_only {
        flags |= MountFlags::RDONLY | MountFlags::NOSUID;
    }
    mount_remount(to, flags, c"")?;
    Ok(())
}
