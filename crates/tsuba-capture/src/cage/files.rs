//! The file system inside: the runtime and the server's own folder to read, a home and a folder for temporary files to write.

use super::plan::Build;
use super::{HOME, WORK, decoys, process_list};
use rustix::mount::{
    MountFlags, MountPropagationFlags, UnmountFlags, mount, mount_bind_recursive, mount_change, mount_remount, unmount,
};
use rustix::process::{chdir, pivot_root};
use std::ffi::{CStr, OsString};
use std::fs;
use std::io;
use std::os::unix::ffi::OsStringExt as _;
use std::os::unix::fs::{PermissionsExt as _, symlink};
use std::path::{Path, PathBuf};

/// Folders of the system that programs run from.
pub(super) const SYSTEM: &[&str] =
    &["/usr", "/bin", "/sbin", "/lib", "/lib32", "/lib64", "/libx32", "/nix/store", "/gnu/store"];
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
/// Not `/dev/zero`: what is mapped from it is memory that belongs to no process.
const DEVICES: &[&str] = &["/dev/null", "/dev/full", "/dev/random", "/dev/urandom"];
/// So much may be written, in all.
const ROOM: &CStr = c"size=32m,nr_inodes=8k,mode=1777";

/// Builds it and goes in. The old one is gone afterwards. Answers the decoys.
pub(super) fn enter(plan: &Build) -> io::Result<Vec<PathBuf>> {
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
    for path in SYSTEM.iter().chain(SETTINGS).map(Path::new).chain(plan.shown.iter().map(PathBuf::as_path)) {
        show(root, path)?;
    }
    // One empty file and one empty folder stand for everything that is hidden.
    let made = root.join(".cage");
    let (no_file, no_folder) = (made.join("file"), made.join("folder"));
    fs::create_dir_all(&no_folder)?;
    fs::write(&no_file, "")?;
    for path in &plan.hidden {
        hide(root, path, &no_file, &no_folder)?;
    }
    for device in DEVICES {
        show(root, Path::new(device))?;
    }
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
        ("shm", "/tmp"),
    ] {
        symlink(target, root.join("dev").join(name))?;
    }
    read_only(root)?;
    mount("proc", root.join("proc"), "proc", plain | MountFlags::NOEXEC, None)?;
    process_list::narrow(&root.join("proc"), &made, (&no_file, &no_folder))?;
    fs::create_dir_all(inside(root, Path::new(WORK)))?;
    let decoys = decoys::lay(&root.join(HOME.trim_start_matches('/')))?;
    chdir(root)?;
    pivot_root(".", ".")?;
    unmount(".", UnmountFlags::DETACH)?;
    chdir("/")?;
    mount_remount("/", plain | MountFlags::RDONLY | MountFlags::BIND, c"")?;
    Ok(decoys.into_iter().map(|decoy| Path::new("/").join(decoy.strip_prefix(root).unwrap_or(&decoy))).collect())
}

pub(super) fn inside(root: &Path, path: &Path) -> PathBuf {
    root.join(path.strip_prefix("/").unwrap_or(path))
}

/// Shows a path of the outside at the same place inside. What is not there is not shown.
fn show(root: &Path, path: &Path) -> io::Result<()> {
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
    if kind.is_symlink() {
        // Programs look where they really lie: what a link leads to is shown at its own place.
        return symlink(fs::read_link(path)?, place);
    }
    if kind.is_dir() {
        fs::create_dir(&place)?;
        fs::set_permissions(&place, fs::Permissions::from_mode(0o755))?;
    } else {
        fs::write(&place, "")?;
    }
    mount_bind_recursive(path, &place)?;
    Ok(())
}

/// Puts nothing in the place of something.
fn hide(root: &Path, path: &Path, no_file: &Path, no_folder: &Path) -> io::Result<()> {
    let place = inside(root, path);
    match place.symlink_metadata().map(|metadata| metadata.file_type()) {
        Ok(kind) if kind.is_dir() => mount_bind_recursive(no_folder, &place)?,
        // A link leads nowhere that is not shown itself.
        Ok(kind) if !kind.is_symlink() => mount_bind_recursive(no_file, &place)?,
        Ok(_) | Err(_) => {}
    }
    Ok(())
}

/// Closes every mount below a folder to writing, those that came with another too, but for the two that are the server's own.
fn read_only(root: &Path) -> io::Result<()> {
    let mounts = fs::read("/proc/self/mountinfo")?;
    let mut closed = 0;
    for line in mounts.split(|byte| *byte == b'\n') {
        let mut fields = line.split(|byte| *byte == b' ').skip(4);
        let (Some(place), Some(options)) = (fields.next(), fields.next()) else { continue };
        let place = PathBuf::from(OsString::from_vec(unescaped(place)));
        let below = place.strip_prefix(root).ok();
        if below.is_some_and(|below| !OWN.iter().any(|own| below == Path::new(own))) {
            mount_remount(&place, kept(options) | MountFlags::BIND | MountFlags::RDONLY | MountFlags::NOSUID, c"")?;
            closed += 1;
        }
    }
    // The system's folders are there at least: where none was found, they lie somewhere else than it seems.
    if closed == 0 { Err(io::Error::other("no mount was found")) } else { Ok(()) }
}

/// What a server may write in; and the root, which is closed last.
const OWN: &[&str] = &["home", "tmp", ""];

/// What the outside has set stays set, or the system refuses.
fn kept(options: &[u8]) -> MountFlags {
    let flag = |option: &[u8]| match option {
        b"nosuid" => MountFlags::NOSUID,
        b"nodev" => MountFlags::NODEV,
        b"noexec" => MountFlags::NOEXEC,
        b"noatime" => MountFlags::NOATIME,
        b"nodiratime" => MountFlags::NODIRATIME,
        b"relatime" => MountFlags::RELATIME,
        _ => MountFlags::empty(),
    };
    options.split(|byte| *byte == b',').fold(MountFlags::empty(), |all, option| all | flag(option))
}

/// A place as the list of mounts writes it: blanks and the like are three octal digits (proc_pid_mountinfo(5)).
fn unescaped(place: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(place.len());
    let mut rest = place;
    while let Some((first, after)) = rest.split_first() {
        let digits = after.get(..3).filter(|_| *first == b'\\').and_then(|digits| std::str::from_utf8(digits).ok());
        match digits.and_then(|digits| u8::from_str_radix(digits, 8).ok()) {
            Some(byte) => {
                out.push(byte);
                rest = after.get(3..).unwrap_or_default();
            }
            None => {
                out.push(*first);
                rest = after;
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_of_mounts_are_read_as_they_are() {
        for (written, want) in
            [("/usr/lib", "/usr/lib"), ("/a\\040b\\134", "/a b\\"), ("/a\\04", "/a\\04"), ("/\\999", "/\\999")]
        {
            assert_eq!(unescaped(written.as_bytes()), want.as_bytes(), "{written}");
        }
    }
}
