//! The README's commands work as they stand, one after the other, on the demo company.

use crate::util::Dir;
use std::process::{Command, Stdio};

const README: &str = include_str!("../../../../README.md");
/// Lines are read on narrow screens, too.
const MAX_LINE: usize = 110;

/// The commands of a section with the exit status that is said of each.
fn commands(section: &str) -> Vec<(String, i32)> {
    let lines = section.lines().filter_map(|line| line.strip_prefix("    "));
    let read = lines.map(|line| {
        let (command, said) = line.split_once("  # ").or_else(|| line.split_once(" # ")).unwrap_or((line, ""));
        let status =
            said.strip_prefix("exits ").and_then(|said| said.get(..1)).map_or(0, |status| status.parse().unwrap());
        (command.trim().to_owned(), status)
    });
    read.collect()
}

#[test]
fn every_command_of_the_readme_works_line_by_line() {
    let (_, path) = README.split_once("## A first hour").unwrap();
    let (path, after) = path.split_once("\n## ").unwrap();
    let commands = commands(path);
    assert!(commands.len() > 15 && commands[0].0.contains("demo --unpack company && cd company"), "{commands:?}");
    // Outside of it there is nothing to type but what builds and tests.
    let others = README.lines().filter(|line| line.starts_with("    ") && !path.contains(line));
    for line in others.chain(after.lines().filter(|line| line.starts_with("    "))) {
        assert!(line.trim().starts_with("cargo "), "a command that no test runs: {line}");
    }
    let dir = Dir::new(&[("bin/keep", "")]);
    std::os::unix::fs::symlink(env!("CARGO_BIN_EXE_tsuba"), dir.path("bin/tsuba")).unwrap();
    let search = format!("{}:{}", dir.path("bin").display(), std::env::var("PATH").unwrap_or_default());
    let mut asked = true;
    for (at, (command, status)) in commands.iter().enumerate() {
        // What was asked in a cage cannot be judged where none can be built.
        if !asked && command.contains("asked") {
            continue;
        }
        let run = Command::new("sh")
            .args(["-c", command])
            .current_dir(dir.path(if at == 0 { "." } else { "company" }))
            .env("PATH", &search)
            .env("HOME", dir.path("company/home/lena"))
            .env("TSUBA_REVIEWER", "ines")
            .env_remove("XDG_CONFIG_HOME")
            .stdin(Stdio::null())
            .output()
            .unwrap();
        let message = String::from_utf8_lossy(&run.stdout).into_owned() + &String::from_utf8_lossy(&run.stderr);
        if command.contains("--launch") && message.contains("no cage") {
            eprintln!("skipped: no cage can be built here");
            asked = false;
            continue;
        }
        assert_eq!(run.status.code(), Some(*status), "{command}\n{message}");
    }
}

#[test]
fn no_line_of_the_readme_is_wider_than_a_narrow_screen() {
    let wide: Vec<&str> = README.lines().filter(|line| line.chars().count() >= MAX_LINE).collect();
    assert!(wide.is_empty(), "{wide:#?}");
}
