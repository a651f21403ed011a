//! `tsuba capture`, end to end: local servers in their cage and without one, evidence files, and what is made of them.

use crate::util::{Dir, cages, evidence, said, setup};
use serde_json::{Value, json};
use std::io::Read as _;
use std::net::TcpListener;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

const PROGRAM: &str = env!("CARGO_BIN_EXE_tsuba");

#[test]
fn evidence_is_kept_and_judged() {
    let steering = setup(&[("tide-table", &["tide-table"]), ("berth-board", &["berth-board", "--weak", "two-faced"])]);
    let dir = Dir::new(&[("setup.json", &steering)]);
    let run = dir.run(&["capture", "setup.json", "--launch", "--uncaged"]);
    assert_eq!(run.status(), 0, "{}", run.err());
    assert!(run.err().contains("without a cage") && run.out().starts_with("asked 2 of 2 entries"), "{}", run.out());
    let schema: Value = serde_json::from_str(
        &std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/evidence.schema.json")).unwrap(),
    )
    .unwrap();
    for entry in ["tide-table", "berth-board"] {
        let evidence = evidence(&dir, entry);
        jsonschema::validate(&schema, &evidence).unwrap();
        assert_eq!((&evidence["schema"], &evidence["setup"]), (&json!("tsuba-evidence/1"), &json!("setup.json")));
    }
    let report = dir.run(&["audit", "setup.json", "--evidence", "evidence", "--format", "json"]).json();
    assert_eq!(report["inputs"], json!(["setup.json"]));
    let rules: Vec<&str> =
        report["findings"].as_array().unwrap().iter().map(|finding| finding["rule"].as_str().unwrap()).collect();
    assert!(rules.contains(&"review/inconsistent-answers") && rules.contains(&"wording/asks-for-data"), "{rules:?}");
    let row = |name: &str| {
        let rows = report["entries"].as_array().unwrap();
        rows.iter().find(|row| row["name"] == name && row["setup"] == "setup.json").unwrap().clone()
    };
    // Where the program itself lies on this machine may need mending; what the sound server says does not.
    assert!(row("berth-board")["verdict"] == "refuse" && row("tide-table")["verdict"] != "refuse", "{report}");
    assert_eq!(row("tide-table")["listing"]["tools"], 2);
    assert_eq!(row("tide-table")["fingerprint"], evidence(&dir, "tide-table")["fingerprint"]);
}

#[test]
fn a_server_that_does_not_answer_is_no_evidence() {
    if !cages() {
        return;
    }
    let dir = Dir::new(&[("setup.json", &setup(&[("silent", &["tide-table", "--weak", "silent"])]))]);
    let run = dir.run(&["capture", "setup.json", "--launch", "--patience", "1"]);
    assert!(run.status() == 1 && run.out().contains("1 did not answer"), "{}{}", run.out(), run.err());
    let message = dir.run(&["audit", "setup.json", "--evidence", "evidence"]).out();
    assert!(message.contains("nothing known: it did not answer") && message.contains("0 ready"), "{message}");
    assert!(!message.contains("no tools"), "{message}");
    let report = dir.run(&["audit", "setup.json", "--evidence", "evidence", "--format", "json"]).json();
    let row = report["entries"].as_array().unwrap().iter().find(|row| row["name"] == "silent").unwrap();
    assert_eq!((&row["verdict"], &row["because"][0]), (&json!("unchecked"), &json!("no-answer")), "{row}");
    let approve =
        ["approve", "setup.json", "--entry", "silent", "--evidence", "evidence", "--by", "ines", "--reason", "r"];
    let run = dir.run(&approve);
    assert!(run.status() == 2 && run.err().contains("has not told what it offers"), "{}{}", run.out(), run.err());
}

#[test]
fn a_remote_server_is_asked_about_its_login_and_with_a_token_lists() {
    use tsuba_standin::{Kind, Server, Weakness, serve};
    let weak =
        [Weakness::WantsToken, Weakness::BroadScopes, Weakness::ShortKey, Weakness::TokenInQuery, Weakness::WideToken];
    let web = serve(vec![Server { kind: Kind::BerthBoard, weak: weak.into(), ..Server::default() }]).unwrap();
    let text = json!({ "mcpServers": { "berth-board": { "url": format!("{}/mcp", web.origins[0]) } } }).to_string();
    let dir = Dir::new(&[("setup.json", &text)]);
    let run = dir.run(&["capture", "setup.json"]);
    assert!(
        run.status() == 0 && run.out().contains("0 listed, 1 require a login, 0 did not answer"),
        "{}{}",
        run.out(),
        run.err()
    );
    let report = dir.run(&["audit", "setup.json", "--evidence", "evidence", "--format", "json"]).json();
    let rules: Vec<&str> =
        report["findings"].as_array().unwrap().iter().map(|finding| finding["rule"].as_str().unwrap()).collect();
    for rule in ["oauth/broad-scopes", "oauth/weak-keys", "oauth/token-in-query"] {
        assert!(rules.contains(&rule), "{rule}: {rules:?}");
    }
    assert!(!rules.contains(&"oauth/resource-mismatch") && !rules.contains(&"oauth/insecure-endpoint"), "{rules:?}");
    // What only asked for a login has listed nothing, which is something else than an empty list.
    let message = dir.run(&["audit", "setup.json", "--evidence", "evidence"]).out();
    assert!(message.contains("tools    nothing known: it wants a login first in evidence/"), "{message}");
    let token = "made-up-token-of-the-stand-in";
    let run = Command::new(PROGRAM)
        .args(["capture", "setup.json", "--token-env", "BERTH_TOKEN"])
        .env("BERTH_TOKEN", token)
        .current_dir(dir.path("."))
        .output()
        .unwrap();
    let out = String::from_utf8(run.stdout).unwrap();
    assert!(out.contains("1 listed, 0 require a login"), "{out}");
    let kept = evidence(&dir, "berth-board");
    assert!(said(&kept, "assign_berth").starts_with("Assigns") && !kept.to_string().contains(token));
    let report = dir.run(&["audit", "setup.json", "--evidence", "evidence", "--format", "json"]).json();
    let findings = report["findings"].as_array().unwrap();
    let message = |rule: &str| {
        let found = findings.iter().find(|finding| finding["rule"] == rule);
        found.map(|finding| finding["message"].as_str().unwrap().to_owned()).unwrap_or_default()
    };
    assert_eq!(
        message("scope/unneeded"),
        "crew.read, tides:admin can be removed from the token in use: none of the 2 tools of berth-board is about them"
    );
    for rule in ["scope/admin", "scope/never-expires", "scope/no-audience"] {
        assert!(message(rule).starts_with("the token in use"), "{rule}: {report}");
    }
}

#[test]
fn a_token_comes_through_a_file_descriptor_too_and_says_what_it_may() {
    use tsuba_standin::{Kind, Server, serve};
    let web = serve(vec![Server { kind: Kind::TideTable, ..Server::default() }]).unwrap();
    let text = json!({ "mcpServers": { "tide-table": { "url": format!("{}/mcp", web.origins[0]) } } }).to_string();
    // {"alg":"none"}.{"scope":"tides.read tides.write","exp":1900000000}
    let token = "eyJhbGciOiJub25lIn0.eyJzY29wZSI6InRpZGVzLnJlYWQgdGlkZXMud3JpdGUiLCJleHAiOjE5MDAwMDAwMDB9.c2ln";
    let dir = Dir::new(&[("setup.json", &text), ("token", &format!("{token}\n")), ("empty", "\n")]);
    let run = |file: &str| {
        let from = std::fs::File::open(dir.path(file)).unwrap();
        let mut command = Command::new(PROGRAM);
        command.args(["capture", "setup.json", "--token-fd", "0"]).current_dir(dir.path("."));
        command.stdin(from).output().unwrap()
    };
    assert_eq!(run("token").status.code(), Some(0));
    let kept = evidence(&dir, "tide-table");
    assert_eq!(kept["token"], json!({ "claims": { "scope": "tides.read tides.write", "exp": 1_900_000_000 } }));
    assert!(!kept.to_string().contains(token));
    let report = dir.run(&["audit", "setup.json", "--evidence", "evidence", "--format", "json"]).json();
    let rules: Vec<&str> =
        report["findings"].as_array().unwrap().iter().map(|finding| finding["rule"].as_str().unwrap()).collect();
    assert!(rules.contains(&"scope/unneeded") && rules.contains(&"scope/no-audience"), "{rules:?}");
    let empty = run("empty");
    assert!(String::from_utf8(empty.stderr).unwrap().contains("--token-fd 0: there is no token"));
}

#[test]
fn evidence_that_lies_in_what_is_judged_does_not_take_the_place_of_what_was_captured() {
    let text = json!({ "mcpServers": { "tide-table": { "command": "tide-table" } } }).to_string();
    let listing = |tool: &str, taken: &str| {
        json!({ "schema": "tsuba-evidence/1", "taken": taken, "setup": "repo/setup.json", "entry": "tide-table", "sessions":
            [{ "as": "tsuba", "tools/list": [{ "tools": [{ "name": tool, "inputSchema": { "type": "object" } }] }] }] })
        .to_string()
    };
    let files = [
        ("repo/setup.json", text),
        ("repo/z.json", listing("get_tide", "2026-12-30")),
        ("kept/a.json", listing("delete_harbour", "2026-11-20")),
        ("kept/b.json", listing("get_tide", "2026-11-19")),
    ];
    let files: Vec<(&str, &str)> = files.iter().map(|(path, text)| (*path, text.as_str())).collect();
    let dir = Dir::new(&files);
    let listed = |args: &[&str]| {
        let report = dir.run(&[&["audit", "repo", "--gate", "none", "--format", "json"], args].concat()).json();
        let rows = report["entries"].as_array().unwrap();
        let row = rows.iter().find(|row| row["setup"] == "setup.json").unwrap();
        row["listing"]["path"].as_str().map(str::to_owned)
    };
    assert_eq!(listed(&["--evidence", "kept"]).as_deref(), Some("kept/a.json"));
    assert_eq!(listed(&[]).as_deref(), Some("z.json"));
}

#[test]
fn a_token_goes_to_one_server_and_only_under_tls() {
    let text = |one: &str, other: &str| {
        json!({ "mcpServers": { "one": { "url": one }, "other": { "url": other } } }).to_string()
    };
    let tides = "https://tides.saltmarsh-line.example/mcp";
    for (one, other, why) in [
        (tides, "https://fares.saltmarsh-line.example/mcp", "would both get it"),
        ("http://tides.saltmarsh-line.example/a", "http://tides.saltmarsh-line.example/b", "is without TLS"),
    ] {
        let dir = Dir::new(&[("setup.json", &text(one, other))]);
        let run = Command::new(PROGRAM)
            .args(["capture", "setup.json", "--token-env", "TIDE_TOKEN"])
            .env("TIDE_TOKEN", "made-up-token")
            .current_dir(dir.path("."))
            .output()
            .unwrap();
        let message = String::from_utf8(run.stderr).unwrap();
        assert!(
            run.status.code() == Some(2) && message.contains(why) && !message.contains("made-up-token"),
            "{message}"
        );
    }
}

#[test]
fn a_setup_that_says_it_is_evidence_is_a_setup_all_the_same() {
    let text = r#"{ "schema": "tsuba-evidence/1", "entry": "tide-table", "sessions": [], "mcpServers": {
        "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table"] } } }"#;
    let dir = Dir::new(&[(".mcp.json", text)]);
    let report = dir.run(&["audit", ".", "--format", "json"]).json();
    let found = report["findings"].as_array().unwrap();
    assert!(found.iter().any(|finding| finding["rule"] == "supply/unpinned"), "{report}");
}

#[test]
fn what_is_not_asked_is_told_and_nothing_is_started_without_leave() {
    let text = r#"{ "mcpServers": {
        "local": { "command": "tide-table" },
        "hidden": { "url": "https://${HOST}/mcp" },
        "keyed": { "url": "https://tides.saltmarsh-line.example/mcp?api_key=tide_4fK29sQqP0zz81MvB7aa" },
        "off": { "url": "https://tides.saltmarsh-line.example/mcp", "disabled": true }
    } }"#;
    let dir = Dir::new(&[("setup.json", text)]);
    let run = dir.run(&["capture", "setup.json"]);
    assert_eq!(run.status(), 0, "{}", run.err());
    for why in [
        "local server (needs --launch)",
        "its address holds a variable",
        "its address holds a credential",
        "switched off",
    ] {
        assert!(run.out().contains(&format!("Not asked: {why}")), "{why}: {}", run.out());
    }
    assert!(!run.out().contains("4fK29s"), "{}", run.out());
    let empty = Dir::new(&[("notes.txt", "nothing")]);
    let run = empty.run(&["capture", "."]);
    assert!(run.status() == 2 && run.err().contains("no entry to ask"), "{}", run.err());
    let run = dir.run(&["capture", "setup.json", "--token-env", "NO_SUCH_VARIABLE"]);
    assert!(run.status() == 2 && run.err().contains("no such variable"), "{}", run.err());
    let run = dir.run(&["capture", "setup.json", "--ca", "setup.json"]);
    assert!(run.status() == 2 && run.err().contains("no certificate in PEM"), "{}", run.err());
}

#[test]
fn secrets_of_the_setup_are_neither_handed_over_nor_kept() {
    let secret = "tide_4fK29sQqP0zz81MvB7aa";
    let text = |attack: &str| {
        json!({ "mcpServers": { "tide-table": { "command": PROGRAM, "args": ["stand-in", "tide-table", "--attack", attack],
            "env": { "TIDE_TOKEN": secret } } } }).to_string()
    };
    let dir = Dir::new(&[("setup.json", &text("secret=TIDE_TOKEN"))]);
    assert_eq!(dir.run(&["capture", "setup.json", "--launch", "--uncaged"]).status(), 0);
    let message = said(&evidence(&dir, "tide-table"), "secret");
    assert!(message.len() == secret.len() && !message.contains("4fK29s"), "{message}");
    assert_eq!(dir.run(&["capture", "setup.json", "--launch", "--uncaged", "--with-secrets"]).status(), 0);
    let kept = evidence(&dir, "tide-table");
    assert!(said(&kept, "secret").starts_with("tide…"), "{}", said(&kept, "secret"));
    assert!(!kept.to_string().contains("4fK29s"));
    // In whatever form it is told again: each of them is a mask and no more than a few characters around it.
    dir.write("setup.json", text("echo=TIDE_TOKEN").as_bytes());
    assert_eq!(dir.run(&["capture", "setup.json", "--launch", "--uncaged", "--with-secrets"]).status(), 0);
    let message = said(&evidence(&dir, "tide-table"), "echo");
    assert_eq!(message.split(" | ").count(), 10, "{message}");
    for form in message.split(" | ") {
        assert!(form.contains("chars)") && form.len() < 50, "{form}");
    }
}

#[test]
fn a_stop_keeps_what_was_captured_and_leaves_nothing_running() {
    let dir = Dir::new(&[(
        "setup.json",
        &setup(&[("tide-table", &["tide-table"]), ("slow", &["tide-table", "--weak", "silent"])]),
    )]);
    let mut child = Command::new(PROGRAM)
        .args(["capture", "setup.json", "--launch", "--uncaged"])
        .current_dir(dir.path("."))
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let started = Instant::now();
    let kept = || std::fs::read_dir(dir.path("evidence")).is_ok_and(|files| files.count() > 0);
    while !kept() && started.elapsed() < Duration::from_secs(10) {
        std::thread::sleep(Duration::from_millis(20));
    }
    let stopped = Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
    assert!(stopped.success());
    let status = child.wait().unwrap();
    assert!(started.elapsed() < Duration::from_secs(15), "{:?}", started.elapsed());
    let mut message = String::new();
    child.stderr.take().unwrap().read_to_string(&mut message).unwrap();
    // The other one may have been told as stopped, or not at all.
    assert!(status.code().is_some(), "{status}: {message}");
    assert_eq!(evidence(&dir, "tide-table")["sessions"][0]["ended"], "complete");
    assert!(!running("silent"), "a server is still running");
}

/// Is a program running whose command line holds a word?
fn running(word: &str) -> bool {
    let all = std::fs::read_dir("/proc").unwrap().flatten();
    all.filter_map(|entry| std::fs::read(entry.path().join("cmdline")).ok())
        .any(|line| line.split(|byte| *byte == 0).any(|part| part == word.as_bytes()))
}

#[test]
fn each_wall_of_the_cage_holds() {
    if !cages() {
        return;
    }
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = listener.local_addr().unwrap().port();
    let dir = Dir::new(&[("private.txt", "of the person")]);
    let private = dir.path("private.txt");
    let read = format!("read={}", private.display());
    let write = format!("write={}", dir.path("planted.txt").display());
    let connect = format!("connect=127.0.0.1:{port}");
    let attacks: [(&str, &str, &[&str]); 14] = [
        ("processes", "write=/proc/self/comm", &["failed: ReadOnlyFilesystem", "failed: PermissionDenied"]),
        ("home", read.as_str(), &["failed: NotFound"]),
        ("plant", write.as_str(), &["failed: NotFound", "failed: ReadOnlyFilesystem"]),
        ("settings", "write=/etc/planted", &["failed: ReadOnlyFilesystem", "failed: PermissionDenied"]),
        ("shadow", "read=/etc/shadow", &["failed: NotFound"]),
        ("neighbour", connect.as_str(), &["failed: ConnectionRefused"]),
        ("outside", "connect=harbour.saltmarsh-line.example:443", &["connected to nobody"]),
        ("outside-6", "connect=[2001:db8::7]:443", &["connected to nobody", "failed: Uncategorized"]),
        ("word", "datagram=192.0.2.7:123", &["sent"]),
        ("word-6", "datagram=[2001:db8::7]:123", &["sent", "failed: Uncategorized"]),
        ("trace", "trace", &["failed"]),
        ("signal", "signal=1", &["failed: EPERM"]),
        ("space", "space", &["failed: EPERM"]),
        ("stay", "stay=9876.5", &["left behind", "failed: NotFound"]),
    ];
    let entries: Vec<(&str, Vec<&str>)> =
        attacks.iter().map(|(name, attack, _)| (*name, vec!["tide-table", "--attack", *attack])).collect();
    let entries: Vec<(&str, &[&str])> = entries.iter().map(|(name, args)| (*name, args.as_slice())).collect();
    dir.write("setup.json", setup(&entries).as_bytes());
    let run = dir.run(&["capture", "setup.json", "--launch"]);
    assert_eq!(run.status(), 0, "{}", run.err());
    for (entry, attack, wants) in attacks {
        let tool = attack.split('=').next().unwrap();
        let got = said(&evidence(&dir, entry), tool);
        assert!(wants.contains(&got.as_str()), "{entry}: {got}");
    }
    assert!(!dir.path("planted.txt").exists() && !running("9876.5"));
    let outside = evidence(&dir, "outside");
    assert_eq!(outside["cage"]["names"], json!(["harbour.saltmarsh-line.example"]));
    assert_eq!(outside["cage"]["contacts"], json!(["tcp 198.18.0.0:443"]));
    assert_eq!(evidence(&dir, "word")["cage"]["contacts"], json!(["udp 192.0.2.7:123"]));
    for (entry, attack, contact) in
        [("outside-6", "connect", "tcp [2001:db8::7]:443"), ("word-6", "datagram", "udp [2001:db8::7]:123")]
    {
        let kept = &evidence(&dir, entry);
        // On a system without IPv6 there is nothing to be told.
        let message = said(kept, attack);
        assert!(kept["cage"]["contacts"] == json!([contact]) || message.starts_with("failed"), "{message}: {kept}");
    }
    assert_eq!(evidence(&dir, "neighbour")["cage"]["contacts"], json!([format!("tcp 127.0.0.1:{port}")]));
}

#[test]
fn a_cage_bounds_what_is_used_up() {
    if !cages() {
        return;
    }
    let entries: [(&str, &[&str]); 3] = [
        ("disk", &["tide-table", "--attack", "disk=/tmp"]),
        ("memory", &["tide-table", "--attack", "memory"]),
        ("forks", &["tide-table", "--attack", "forks"]),
    ];
    let dir = Dir::new(&[("setup.json", &setup(&entries))]);
    // One at a time, and with time to spare: what is measured here is what they use up, not how fast this machine is.
    let run = dir.run(&["capture", "setup.json", "--launch", "--at-once", "1", "--patience", "120"]);
    // One that is ended has not answered.
    assert!(run.status() < 2, "{}", run.err());
    let number = |text: &str| text.split(' ').nth(1).and_then(|word| word.parse::<u32>().ok()).unwrap();
    assert!(number(&said(&evidence(&dir, "disk"), "disk")) <= 32);
    assert!(number(&said(&evidence(&dir, "memory"), "memory")) <= 2048);
    let forks = evidence(&dir, "forks");
    let listed = forks["sessions"].as_array().unwrap().iter().any(|session| session.get("tools/list").is_some());
    // Either it could start no more, or it was ended for it.
    if listed {
        assert!(number(&said(&forks, "forks")) <= 250, "{forks}");
    } else {
        assert_eq!(forks["cage"]["limits"], json!(["too many processes"]));
    }
}

#[test]
fn evidence_of_one_tree_takes_no_other_s_place() {
    let text =
        |port: u16| format!(r#"{{ "mcpServers": {{ "tide-table": {{ "url": "http://127.0.0.1:{port}/mcp" }} }} }}"#);
    let dir = Dir::new(&[("a/mcp.json", &text(1)), ("b/mcp.json", &text(2))]);
    for tree in ["a", "b", "a"] {
        dir.run(&["capture", tree]);
    }
    assert_eq!(std::fs::read_dir(dir.path("evidence")).unwrap().count(), 2);
}

#[test]
fn what_no_cage_can_start_is_not_waited_for() {
    if !cages() {
        return;
    }
    let text = r#"{ "mcpServers": {
        "fetched": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.2"] },
        "held": { "command": "docker", "args": ["run", "-i", "saltmarsh/quay-files:1.4.2"] }
    } }"#;
    let dir = Dir::new(&[("setup.json", text)]);
    let started = Instant::now();
    let run = dir.run(&["capture", "setup.json", "--launch"]);
    assert!(run.status() == 0 && started.elapsed() < Duration::from_secs(5), "{}", run.err());
    for why in ["a package runner starts it", "a container engine starts it"] {
        assert!(run.out().contains(&format!("Not asked: {why}")), "{}", run.out());
    }
    // Nothing was asked, and what would change that is said.
    assert!(run.out().ends_with("\nnext: tsuba capture --launch --fetch setup.json\n"), "{}", run.out());
    let held =
        r#"{ "mcpServers": { "held": { "command": "docker", "args": ["run", "-i", "saltmarsh/quay-files:1.4.2"] } } }"#;
    dir.write("setup.json", held.as_bytes());
    let out = dir.run(&["capture", "setup.json", "--launch"]).out();
    assert!(out.ends_with("\nnothing could be asked: there is no new evidence\n"), "{out}");
    assert!(dir.run(&["capture", "setup.json"]).out().ends_with("\nnext: tsuba capture --launch setup.json\n"));
}

#[test]
fn what_a_caged_server_touches_is_kept() {
    if !cages() {
        return;
    }
    let entries: [(&str, &[&str]); 1] =
        [("nosy", &["tide-table", "--attack", "read=/home/crew/.ssh/id_ed25519", "--attack", "write=/tmp/note"])];
    let dir = Dir::new(&[("setup.json", &setup(&entries))]);
    let run = dir.run(&["capture", "setup.json", "--launch"]);
    assert_eq!(run.status(), 0);
    let seen = "Seen in the cage: 1 ran, 0 touched nothing but their own files\n    nosy  setup.json  opened decoys ~/.ssh/id_ed25519; wrote /tmp/note\n";
    assert!(run.out().contains(seen), "{}", run.out());
    let cage = &evidence(&dir, "nosy")["cage"];
    assert_eq!((&cage["decoys"], &cage["written"]), (&json!(["~/.ssh/id_ed25519"]), &json!(["/tmp/note"])));
    assert!(cage["programs"][0].as_str().unwrap().contains("stand-in tide-table"), "{cage}");
}
