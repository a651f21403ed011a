//! The walls of the cage against what goes below a server's feet: its loader, what it inherits, and what the machine shows.

use crate::util::{Dir, cages, evidence, said};
use serde_json::{Value, json};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

const PROGRAM: &str = env!("CARGO_BIN_EXE_tsuba");

/// A package whose script starts a stand-in, with a library beside it that attacks when it is loaded.
fn package(dir: &Dir) {
    dir.write("boat/package.json", b"{}");
    std::fs::hard_link(PROGRAM, dir.path("boat/tsuba"))
        .or_else(|_| std::fs::copy(PROGRAM, dir.path("boat/tsuba")).map(|_| ()))
        .unwrap();
    let script =
        format!("exec {} stand-in tide-table --attack say=/home/crew/work/said\n", dir.path("boat/tsuba").display());
    dir.write("boat/server.sh", script.as_bytes());
    let source = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/e2e/hostile/preload.c");
    let library = dir.path("boat/attack.so");
    let built = Command::new("cc").args(["-shared", "-fPIC", "-w", "-o"]).arg(&library).arg(source).status().unwrap();
    assert!(built.success());
}

/// The setup of that package: the variables are the setup's.
fn setup(dir: &Dir, env: &Value) {
    let text = json!({ "mcpServers": { "boat": { "command": "sh", "args": ["boat/server.sh"], "env": env } } });
    dir.write("mcp.json", text.to_string().as_bytes());
}

#[test]
fn what_a_setup_has_the_loader_take_in_runs_inside_all_walls() {
    if !cages() {
        return;
    }
    let dir = Dir::new(&[]);
    package(&dir);
    let library = dir.path("boat/attack.so");
    let library = library.to_str().unwrap();
    let mark = dir.path("escaped");
    setup(&dir, &json!({ "LD_PRELOAD": library, "MARK": mark }));
    let run = dir.run(&["capture", "mcp.json", "--launch"]);
    assert_eq!(run.status(), 0, "{}", run.err());
    assert!(!mark.exists(), "the library ran outside of the cage");
    let kept = evidence(&dir, "boat");
    assert_eq!(kept["cage"]["loader"], json!(["LD_PRELOAD"]));
    let got = said(&kept, "say");
    let line = |name: &str| {
        let found = got.lines().find_map(|line| line.strip_prefix(&format!("{name}:")));
        found.unwrap_or_else(|| panic!("{name} was not tried: {got}")).trim().to_owned()
    };
    let table: &[(&str, &[&str])] = &[
        ("remount", &["EPERM"]),
        ("own folder", &["EROFS", "EACCES"]),
        ("core_pattern", &["ENOENT", "EROFS", "EACCES"]),
        ("environ of the first", &["EACCES"]),
        ("memory of the first", &["EACCES", "EROFS"]),
        ("program of the first", &["EACCES"]),
        ("files of the first", &["EACCES"]),
        ("own user map", &["EROFS", "EACCES"]),
        ("trace", &["EPERM"]),
        ("unshare", &["EPERM"]),
        ("chmod", &["EROFS"]),
        ("terminal", &["ENOSYS"]),
        ("memfd", &["ENOSYS"]),
        ("shmget", &["ENOSYS"]),
        ("msgget", &["ENOSYS"]),
        ("shared", &["EPERM"]),
        ("clone3", &["ENOSYS"]),
        ("pidfd", &["ENOSYS"]),
        ("personality", &["EPERM"]),
        ("modify_ldt", &["ENOSYS"]),
        ("aio", &["ENOSYS"]),
        ("mempolicy", &["ENOSYS"]),
        ("vmsplice", &["ENOSYS"]),
        ("uring", &["EPERM"]),
        ("seccomp", &["ENOSYS"]),
        ("seccomp by prctl", &["ENOSYS"]),
        ("memory map by prctl", &["ENOSYS"]),
        ("memfd_secret", &["ENOSYS"]),
        ("statmount", &["ENOSYS"]),
        ("a call that nobody knows", &["ENOSYS"]),
        ("keys", &["EPERM"]),
        ("audit", &["ENOSYS"]),
        ("packets", &["ENOSYS"]),
        // What resolvers need is open.
        ("routes", &["done"]),
        ("user map", &["......1000..........0..........1."]),
        ("kernel", &["Linux.version.6.1.0.(cage)."]),
        ("start", &[""]),
        // Where it writes down what it finds.
        ("open files", &["/home/crew/work/said"]),
    ];
    for (name, wants) in table {
        assert!(wants.contains(&line(name).as_str()), "{name}: {}\n{got}", line(name));
    }
    let listed = line("process list");
    let mut listed: Vec<&str> = listed.split(' ').collect();
    listed.sort_unstable();
    let made = ["cpuinfo", "filesystems", "loadavg", "meminfo", "mounts", "net", "self", "stat", "sys", "thread-self"];
    let made: Vec<&str> = made.into_iter().chain(["uptime", "version"]).collect();
    assert_eq!(listed, made);
    assert!(line("path").ends_with("/usr/local/bin:/usr/bin:/bin:/usr/local/sbin:/usr/sbin:/sbin"), "{got}");
}

#[test]
fn a_library_by_a_relative_path_is_not_taken_in_by_the_stages_either() {
    if !cages() {
        return;
    }
    let dir = Dir::new(&[]);
    package(&dir);
    let mark = dir.path("escaped");
    for (name, value) in
        [("LD_PRELOAD", "boat/attack.so"), ("LD_AUDIT", "boat/attack.so"), ("LD_PRELOAD", "$ORIGIN/attack.so")]
    {
        setup(&dir, &json!({ name: value, "MARK": mark }));
        let run = dir.run(&["capture", "mcp.json", "--launch"]);
        assert!(!mark.exists(), "{name}={value}: {}", run.err());
    }
}

#[test]
fn a_server_inherits_no_open_file() {
    if !cages() {
        return;
    }
    let dir = Dir::new(&[("private.txt", "of the person")]);
    package(&dir);
    setup(&dir, &json!({ "LD_PRELOAD": dir.path("boat/attack.so") }));
    // A shell hands a file over as number 9, and a folder as 8.
    let line = format!("exec \"$0\" capture mcp.json --launch 9<private.txt 8<{}", dir.path("").display());
    let run = Command::new("sh").args(["-c", &line, PROGRAM]).current_dir(dir.path("")).output().unwrap();
    assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
    let got = said(&evidence(&dir, "boat"), "say");
    assert!(got.lines().any(|line| line == "open files: /home/crew/work/said"), "{got}");
}

#[test]
fn a_capture_that_is_killed_leaves_nothing_for_long() {
    if !cages() {
        return;
    }
    let dir = Dir::new(&[("tmp/x", "")]);
    let text = json!({ "mcpServers": { "silent": { "command": PROGRAM, "args": ["stand-in", "tide-table", "--weak", "silent"] } } });
    dir.write("mcp.json", text.to_string().as_bytes());
    let start = |args: &[&str]| {
        let mut command = Command::new(PROGRAM);
        command.args(args).current_dir(dir.path("")).env("TMPDIR", dir.path("tmp"));
        command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
        command.spawn().unwrap()
    };
    let left = || {
        let all = std::fs::read_dir(dir.path("tmp")).unwrap().flatten();
        all.filter(|entry| entry.file_name().to_string_lossy().starts_with("tsuba-")).count()
    };
    let mut killed = start(&["capture", "mcp.json", "--launch"]);
    let started = Instant::now();
    // A folder in the making has no owner yet, and is left alone for a minute.
    let owned = || {
        let all = std::fs::read_dir(dir.path("tmp")).unwrap().flatten();
        all.filter(|entry| entry.path().join("lock").exists()).count()
    };
    while owned() == 0 && started.elapsed() < Duration::from_secs(20) {
        std::thread::sleep(Duration::from_millis(10));
    }
    killed.kill().unwrap();
    killed.wait().unwrap();
    let before = left();
    assert!(before > 0, "nothing was there to be cleared");
    // Its folders are nobody's now, and the next run clears them.
    let text = json!({ "mcpServers": { "tides": { "command": PROGRAM, "args": ["stand-in", "tide-table"] } } });
    dir.write("mcp.json", text.to_string().as_bytes());
    // On a busy machine what ran in its cage takes a moment to end, and is not cleared from under its feet.
    for _ in 0..5 {
        assert!(start(&["capture", "mcp.json", "--launch"]).wait().unwrap().success());
        if left() == 0 {
            break;
        }
        std::thread::sleep(Duration::from_secs(1));
    }
    assert_eq!(left(), 0, "of {before}");
    assert!(Path::new(&dir.path("evidence")).is_dir());
}
