//! A temporary folder, and the built program run in it.

use serde_json::{Value, json};
use std::path::PathBuf;
use std::process::{Command, Output, Stdio};

/// Every format of a report.
pub(crate) const FORMATS: [&str; 11] =
    ["text", "json", "sarif", "markdown", "html", "csv", "entries-csv", "ndjson", "cyclonedx", "ocsf", "junit"];

pub(crate) struct Dir(tempfile::TempDir);

impl Dir {
    pub(crate) fn new(files: &[(&str, &str)]) -> Self {
        let dir = Self(tempfile::tempdir().unwrap());
        files.iter().for_each(|(path, text)| dir.write(path, text.as_bytes()));
        dir
    }

    pub(crate) fn path(&self, path: &str) -> PathBuf {
        self.0.path().join(path)
    }

    pub(crate) fn write(&self, path: &str, bytes: &[u8]) {
        let path = self.path(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, bytes).unwrap();
    }

    /// Runs the program in the folder.
    pub(crate) fn run(&self, args: &[&str]) -> Run {
        self.run_with(args, b"")
    }

    /// Runs the program in a folder of it.
    pub(crate) fn run_in(&self, folder: &str, args: &[&str]) -> Run {
        self.started(folder, args, b"")
    }

    pub(crate) fn run_with(&self, args: &[&str], input: &[u8]) -> Run {
        self.started("", args, input)
    }

    fn started(&self, folder: &str, args: &[&str], input: &[u8]) -> Run {
        use std::io::Write as _;
        let mut child = Command::new(env!("CARGO_BIN_EXE_tsuba"))
            .args(args)
            .current_dir(self.path(folder))
            .env("NO_COLOR", "1")
            // What is remembered between runs is the folder's own.
            .env("XDG_STATE_HOME", self.path(".state"))
            .env("XDG_CONFIG_HOME", self.path(".account"))
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        // A program that reads no input closes it; that is no failure.
        let _ = child.stdin.take().unwrap().write_all(input);
        Run(child.wait_with_output().unwrap())
    }
}

pub(crate) struct Run(Output);

impl Run {
    pub(crate) fn status(&self) -> i32 {
        self.0.status.code().unwrap()
    }

    pub(crate) fn out(&self) -> String {
        String::from_utf8(self.0.stdout.clone()).unwrap()
    }

    pub(crate) fn err(&self) -> String {
        String::from_utf8(self.0.stderr.clone()).unwrap()
    }

    pub(crate) fn json(&self) -> serde_json::Value {
        serde_json::from_slice(&self.0.stdout).unwrap_or_else(|e| panic!("{e}: {} {}", self.out(), self.err()))
    }
}

/// The evidence of an entry.
pub(crate) fn evidence(dir: &Dir, entry: &str) -> serde_json::Value {
    let files = std::fs::read_dir(dir.path("evidence")).unwrap().map(|file| file.unwrap().path());
    let all = files.map(|file| serde_json::from_slice::<serde_json::Value>(&std::fs::read(file).unwrap()).unwrap());
    all.into_iter().find(|evidence| evidence["entry"] == entry).unwrap()
}

/// A setup with stand-ins: each a name and the arguments after `stand-in`.
pub(crate) fn setup(entries: &[(&str, &[&str])]) -> String {
    let servers: serde_json::Map<String, Value> = entries
        .iter()
        .map(|(name, args)| {
            let args: Vec<&str> = ["stand-in"].iter().chain(args.iter()).copied().collect();
            ((*name).to_owned(), json!({ "command": env!("CARGO_BIN_EXE_tsuba"), "args": args }))
        })
        .collect();
    json!({ "mcpServers": servers }).to_string()
}

/// The description of a tool in the first conversation.
pub(crate) fn said(evidence: &Value, tool: &str) -> String {
    let pages = evidence["sessions"].as_array().unwrap().iter().flat_map(|session| session["tools/list"].as_array());
    let mut tools = pages.flatten().flat_map(|page| page["tools"].as_array().cloned().unwrap_or_default());
    let found = tools.find(|found| found["name"] == tool).unwrap_or_else(|| panic!("no tool {tool}: {evidence}"));
    found["description"].as_str().unwrap().to_owned()
}

/// Can a cage be built here? Where not, the tests of it say so and are skipped.
pub(crate) fn cages() -> bool {
    let dir = Dir::new(&[("setup.json", &setup(&[("tide-table", &["tide-table"])]))]);
    let run = dir.run(&["capture", "setup.json", "--launch"]);
    if run.status() == 0 {
        return true;
    }
    eprintln!("skipped: {}", run.err().trim());
    assert!(run.err().contains("no cage") || run.err().contains("Linux only"), "{}", run.err());
    false
}
