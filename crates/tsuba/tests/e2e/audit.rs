//! `tsuba audit` on files in a temporary folder.

use crate::util::{Dir, FORMATS};

const UNPINNED: &str =
    r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table"] } } }"#;
const PINNED: &str =
    r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"#;

#[test]
fn the_exit_status_tells_whether_the_gate_is_reached() {
    let dir = Dir::new(&[("bad/mcp.json", UNPINNED), ("good/mcp.json", PINNED)]);
    assert_eq!(dir.run(&["audit", "good"]).status(), 0);
    assert_eq!(dir.run(&["audit", "bad"]).status(), 1);
    assert_eq!(dir.run(&["audit", "bad", "--gate", "critical"]).status(), 0);
    assert_eq!(dir.run(&["audit", "bad", "--gate", "none"]).status(), 0);
    assert_eq!(dir.run(&["audit", "bad", "--only", "power"]).status(), 0);
    for (args, says) in [
        (&["audit", "missing"][..], "no such file or folder"),
        (&["audit", "--as-of", "soon"], "not a date"),
        (&["audit", "--only", "nonsense"], "unknown family"),
        (&["audit", "--config", "none.toml"], "none.toml"),
        (&["explain", "no/rule"], "unknown rule"),
        (&["audit", "good", "-o", "no/such/folder/report.json"], "cannot write"),
    ] {
        let run = dir.run(args);
        assert_eq!(run.status(), 2, "{args:?}");
        assert!(run.err().contains(says), "{args:?}: {}", run.err());
    }
}

#[test]
fn the_first_line_counts_and_each_finding_has_place_and_fix() {
    let dir = Dir::new(&[("mcp.json", UNPINNED)]);
    let out = dir.run(&["audit"]).out();
    assert!(out.starts_with("0 refuse   1 fix-first   0 unchecked   0 ready   of 1 entry in 1 setup"), "{out}");
    for part in [
        "fix-first  tide-table  mcp.json:1",
        "supply/unpinned  line 1, column 68",
        "~~~~~~~",
        "@saltmarsh/tide-table@<the version",
    ] {
        assert!(out.contains(part), "{part}: {out}");
    }
    assert!(Dir::new(&[]).run(&["audit"]).out().starts_with("No tool server is set up in this folder."));
}

#[test]
fn nothing_is_ready_that_was_not_looked_at() {
    let broken = "{ \"mcpServers\": { \"tide-table\": <<<<<<< ours\n";
    let dir = Dir::new(&[("good/mcp.json", PINNED), ("torn/mcp.json", broken)]);
    let run = dir.run(&["audit", "good"]);
    assert!(run.out().starts_with("0 refuse   0 fix-first   1 unchecked   0 ready   of 1 entry"), "{}", run.out());
    let report = dir.run(&["audit", "good", "--format", "json"]).json();
    assert_eq!(report["entries"][0]["verdict"], "unchecked");
    assert_eq!(report["entries"][0]["because"][0], "not-asked");
    // What is not known stops where nothing unknown may pass.
    assert_eq!((run.status(), dir.run(&["audit", "good", "--strict"]).status()), (0, 1));
    // A file that looks like a setup and cannot be read is none that sets nothing up.
    let torn = dir.run(&["audit", "torn"]);
    let first = "No tool server is set up in what could be read of torn; 1 file unread.\n";
    assert!(torn.out().starts_with(first), "{}", torn.out());
    assert_eq!((torn.status(), dir.run(&["audit", "torn", "--strict"]).status()), (0, 1));
}

#[test]
fn every_filter_is_named_and_what_hides_findings_gives_no_verdict() {
    let policy =
        "[[team]]\nname = \"Harbour\"\npaths = [\"a/**\"]\n\n[[team]]\nname = \"Ledger\"\npaths = [\"b/**\"]\n";
    let dir = Dir::new(&[("t/a/mcp.json", UNPINNED), ("t/b/mcp.json", UNPINNED), ("teams.toml", policy)]);
    let run = |args: &[&str]| dir.run(&[&["audit", "t", "--config", "teams.toml"], args].concat());
    for (args, filters, entries, findings, verdicts) in [
        (&["--rule", "power/shell"][..], "rule power/shell", 2, 0, false),
        (&["--severity", "critical"], "severity critical", 2, 0, false),
        (&["--severity", "high", "--rule", "supply/unpinned"], "rule supply/unpinned; severity high", 2, 2, false),
        (&["--team", "Harbour"], "team Harbour", 1, 1, true),
        (&["--exclude", "b/**"], "exclude b/**", 1, 1, true),
    ] {
        let report = run(&[args, &["--format", "json"]].concat()).json();
        let named: Vec<&str> = report["filters"].as_array().unwrap().iter().map(|f| f.as_str().unwrap()).collect();
        assert_eq!(named.join("; "), filters);
        let count = |list: &str| report[list].as_array().unwrap().len();
        assert_eq!((count("entries"), count("findings")), (entries, findings), "{args:?}");
        assert_eq!(report["entries"][0]["verdict"].is_string(), verdicts, "{args:?}");
        for format in ["text", "markdown"] {
            let out = run(&[args, &["--format", format]].concat()).out();
            let first = out.lines().next().unwrap();
            assert!(first.contains(filters.split('*').next().unwrap()), "{first}");
        }
    }
    // The gate is at what is shown; nothing is shown where only the status is wanted.
    assert_eq!((run(&["--severity", "critical"]).status(), run(&["--rule", "supply/unpinned"]).status()), (0, 1));
    let quiet = run(&["--quiet"]);
    assert_eq!((quiet.status(), quiet.out().as_str()), (1, ""));
    for wrong in [&["--rule", "power/none"][..], &["--exclude", "a["], &["--summary", "--format", "json"]] {
        let message = run(wrong);
        assert!(message.status() == 2 && !message.err().is_empty(), "{wrong:?} {}", message.err());
    }
}

#[test]
fn a_long_report_begins_with_an_overview() {
    let dir = Dir::new(&[]);
    for at in 0..21 {
        dir.write(&format!("t/r{}/{at}/mcp.json", at % 3), if at == 20 { UNPINNED } else { PINNED }.as_bytes());
    }
    let out = dir.run(&["audit", "t"]).out();
    let table: Vec<&str> = out.lines().skip_while(|line| !line.contains("fix-first unchecked")).take(4).collect();
    assert_eq!(table[1].split_whitespace().collect::<Vec<_>>(), ["r2", "·", "1", "6", "·"], "{out}");
    assert!(out.contains("\nWorst\n  fix-first  tide-table  r2/20/mcp.json:1  1 high\n"), "{out}");
    let summary = dir.run(&["audit", "t", "--summary"]).out();
    assert!(summary.contains("\nWorst\n") && summary.contains("21 entries are not shown"), "{summary}");
    assert!(!summary.contains("supply/unpinned"), "{summary}");
    let top = dir.run(&["audit", "t", "--top", "1"]).out();
    assert!(top.contains("supply/unpinned") && top.contains("20 entries are not shown"), "{top}");
    // A short one needs none.
    assert!(!dir.run(&["audit", "t/r0"]).out().contains("Worst"));
}

#[test]
fn whatever_hides_a_setup_is_read_or_counted_in_the_first_line() {
    let utf16 = |text: &str| text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
    for (bytes, entries, why) in [
        (utf16(PINNED), 1, None),
        (
            format!("<<<<<<< HEAD\n{PINNED}\n=======\n{UNPINNED}\n>>>>>>> tides\n").into_bytes(),
            0,
            Some("merge conflict"),
        ),
        (b"{ \"mcpServers\": { \"tide-table\": { \"command\": \"np".to_vec(), 0, Some("ends in the middle")),
        (
            b"{ \"mcpServers\": { \"tide-table\": { \"command\": \"caf\xe9\" } } }".to_vec(),
            0,
            Some("neither UTF-8 nor UTF-16"),
        ),
    ] {
        let dir = Dir::new(&[]);
        dir.write("a/mcp.json", &bytes);
        let run = dir.run(&["audit", "a"]);
        let report = dir.run(&["audit", "a", "--format", "json"]).json();
        assert_eq!(report["summary"]["entries"], entries);
        if let Some(why) = why {
            assert!(run.out().lines().next().unwrap().contains("; 1 file unread"), "{}", run.out());
            assert!(report["unread"][0]["why"].as_str().unwrap().contains(why), "{report}");
            let markdown = dir.run(&["audit", "a", "--format", "markdown"]).out();
            assert!(markdown.lines().next().unwrap().contains("1 file unread"), "{markdown}");
        }
    }
}

#[test]
fn some_rules_alone_give_no_verdict() {
    let dir = Dir::new(&[("mcp.json", UNPINNED)]);
    let report = dir.run(&["audit", "--only", "power", "--format", "json", "-o", "r.json"]);
    assert_eq!(report.status(), 0);
    let report: serde_json::Value = serde_json::from_slice(&std::fs::read(dir.path("r.json")).unwrap()).unwrap();
    assert_eq!(report["filters"], serde_json::json!(["only power"]));
    assert!(report["entries"][0]["verdict"].is_null() && report["summary"]["verdicts"].as_object().unwrap().is_empty());
    let out = dir.run(&["audit", "--only", "supply", "--only", "power"]).out();
    assert!(out.starts_with("filtered (only supply; only power), so without verdicts   1 entry in 1 setup"), "{out}");
    assert!(out.contains("supply/unpinned") && !out.contains("fix-first") && !out.contains("ready"), "{out}");
    let ticket = dir.run(&["audit", "--only", "supply", "--format", "markdown"]).out();
    assert!(
        ticket.starts_with("## Tool servers: filtered (only supply), so without verdicts")
            && ticket.contains("### tide-table\n"),
        "{ticket}"
    );
    // A saved one stays what it is.
    let again = dir.run(&["render", "r.json"]).out();
    assert!(again.starts_with("filtered (only power), so without verdicts"), "{again}");
}

#[test]
fn standard_input_is_a_document() {
    let run = Dir::new(&[]).run_with(&["audit", "-", "--format", "json"], UNPINNED.as_bytes());
    assert_eq!(run.status(), 1);
    assert_eq!(run.json()["entries"][0]["launch"]["package"], "@saltmarsh/tide-table");
}

#[test]
fn the_same_input_and_date_give_the_same_bytes() {
    let dir = Dir::new(&[
        ("a/mcp.json", UNPINNED),
        ("b/mcp.json", PINNED),
        ("c/mcp.yaml", "mcpServers: [{name: t, command: uvx, args: [t]}]"),
    ]);
    for format in FORMATS {
        let runs: Vec<_> = ["1", "4"]
            .iter()
            .map(|jobs| dir.run(&["audit", "--format", format, "--as-of", "2026-11-24", "--jobs", jobs]).out())
            .collect();
        assert_eq!(runs[0], runs[1], "{format}");
    }
}

#[test]
fn a_report_in_a_file_is_the_one_on_standard_output() {
    let dir = Dir::new(&[("mcp.json", UNPINNED)]);
    let args = ["audit", "mcp.json", "--format", "json", "--as-of", "2026-11-24"];
    let direct = dir.run(&args).out();
    let run = dir.run(&[&args[..], &["-o", "report.json"]].concat());
    assert_eq!(run.out(), "");
    assert_eq!(std::fs::read_to_string(dir.path("report.json")).unwrap(), direct);
}

#[cfg(unix)]
#[test]
fn a_report_goes_into_a_pipe_or_through_a_link_and_takes_neither_away() {
    use std::os::unix::fs::FileTypeExt as _;
    let dir = Dir::new(&[("mcp.json", UNPINNED), ("report.json", "old")]);
    let args = ["audit", "mcp.json", "--format", "json", "--as-of", "2026-11-24"];
    let direct = dir.run(&args).out();
    std::os::unix::fs::symlink("report.json", dir.path("link.json")).unwrap();
    dir.run(&[&args[..], &["-o", "link.json"]].concat());
    assert!(dir.path("link.json").symlink_metadata().unwrap().is_symlink());
    assert_eq!(std::fs::read_to_string(dir.path("report.json")).unwrap(), direct);
    assert!(std::process::Command::new("mkfifo").arg(dir.path("pipe")).status().unwrap().success());
    let pipe = dir.path("pipe");
    let reader = std::thread::spawn(move || std::fs::read_to_string(pipe).unwrap());
    assert_eq!(dir.run(&[&args[..], &["-o", "pipe"]].concat()).status(), 1);
    assert_eq!(reader.join().unwrap(), direct);
    assert!(dir.path("pipe").symlink_metadata().unwrap().file_type().is_fifo());
}

#[test]
fn hidden_and_ignored_files_are_found_and_dependencies_are_not() {
    let dir = Dir::new(&[
        (".tool/x/mcp.json", UNPINNED),
        ("build/mcp.json", UNPINNED),
        (".gitignore", "build"),
        ("node_modules/x/mcp.json", UNPINNED),
    ]);
    let setups = |args: &[&str]| {
        dir.run(&[&["audit", "--format", "json"], args].concat()).json()["setups"].as_array().unwrap().len()
    };
    assert_eq!(setups(&[]), 2);
    assert_eq!(setups(&["--everything"]), 3);
}

#[test]
fn what_cannot_be_read_is_told_and_the_rest_goes_on() {
    let deep = format!("{{\"mcpServers\": {}", "[".repeat(10_000));
    let dir = Dir::new(&[("good.json", PINNED), ("deep.json", &deep), ("cut.json", "{\n\"mcpServers\": {\n")]);
    dir.write("bad.json", b"{\"mcpServers\": \"\xff\"}");
    let mut large = vec![b' '; 33 * 1024 * 1024];
    large.extend_from_slice(br#"{"mcpServers": {}}"#);
    dir.write("large.json", &large);
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(dir.path("."), dir.path("loop")).unwrap();
        assert!(std::process::Command::new("mkfifo").arg(dir.path("pipe.json")).status().unwrap().success());
    }
    let run = dir.run(&["audit", "--format", "json"]);
    assert_eq!(run.status(), 0, "{}", run.err());
    let report = run.json();
    assert_eq!(report["entries"].as_array().unwrap().len(), 1);
    let unread: Vec<String> = report["unread"]
        .as_array()
        .unwrap()
        .iter()
        .map(|u| format!("{}:{} {}", u["path"].as_str().unwrap(), u["line"], u["why"].as_str().unwrap()))
        .collect();
    let want = [
        "bad.json:1 neither UTF-8 nor UTF-16",
        "cut.json:2 ends in the middle",
        "deep.json:1 nested deeper",
        "large.json:null larger than 32 MiB",
    ];
    assert_eq!(unread.len(), want.len(), "{unread:?}");
    assert!(unread.iter().zip(want).all(|(u, w)| u.starts_with(w)), "{unread:?}");
}

#[test]
fn a_dotenv_file_is_read_beside_a_setup_or_where_one_names_it() {
    let named = r#"{ "mcpServers": { "t": { "command": "node", "args": ["--env-file=../keys/named.env", "t.js"] } } }"#;
    let secret = "TIDE_TOKEN=q8ZkXv2LmPw0TyRbN4sJ7dHf\n";
    let dir =
        Dir::new(&[("a/mcp.json", named), ("a/.env", secret), ("keys/named.env", secret), ("elsewhere/.env", secret)]);
    let report = dir.run(&["audit", "--format", "json"]).json();
    let paths: Vec<_> = report["setups"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|s| s["kind"] == "dotenv")
        .map(|s| s["path"].as_str().unwrap().to_owned())
        .collect();
    assert_eq!(paths, ["a/.env", "keys/named.env"]);
}

#[cfg(unix)]
#[test]
fn a_pipe_in_the_place_of_a_file_is_told_and_not_waited_for() {
    let dir = Dir::new(&[("mcp.json", PINNED)]);
    assert!(std::process::Command::new("mkfifo").arg(dir.path("pipe")).status().unwrap().success());
    std::os::unix::fs::symlink(dir.path("pipe"), dir.path("link")).unwrap();
    let started = std::time::Instant::now();
    for args in [
        &["audit", "mcp.json", "--register", "pipe"][..],
        &["audit", "mcp.json", "--config", "link"],
        &["audit", "mcp.json", "--since", "pipe"],
        &["compare", "pipe", "mcp.json"],
        &["audit", "link"],
    ] {
        let run = dir.run(args);
        let said = run.out() + &run.err();
        assert!(said.contains("not a regular file"), "{args:?}: {said}");
    }
    assert!(started.elapsed().as_secs() < 20);
}
