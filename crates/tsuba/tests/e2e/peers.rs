//! `tsuba capture` against servers that are not ours: the official protocol SDK's and a well-kept authorization-server library. They are
//! looked for in the folder that TSUBA_PEERS names, in which `conformance/peers/install` was run; where they are not, that is said.

use crate::util::{Dir, evidence};
use serde_json::{Value, json};
use std::io::{BufRead as _, BufReader};
use std::net::TcpListener;
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// The folder of the packages, where `package` is one of them.
fn peers(package: &str) -> Option<PathBuf> {
    let folder = std::env::var_os("TSUBA_PEERS").map(PathBuf::from);
    let found = folder.filter(|folder| folder.join("node_modules").join(package).is_dir());
    if found.is_none() {
        eprintln!("skipped: {package} is not installed (TSUBA_PEERS; conformance/peers/install)");
    }
    found
}

fn script(name: &str) -> String {
    let path = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../conformance/peers").join(name);
    path.canonicalize().unwrap().to_string_lossy().into_owned()
}

/// A program that ends with the test.
struct Running(Child);

impl Drop for Running {
    fn drop(&mut self) {
        let _gone = self.0.kill();
        let _gone = self.0.wait();
    }
}

/// The sessions of an entry that listed to the end, as `era: tools`.
fn listed(evidence: &Value) -> Vec<String> {
    let sessions = evidence["sessions"].as_array().unwrap().iter();
    let complete = sessions.filter(|session| session["as"] == "tsuba" && session["ended"] == "complete");
    let count = |session: &Value| {
        let pages = session["tools/list"].as_array().cloned().unwrap_or_default();
        pages.iter().map(|page| page["tools"].as_array().map_or(0, Vec::len)).sum::<usize>()
    };
    complete.map(|session| format!("{}: {}", session["era"].as_str().unwrap(), count(session))).collect()
}

#[test]
fn the_sdk_s_server_lists_the_same_in_both_eras() {
    let Some(folder) = peers("@modelcontextprotocol/server") else { return };
    let setup = json!({ "mcpServers": { "tide-table":
        { "command": "node", "args": [script("server.mjs")], "cwd": folder } } });
    let dir = Dir::new(&[("setup.json", &setup.to_string())]);
    let run = dir.run(&["capture", "setup.json", "--launch", "--uncaged"]);
    let kept = evidence(&dir, "tide-table");
    assert_eq!(listed(&kept), ["handshake: 1", "stateless: 1"], "{}{}", run.out(), run.err());
}

#[test]
fn the_sdk_s_example_lists_the_same_over_every_transport() {
    let package = "@modelcontextprotocol/server-everything";
    let Some(folder) = peers(package) else { return };
    let program = folder.join("node_modules").join(package).join("dist/index.js");
    let start = |transport: &str| {
        let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        let mut command = Command::new("node");
        command.arg(&program).arg(transport).env("PORT", port.to_string());
        let child = command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        let until = Instant::now() + Duration::from_secs(20);
        while std::net::TcpStream::connect(("127.0.0.1", port)).is_err() && Instant::now() < until {
            std::thread::sleep(Duration::from_millis(50));
        }
        (Running(child), format!("http://127.0.0.1:{port}"))
    };
    let ((_http, http), (_sse, sse)) = (start("streamableHttp"), start("sse"));
    let setup = json!({ "mcpServers": {
        "local": { "command": "node", "args": [program, "stdio"] },
        "http": { "url": format!("{http}/mcp") },
        "sse": { "type": "sse", "url": format!("{sse}/sse") },
    } });
    let dir = Dir::new(&[("setup.json", &setup.to_string())]);
    let run = dir.run(&["capture", "setup.json", "--launch", "--uncaged"]);
    let all = ["local", "http", "sse"].map(|entry| listed(&evidence(&dir, entry)));
    assert!(all[0].len() == 1 && !all[0][0].ends_with(": 0"), "{all:?} {}{}", run.out(), run.err());
    assert!(all.iter().all(|listed| *listed == all[0]), "{all:?} {}{}", run.out(), run.err());
}

#[test]
fn an_authorization_server_s_sound_metadata_raises_nothing() {
    let Some(folder) = peers("oidc-provider") else { return };
    for (mode, registration) in [("closed", &[][..]), ("open", &["oauth/open-registration"][..])] {
        let mut command = Command::new("node");
        command.arg(script("login.mjs")).arg(mode).current_dir(&folder).stdout(Stdio::piped()).stderr(Stdio::null());
        let mut server = Running(command.spawn().unwrap());
        let lines = BufReader::new(server.0.stdout.take().unwrap()).lines().map_while(Result::ok);
        let said: Vec<String> = lines.filter(|line| !line.starts_with("oidc-provider")).take(3).collect();
        // A server of this machine sends its client to no other port of it, unless the setup names that port too.
        let setup =
            json!({ "mcpServers": { "tide-table": { "url": said[0], "oauth": { "issuer": said[1] } } } }).to_string();
        let dir = Dir::new(&[("setup.json", &setup)]);
        let capture = |more: &[&str]| {
            let mut command = Command::new(env!("CARGO_BIN_EXE_tsuba"));
            command.args(["capture", "setup.json"]).args(more).env("TIDE_TOKEN", &said[2]).current_dir(dir.path("."));
            assert!(command.output().unwrap().status.success());
            evidence(&dir, "tide-table")
        };
        let kept = capture(&[]);
        let answered = |ask: &str| {
            let all = kept["http"].as_array().unwrap().iter();
            all.filter(|answer| answer["ask"] == ask && answer["body"].is_object()).count()
        };
        for ask in ["resource-metadata", "server-metadata", "keys"] {
            assert!(answered(ask) > 0, "{mode} {ask}: {kept}");
        }
        let report = dir.run(&["audit", "setup.json", "--evidence", "evidence", "--format", "json"]).json();
        let message = report["findings"].as_array().unwrap().iter().filter(|finding| {
            let severity = finding["severity"].as_str().unwrap();
            !matches!(severity, "low" | "note") && finding["rule"].as_str().unwrap().starts_with("oauth/")
        });
        let message: Vec<&str> = message.map(|finding| finding["rule"].as_str().unwrap()).collect();
        assert_eq!(message, registration, "{mode}: {}", report["findings"]);
        let kept = capture(&["--token-env", "TIDE_TOKEN"]);
        assert_eq!(listed(&kept), ["handshake: 1"], "{mode}: {kept}");
        assert!(!kept.to_string().contains(&said[2]));
    }
}

/// The rules at `medium` or above that say something about a login, on what was captured of a server that a script starts.
fn found(script_name: &str, package: &str, mode: &str) -> Option<Vec<String>> {
    let folder = peers(package)?;
    let mut command = Command::new("node");
    command.arg(script(script_name)).arg(mode).current_dir(&folder).stdout(Stdio::piped()).stderr(Stdio::null());
    let mut server = Running(command.spawn().unwrap());
    let lines = BufReader::new(server.0.stdout.take().unwrap()).lines().map_while(Result::ok);
    // The tool server's address comes first, then the authorization server's where that is another.
    let wanted = if script_name == "login.mjs" { 2 } else { 1 };
    let said: Vec<String> = lines.filter(|line| line.starts_with("http://")).take(wanted).collect();
    let setup = json!({ "mcpServers": { "tide-table": { "url": said[0], "oauth": { "issuer": said[wanted - 1] } } } });
    let dir = Dir::new(&[("setup.json", &setup.to_string())]);
    dir.run(&["capture", "setup.json"]);
    let report = dir.run(&["audit", "setup.json", "--evidence", "evidence", "--format", "json"]).json();
    let findings = report["findings"].as_array().unwrap().iter().filter(|finding| finding["severity"] != "note");
    let rules = findings.map(|finding| finding["rule"].as_str().unwrap().to_owned());
    Some(rules.filter(|rule| rule.starts_with("oauth/") || rule.starts_with("exposure/")).collect())
}

#[test]
fn what_is_wrong_with_a_login_of_well_kept_libraries_is_found_and_nothing_else() {
    for (script, package, mode, want) in [
        ("login.mjs", "oidc-provider", "closed", &[][..]),
        ("login.mjs", "oidc-provider", "implicit", &["oauth/implicit-grant"]),
        ("login.mjs", "oidc-provider", "no-issuers", &["oauth/no-resource-metadata"]),
        ("login.mjs", "oidc-provider", "other-tenant", &["oauth/no-server-metadata"]),
        ("login.mjs", "oidc-provider", "silent", &["oauth/no-server-metadata"]),
        ("login.mjs", "oidc-provider", "inside", &["exposure/internal-target"]),
        ("login.mjs", "oidc-provider", "refuses-with-200", &["oauth/bad-challenge"]),
        ("sdk.mjs", "@modelcontextprotocol/sdk", "sound", &[]),
        ("sdk.mjs", "@modelcontextprotocol/sdk", "open", &["oauth/open-registration"]),
        ("sdk.mjs", "@modelcontextprotocol/sdk", "other-resource", &["oauth/resource-mismatch"]),
        ("sdk.mjs", "@modelcontextprotocol/sdk", "other-issuer", &["oauth/issuer-mismatch", "oauth/foreign-endpoint"]),
        ("sdk.mjs", "@modelcontextprotocol/sdk", "page", &["oauth/no-resource-metadata"]),
        ("sdk.mjs", "@modelcontextprotocol/sdk", "admin", &["oauth/broad-scopes"]),
        ("sdk.mjs", "@modelcontextprotocol/sdk", "login-page", &["oauth/bad-challenge"]),
        ("sdk.mjs", "@modelcontextprotocol/sdk", "malformed", &["oauth/bad-challenge"]),
    ] {
        if let Some(rules) = found(script, package, mode) {
            assert_eq!(rules, want, "{script} {mode}");
        }
    }
}
