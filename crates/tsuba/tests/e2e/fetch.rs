//! `tsuba capture --fetch`, end to end: the ordinary package clients, against a registry on loopback that has one package.

use crate::util::{Dir, evidence};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::io::{BufRead as _, BufReader, Write as _};
use std::net::TcpListener;
use std::path::Path;
use std::process::{Command, Output};

/// A registry: what it answers to which path, from now on.
struct Registry {
    origin: String,
}

impl Registry {
    fn new(answers: impl FnOnce(&str) -> BTreeMap<String, (&'static str, Vec<u8>)>) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let origin = format!("http://{}", listener.local_addr().unwrap());
        let answers = answers(&origin);
        std::thread::spawn(move || {
            for stream in listener.incoming() {
                let mut stream = stream.unwrap();
                let mut lines = BufReader::new(stream.try_clone().unwrap()).lines().map_while(Result::ok);
                let first = lines.next().unwrap_or_default();
                for _header in lines.take_while(|line| !line.is_empty()) {}
                let path = first.split(' ').nth(1).unwrap_or_default().replace("%2f", "/");
                let (status, kind, body) = match answers.get(&path) {
                    Some((kind, body)) => ("200 OK", *kind, body.clone()),
                    None => ("404 Not Found", "text/plain", Vec::new()),
                };
                let head = format!(
                    "HTTP/1.1 {status}\r\ncontent-type: {kind}\r\ncontent-length: {}\r\nconnection: close\r\n\r\n",
                    body.len()
                );
                let _gone = stream.write_all(&[head.into_bytes(), body].concat());
            }
        });
        Self { origin }
    }
}

fn run(program: &str, args: &[&str], folder: &Path) -> Option<Output> {
    Command::new(program).args(args).current_dir(folder).output().ok().filter(|output| output.status.success())
}

/// Captures in a cage; where none can be built, without one.
fn capture(dir: &Dir, variable: (&str, &str)) -> String {
    let run = |more: &[&str]| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_tsuba"));
        command.args(["capture", "setup.json", "--launch", "--fetch"]).args(more).current_dir(dir.path("."));
        command.env(variable.0, variable.1).env("NO_COLOR", "1").output().unwrap()
    };
    let caged = run(&[]);
    let output = if caged.status.code() == Some(2) { run(&["--uncaged"]) } else { caged };
    String::from_utf8(output.stdout).unwrap() + &String::from_utf8(output.stderr).unwrap()
}

fn rules(dir: &Dir) -> Vec<String> {
    let report =
        dir.run(&["audit", "setup.json", "--evidence", "evidence", "--as-of", "2026-11-25", "--format", "json"]);
    let report = report.json();
    let findings = report["findings"].as_array().unwrap().iter();
    findings.filter(|f| f["setup"] != "setup.json").map(|f| f["rule"].as_str().unwrap().to_owned()).collect()
}

fn tools(evidence: &Value) -> String {
    evidence["sessions"][0]["tools/list"][0]["tools"].to_string()
}

/// A server that speaks the older revisions, in JavaScript.
const SERVER: &str = r#"#!/usr/bin/env node
const answers = {
  initialize: { protocolVersion: "2025-11-25", capabilities: { tools: {} }, serverInfo: { name: "tide-table", version: "2.4.1" } },
  "tools/list": { tools: [{ name: "get_tide", description: `Returns the tide. ${process.argv[2]} ${__dirname}`, inputSchema: { type: "object" } }] },
};
require("readline").createInterface({ input: process.stdin }).on("line", (line) => {
  const { id, method } = JSON.parse(line);
  if (id === undefined) return;
  const result = answers[method];
  const answer = result ? { result } : { error: { code: -32601, message: "unknown" } };
  console.log(JSON.stringify({ jsonrpc: "2.0", id, ...answer }));
});
"#;

#[test]
fn a_package_of_the_javascript_registry_is_fetched_and_nothing_of_it_runs_meanwhile() {
    let setup = json!({ "mcpServers": {
        "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@^2", "--harbour"] },
        "berth-board": { "command": "npx", "args": ["-y", "@saltmarsh/berth-board"] },
        "quay-files": { "command": "npx", "args": ["-y", "@saltmarsh/quay-files"] },
    } });
    let dir = Dir::new(&[("setup.json", &setup.to_string()), ("package/server.js", SERVER)]);
    let proof = dir.path("installed");
    let manifest = json!({ "name": "@saltmarsh/tide-table", "version": "2.4.1", "bin": { "tide-table": "server.js" },
        "scripts": { "postinstall": format!("node -e \"require('fs').writeFileSync('{}', '')\"", proof.display()) } });
    dir.write("package/package.json", manifest.to_string().as_bytes());
    // A setup's own folder may name another registry: it does not count.
    dir.write(".npmrc", b"registry=http://127.0.0.1:9/\nignore-scripts=false\n");
    let Some(packed) = run("npm", &["pack", "--json", "--ignore-scripts"], &dir.path("package")) else {
        return eprintln!("skipped: npm is not installed");
    };
    let packed: Value = serde_json::from_slice(&packed.stdout).unwrap();
    let packed = packed.get(0).or_else(|| packed.get("@saltmarsh/tide-table")).unwrap();
    let tarball = std::fs::read(dir.path("package").join(packed["filename"].as_str().unwrap())).unwrap();
    // A dependency in a repository is prepared by running its own script, whatever is said of install scripts.
    let prepare = json!({ "name": "rope", "version": "1.0.0", "scripts": manifest["scripts"]["postinstall"].as_str().map(|script| json!({ "prepare": script, "install": script })) });
    dir.write("rope/package.json", prepare.to_string().as_bytes());
    dir.write("rope/.npmrc", b"ignore-scripts=false\n");
    for args in [
        &["init", "-q"][..],
        &["add", "."],
        &["-c", "user.name=x", "-c", "user.email=x@x.example", "commit", "-qm", "x"],
    ] {
        let _without_git_there_is_none = run("git", args, &dir.path("rope"));
    }
    let rope = format!("git+file://{}", dir.path("rope").display());
    let registry = Registry::new(|origin| {
        let mut other = manifest.clone();
        other["name"] = json!("@saltmarsh/quay-files");
        other["dependencies"] = json!({ "rope": rope });
        other["dist"] = json!({ "tarball": format!("{origin}/tarball.tgz"), "integrity": packed["integrity"] });
        let other = json!({ "name": "@saltmarsh/quay-files", "dist-tags": { "latest": "2.4.1" }, "versions": { "2.4.1": other } });
        let mut version = manifest.clone();
        version["hasInstallScript"] = json!(true);
        version["deprecated"] = json!("use @saltmarsh/tides");
        version["dist"] = json!({ "tarball": format!("{origin}/tarball.tgz"), "integrity": packed["integrity"] });
        let document = json!({ "name": "@saltmarsh/tide-table", "dist-tags": { "latest": "2.4.1" },
            "versions": { "2.4.1": version }, "time": { "2.4.1": "2026-11-22T08:00:00.000Z" } });
        [
            ("/@saltmarsh/tide-table".to_owned(), ("application/json", document.to_string().into_bytes())),
            ("/@saltmarsh/quay-files".to_owned(), ("application/json", other.to_string().into_bytes())),
            ("/tarball.tgz".to_owned(), ("application/octet-stream", tarball)),
        ]
        .into()
    });
    let out = capture(&dir, ("npm_config_registry", &registry.origin));
    assert!(out.contains("asked 3 of 3 entries: 1 listed, 0 require a login, 2 did not answer"), "{out}");
    assert!(out.contains("npm could not fetch it: E404\n    berth-board"), "{out}");
    assert!(!proof.exists(), "an install script ran");
    let kept = evidence(&dir, "tide-table");
    let schema = std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/evidence.schema.json")).unwrap();
    jsonschema::validate(&serde_json::from_slice(&schema).unwrap(), &kept).unwrap();
    assert_eq!(
        kept["package"],
        json!({ "client": "npm", "name": "@saltmarsh/tide-table", "asked": "@saltmarsh/tide-table@^2", "version": "2.4.1",
            "integrity": packed["integrity"], "published": "2026-11-22", "deprecated": "use @saltmarsh/tides",
            "scripts": ["@saltmarsh/tide-table@2.4.1"], "packages": 1 })
    );
    // It is given the entry's own arguments, and the scratch folder has no name.
    assert!(tools(&kept).contains("Returns the tide. --harbour /fetched/node_modules/@saltmarsh/tide-table"), "{kept}");
    let rules = rules(&dir);
    for rule in ["supply/install-script", "supply/deprecated", "supply/young-version"] {
        assert!(rules.iter().any(|found| found == rule), "{rule}: {rules:?}");
    }
}

/// The same in Python.
const MODULE: &str = r#"
import json, sys
answers = {
    "initialize": {"protocolVersion": "2025-11-25", "capabilities": {"tools": {}}, "serverInfo": {"name": "tides", "version": "1.2.0"}},
    "tools/list": {"tools": [{"name": "get_tide", "description": "Returns the tide.", "inputSchema": {"type": "object"}}]},
}
def main():
    for line in sys.stdin:
        message = json.loads(line)
        if "id" in message:
            result = answers.get(message["method"])
            answer = {"result": result} if result else {"error": {"code": -32601, "message": "unknown"}}
            print(json.dumps({"jsonrpc": "2.0", "id": message["id"], **answer}), flush=True)
"#;

#[test]
fn a_package_of_the_python_registry_is_fetched_as_a_wheel_or_not_at_all() {
    let setup = json!({ "mcpServers": {
        "tides": { "command": "uvx", "args": ["--from", "saltmarsh-tides==1.2.0", "tides"] },
        "built": { "command": "uvx", "args": ["saltmarsh-built"] },
        "direct": { "command": "uvx", "args": ["saltmarsh-direct"] },
    } });
    let dir = Dir::new(&[("setup.json", &setup.to_string()), ("wheel/saltmarsh_tides.py", MODULE)]);
    let info = "saltmarsh_tides-1.2.0.dist-info";
    for (file, text) in [
        ("METADATA", "Metadata-Version: 2.1\nName: saltmarsh-tides\nVersion: 1.2.0\n"),
        ("WHEEL", "Wheel-Version: 1.0\nGenerator: hand\nRoot-Is-Purelib: true\nTag: py3-none-any\n"),
        ("entry_points.txt", "[console_scripts]\ntides = saltmarsh_tides:main\n"),
        ("RECORD", "saltmarsh_tides.py,,\n"),
    ] {
        dir.write(&format!("wheel/{info}/{file}"), text.as_bytes());
    }
    let wheel = "saltmarsh_tides-1.2.0-py3-none-any.whl";
    let folder = dir.path("wheel");
    let has_pip = run("python3", &["-m", "pip", "--version"], &folder).is_some();
    if !has_pip || run("python3", &["-m", "zipfile", "-c", wheel, "saltmarsh_tides.py", info], &folder).is_none() {
        return eprintln!("skipped: pip is not installed");
    }
    // A source archive runs its own build: it must not be taken.
    let proof = dir.path("built");
    dir.write("sdist/saltmarsh-built-1.0/setup.py", format!("open({:?}, 'w')", proof.display().to_string()).as_bytes());
    dir.write("sdist/saltmarsh-built-1.0/PKG-INFO", b"Metadata-Version: 2.1\nName: saltmarsh-built\nVersion: 1.0\n");
    run("python3", &["-m", "tarfile", "-c", "saltmarsh-built-1.0.tar.gz", "saltmarsh-built-1.0"], &dir.path("sdist"))
        .unwrap();
    // So must the address that a wheel requires.
    let direct = "saltmarsh_direct-1.0.dist-info";
    dir.write("direct/saltmarsh_direct.py", b"");
    for (file, text) in [
        (
            "METADATA",
            "Metadata-Version: 2.1\nName: saltmarsh-direct\nVersion: 1.0\nRequires-Dist: saltmarsh-built @ ORIGIN/files/saltmarsh-built-1.0.tar.gz\n",
        ),
        ("WHEEL", "Wheel-Version: 1.0\nGenerator: hand\nRoot-Is-Purelib: true\nTag: py3-none-any\n"),
        ("RECORD", "saltmarsh_direct.py,,\n"),
    ] {
        dir.write(&format!("direct/{direct}/{file}"), text.as_bytes());
    }
    let registry = Registry::new(|origin| {
        let metadata = dir.path("direct").join(direct).join("METADATA");
        let text = std::fs::read_to_string(&metadata).unwrap().replace("ORIGIN", origin);
        std::fs::write(&metadata, text).unwrap();
        run(
            "python3",
            &["-m", "zipfile", "-c", "saltmarsh_direct-1.0-py3-none-any.whl", "saltmarsh_direct.py", direct],
            &dir.path("direct"),
        )
        .unwrap();
        let page = |file: &str| format!("<!DOCTYPE html><a href=\"/files/{file}\">{file}</a>").into_bytes();
        [
            ("/simple/saltmarsh-tides/".to_owned(), ("text/html", page(wheel))),
            ("/simple/saltmarsh-built/".to_owned(), ("text/html", page("saltmarsh-built-1.0.tar.gz"))),
            ("/simple/saltmarsh-direct/".to_owned(), ("text/html", page("saltmarsh_direct-1.0-py3-none-any.whl"))),
            (
                "/files/saltmarsh_direct-1.0-py3-none-any.whl".to_owned(),
                ("application/zip", std::fs::read(dir.path("direct/saltmarsh_direct-1.0-py3-none-any.whl")).unwrap()),
            ),
            (format!("/files/{wheel}"), ("application/zip", std::fs::read(folder.join(wheel)).unwrap())),
            (
                "/files/saltmarsh-built-1.0.tar.gz".to_owned(),
                ("application/gzip", std::fs::read(dir.path("sdist/saltmarsh-built-1.0.tar.gz")).unwrap()),
            ),
        ]
        .into()
    });
    let out = capture(&dir, ("PIP_INDEX_URL", &format!("{}/simple/", registry.origin)));
    assert!(out.contains("asked 3 of 3 entries: 1 listed, 0 require a login, 2 did not answer"), "{out}");
    assert!(out.contains("what must be built is not fetched"), "{out}");
    assert!(!proof.exists(), "a build ran");
    let kept = evidence(&dir, "tides");
    let package = &kept["package"];
    assert_eq!(
        (&package["client"], &package["version"], &package["packages"]),
        (&json!("pip"), &json!("1.2.0"), &json!(1))
    );
    assert!(
        package["integrity"].as_str().unwrap().starts_with("sha256:") && tools(&kept).contains("get_tide"),
        "{kept}"
    );
}
