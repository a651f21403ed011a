//! What is told while files are written.

use crate::util::Dir;
use serde_json::Value;
use std::io::{BufRead as _, BufReader, Read as _};
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

const PINNED: &str = r#"{ "mcpServers": { "tide": { "command": "npx", "args": ["-y", "@saltmarsh/tide@1.2.0"] } } }"#;
const SECRET: &str = r#"{ "mcpServers": { "tide": { "command": "npx", "args": ["-y", "@saltmarsh/tide"], "env": { "TIDE_TOKEN": "q8ZkXv2LmPw0TyRbN4sJ7dHf" } } } }"#;
/// On a busy machine.
const LONG: Duration = Duration::from_secs(30);

/// Puts a file into its place whole: what is written in steps may be seen half.
fn put(dir: &Dir, path: &str, text: &str) {
    let path = dir.path(path);
    std::fs::create_dir_all(path.parent().unwrap()).unwrap();
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), text).unwrap();
    file.persist(path).unwrap();
}

/// A watch that runs.
struct Watch {
    child: Child,
    lines: Receiver<String>,
}

impl Watch {
    /// Begins, and waits until everything was looked at.
    fn begin(dir: &Dir, args: &[&str]) -> Self {
        let mut child = Command::new(env!("CARGO_BIN_EXE_tsuba"))
            .arg("watch")
            .args(args)
            .current_dir(dir.path(""))
            .env("NO_COLOR", "1")
            .env("XDG_CONFIG_HOME", dir.path(".account"))
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let mut errors = BufReader::new(child.stderr.take().unwrap());
        let mut greeting = String::new();
        while !greeting.contains("only what changes is printed") {
            assert_ne!(errors.read_line(&mut greeting).unwrap(), 0, "{greeting}");
        }
        // Whoever stops reading would hold it up.
        std::thread::spawn(move || errors.read_to_end(&mut Vec::new()));
        let (sender, lines) = channel();
        let out = BufReader::new(child.stdout.take().unwrap());
        std::thread::spawn(move || out.lines().map_while(Result::ok).try_for_each(|line| sender.send(line)));
        Self { child, lines }
    }

    fn line(&self) -> String {
        self.lines.recv_timeout(LONG).expect("something is told")
    }

    /// What is told up to the first of a kind.
    fn until(&self, kind: &str, rule: Option<&str>) -> Value {
        loop {
            let row: Value = serde_json::from_str(&self.line()).unwrap();
            if row["kind"] == kind && rule.is_none_or(|rule| row["rule"] == rule) {
                return row;
            }
        }
    }

    /// Ends it as a person does.
    fn end(mut self) {
        let ended = Command::new("kill").args(["-INT", &self.child.id().to_string()]).status().unwrap();
        assert!(ended.success());
        assert_eq!(self.child.wait().unwrap().code(), Some(0));
    }
}

#[test]
fn only_what_changes_is_told_and_no_secret() {
    let dir = Dir::new(&[("a/mcp.json", PINNED), ("b/mcp.json", SECRET)]);
    let watch = Watch::begin(&dir, &[".", "--format", "ndjson"]);
    put(&dir, "a/mcp.json", SECRET);
    let opened = watch.until("opened", Some("secret/plaintext"));
    assert_eq!(
        (&opened["setup"], &opened["line"], &opened["entry"]),
        (&"a/mcp.json".into(), &1.into(), &"tide".into())
    );
    assert!(!opened.to_string().contains("ZkXv2LmPw0"), "{opened}");
    let changed = watch.until("entry", None);
    assert!(changed["message"].as_str().unwrap().contains("TIDE_TOKEN"), "{changed}");
    let verdict = watch.until("verdict", None);
    assert_eq!((&verdict["before"], &verdict["verdict"]), (&"unchecked".into(), &"fix-first".into()));
    // A folder that was not there when it began, and what comes into it later.
    put(&dir, "new/deep/mcp.json", PINNED);
    assert_eq!(watch.until("entry", None)["message"], "new");
    put(&dir, "new/deep/mcp.json", SECRET);
    assert_eq!(watch.until("opened", Some("secret/plaintext"))["setup"], "new/deep/mcp.json");
    std::fs::remove_dir_all(dir.path("new")).unwrap();
    assert_eq!(watch.until("closed", Some("secret/plaintext"))["setup"], "new/deep/mcp.json");
    // A name that would write into the terminal, or pass for a line of its own.
    put(&dir, "b/\u{1b}[31m\n{}.json", PINNED);
    let hostile = watch.until("entry", None);
    assert_eq!((&hostile["setup"], &hostile["message"]), (&"b/⟨U+001B⟩[31m⟨U+000A⟩{}.json".into(), &"new".into()));
    put(&dir, "b/mcp.json", "{ \"mcpServers\": ");
    assert_eq!(watch.until("unread", None)["setup"], "b/mcp.json");
    watch.end();
}

#[test]
fn what_lies_in_the_input_itself_and_a_configuration_that_changes_are_heard_of() {
    let dir = Dir::new(&[("in/mcp.json", PINNED), ("tsuba.toml", "")]);
    let watch = Watch::begin(&dir, &["in", "--format", "ndjson"]);
    put(&dir, "in/mcp.json", SECRET);
    watch.until("opened", Some("secret/plaintext"));
    watch.until("verdict", None);
    // A mistake is told elsewhere and changes nothing; then a package is refused.
    put(&dir, "tsuba.toml", "[refuse\n");
    std::thread::sleep(Duration::from_millis(600));
    put(&dir, "tsuba.toml", "[refuse]\npackages = [\"npm:@saltmarsh/tide\"]\n");
    assert_eq!(watch.until("opened", Some("review/not-allowed"))["setup"], "mcp.json");
    watch.end();
    let watch = Watch::begin(&dir, &["in/mcp.json", "--format", "ndjson"]);
    put(&dir, "in/other.json", SECRET);
    std::thread::sleep(Duration::from_millis(600));
    put(&dir, "in/mcp.json", PINNED);
    assert_eq!(watch.until("closed", Some("secret/plaintext"))["setup"], "mcp.json");
    watch.end();
}

#[test]
fn a_folder_of_dependencies_and_a_file_that_is_nothing_are_no_news() {
    let dir = Dir::new(&[("a/mcp.json", PINNED)]);
    let watch = Watch::begin(&dir, &["."]);
    put(&dir, "node_modules/x/mcp.json", SECRET);
    put(&dir, "a/notes.md", "# Notes\n");
    std::thread::sleep(Duration::from_secs(1));
    put(&dir, "a/mcp.json", SECRET);
    let head = watch.line();
    assert!(head.contains("opened, "), "{head}");
    watch.line();
    watch.end();
}

#[cfg(unix)]
#[test]
fn a_program_is_called_with_what_has_changed() {
    use std::os::unix::fs::PermissionsExt as _;
    let dir =
        Dir::new(&[("a/mcp.json", PINNED), ("hook.sh", "#!/bin/sh\ncat > told.part && mv told.part told.ndjson\n")]);
    std::fs::set_permissions(dir.path("hook.sh"), std::fs::Permissions::from_mode(0o755)).unwrap();
    let watch = Watch::begin(&dir, &["a", "--on-change", "./hook.sh", "--severity", "high"]);
    put(&dir, "a/mcp.json", SECRET);
    watch.line();
    let end = std::time::Instant::now() + LONG;
    let told = loop {
        if let Ok(told) = std::fs::read_to_string(dir.path("told.ndjson")) {
            break told;
        }
        assert!(std::time::Instant::now() < end, "the program was not called");
        std::thread::sleep(Duration::from_millis(20));
    };
    let rows: Vec<Value> = told.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert!(rows.iter().any(|row| row["rule"] == "secret/plaintext"), "{told}");
    assert!(!told.contains("ZkXv2LmPw0"), "{told}");
    watch.end();
}

#[test]
fn without_events_everything_is_looked_at_in_turn() {
    let dir = Dir::new(&[("a/mcp.json", PINNED)]);
    let watch = Watch::begin(&dir, &["a/mcp.json", "--poll", "1", "--format", "ndjson"]);
    put(&dir, "a/mcp.json", SECRET);
    assert_eq!(watch.until("opened", Some("secret/plaintext"))["setup"], "mcp.json");
    watch.end();
}

#[test]
fn what_cannot_be_watched_is_said() {
    let dir = Dir::new(&[]);
    for args in [&["watch", "-"][..], &["watch", "--home"], &["watch", "--candidate", "npm:x"]] {
        let run = dir.run(args);
        assert_eq!(run.status(), 2);
        assert!(run.err().contains("only folders and files can be watched"), "{}", run.err());
    }
    let run = dir.run(&["watch", "gone"]);
    assert_eq!(run.status(), 2);
    assert!(run.err().contains("gone: there is no such file or folder"), "{}", run.err());
}
