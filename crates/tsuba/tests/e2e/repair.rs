//! `tsuba repair`, end to end.

use crate::util::Dir;
use std::process::{Command, Stdio};

const OPEN: &str = "{ \"mcpServers\": {\r\n\t\"tide-table\": { // ours\r\n\t\t\"command\": \"tide-table\",\r\n\t\t\"args\": [\"--host\", \"0.0.0.0\"],\r\n\t\t\"autoApprove\": [\"get_tide\", \"delete_tide\"]\r\n\t}\r\n} }\r\n";
const SECRET: &str = "{ \"mcpServers\": { \"tide-table\": { \"command\": \"tide-table\", \"env\": { \"TIDE_ZONE\": \"${TIDE_ZONE}\", \"TIDE_TOKEN\": \"hB7kQ2mZx9LwVr4T\" } } } }\n";
const FETCHED: &str = r#"{"schema": "tsuba-evidence/1", "setup": "loose.json", "entry": "tides", "package": {"client": "npm", "name": "@saltmarsh/tides", "asked": "@saltmarsh/tides", "version": "2.4.1"}, "sessions": []}"#;
const LOOSE: &str = r#"{ "mcpServers": { "tides": { "command": "npx", "args": ["-y", "@saltmarsh/tides"] } } }"#;

fn rules(dir: &Dir, file: &str) -> Vec<String> {
    let report = dir.run(&["audit", file, "--gate", "none", "--format", "json"]).json();
    report["findings"].as_array().unwrap().iter().map(|f| f["rule"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn the_diff_applies_and_the_findings_are_gone() {
    let dir = Dir::new(&[("open.json", OPEN)]);
    let run = dir.run(&["repair", "open.json"]);
    assert!(run.status() == 0 && run.err().starts_with("2 findings fixable in 1 file"), "{}", run.err());
    assert_eq!(std::fs::read_to_string(dir.path("open.json")).unwrap(), OPEN, "only --apply writes");
    assert!(run.out().contains("# line 4: exposure/all-interfaces"), "{}", run.out());
    let mut git = Command::new("git");
    git.args(["apply", "-"]).current_dir(dir.path(".")).stdin(Stdio::piped()).stderr(Stdio::inherit());
    let Ok(mut child) = git.spawn() else { return eprintln!("skipped: git is not installed") };
    std::io::Write::write_all(&mut child.stdin.take().unwrap(), run.out().as_bytes()).unwrap();
    assert!(child.wait().unwrap().success(), "{}", run.out());
    let want = OPEN.replace("0.0.0.0", "127.0.0.1").replace(", \"delete_tide\"", "");
    assert_eq!(std::fs::read_to_string(dir.path("open.json")).unwrap(), want);
    let left = rules(&dir, "open.json");
    assert!(!left.iter().any(|rule| rule == "exposure/all-interfaces" || rule == "power/auto-approved"), "{left:?}");
}

#[test]
fn what_is_written_keeps_the_rest_of_the_file_and_writing_twice_changes_nothing() {
    use std::os::unix::fs::PermissionsExt as _;
    let marked = format!("\u{feff}{OPEN}");
    let dir = Dir::new(&[
        ("open.json", &marked),
        ("secret.json", SECRET),
        ("loose.json", LOOSE),
        ("evidence/t.json", FETCHED),
    ]);
    let mode = |file: &str| dir.path(file).metadata().unwrap().permissions().mode() & 0o777;
    std::fs::set_permissions(dir.path("secret.json"), std::fs::Permissions::from_mode(0o640)).unwrap();
    let args = ["repair", "open.json", "secret.json", "loose.json", "--evidence", "evidence", "--apply"];
    let run = dir.run(&args);
    assert!(run.status() == 0 && run.err().starts_with("4 findings fixed in 3 files"), "{}{}", run.out(), run.err());
    let text = |file: &str| std::fs::read_to_string(dir.path(file)).unwrap();
    assert_eq!(text("open.json"), marked.replace("0.0.0.0", "127.0.0.1").replace(", \"delete_tide\"", ""));
    assert_eq!(text("secret.json"), SECRET.replace("hB7kQ2mZx9LwVr4T", "${TIDE_TOKEN}"));
    assert_eq!(text("loose.json"), LOOSE.replace("@saltmarsh/tides", "@saltmarsh/tides@2.4.1"));
    assert_eq!(mode("secret.json"), 0o640);
    let again = dir.run(&args);
    assert!(again.status() == 0 && again.err().starts_with("no automatic fixes"), "{}", again.err());
}

#[test]
fn a_version_that_is_approved_is_known() {
    let pinned = LOOSE.replace("@saltmarsh/tides", "@saltmarsh/tides@2.4.1");
    let dir = Dir::new(&[("loose.json", LOOSE), ("pinned.json", &pinned)]);
    assert!(dir.run(&["repair", "loose.json"]).out().is_empty());
    let approve = [
        "approve",
        "pinned.json",
        "--entry",
        "tides",
        "--unseen",
        "--for",
        "package",
        "--reason",
        "looked at",
        "--by",
        "ines",
    ];
    assert_eq!(dir.run(&approve).status(), 0);
    assert_eq!(dir.run(&["repair", "loose.json", "--apply"]).status(), 0);
    assert_eq!(std::fs::read_to_string(dir.path("loose.json")).unwrap(), pinned);
    // Of two approved versions neither is guessed.
    dir.write("loose.json", LOOSE.as_bytes());
    dir.write("pinned.json", pinned.replace("2.4.1", "2.5.0").as_bytes());
    assert_eq!(dir.run(&approve).status(), 0);
    assert!(dir.run(&["repair", "loose.json"]).out().is_empty());
}

#[test]
fn no_secret_is_in_the_diff() {
    let dir = Dir::new(&[("secret.json", SECRET)]);
    let run = dir.run(&["repair", "secret.json"]);
    let message = run.out() + &run.err();
    assert!(
        !message.contains("hB7kQ2mZx9LwVr4T") && message.contains("+{") && message.contains("${TIDE_TOKEN}"),
        "{message}"
    );
    assert!(message.contains("# masked: a secret stands in these lines"), "{message}");
    assert!(message.contains("rotate it"), "{message}");
}

#[test]
fn what_cannot_be_mended_is_told() {
    // Text of another encoding is read, and not written.
    let wide: Vec<u8> = [0xFF, 0xFE].into_iter().chain(OPEN.encode_utf16().flat_map(u16::to_le_bytes)).collect();
    let dir = Dir::new(&[("secret.json", SECRET)]);
    dir.write("wide.json", &wide);
    let run = dir.run(&["repair", "wide.json", "--apply"]);
    assert!(
        run.status() == 2 && run.err().contains("wide.json: has been changed meanwhile, or is not in UTF-8"),
        "{}",
        run.err()
    );
    assert_eq!(std::fs::read(dir.path("wide.json")).unwrap(), wide);
    // One that cannot be written does not hold up the others; a link leads out of what was named.
    dir.write("elsewhere/open.json", OPEN.as_bytes());
    dir.write("in/open.json", OPEN.as_bytes());
    std::os::unix::fs::symlink("../elsewhere/open.json", dir.path("in/link.json")).unwrap();
    let run = dir.run(&["repair", "in", "--apply"]);
    assert!(run.status() == 2 && run.err().contains("in/link.json: is a link"), "{}", run.err());
    assert_eq!(std::fs::read_to_string(dir.path("elsewhere/open.json")).unwrap(), OPEN);
    assert_ne!(std::fs::read_to_string(dir.path("in/open.json")).unwrap(), OPEN);
    // The diff is told from where it was asked for, so that it can be applied there.
    dir.write("shown/open.json", OPEN.as_bytes());
    assert!(dir.run(&["repair", "shown"]).out().contains("--- a/shown/open.json\n"));
    // What is accepted is left.
    dir.write("waived/open.json", OPEN.as_bytes());
    let waive =
        ["waive", "waived", "--rule", "power/auto-approved", "--until", "2999-01-01", "--reason", "x", "--by", "ines"];
    assert_eq!(dir.run(&waive).status(), 0);
    let run = dir.run(&["repair", "waived"]);
    assert!(run.err().starts_with("1 finding fixable") && !run.out().contains("power/auto-approved"), "{}", run.err());
    let run = dir.run_with(&["repair", "-"], SECRET.as_bytes());
    assert!(run.status() == 2 && run.err().contains("name the file"), "{}", run.err());
    let run = dir.run(&["repair", "secret.json", "--rule", "secret/plain"]);
    assert!(run.status() == 2 && run.err().contains("did you mean secret/plaintext?"), "{}", run.err());
}

#[test]
fn versions_come_from_the_lockfile_or_from_what_is_installed() {
    let loose = LOOSE.replace("tides\"", "tides@^2\"");
    let lock = r#"{"lockfileVersion": 3, "packages": {"node_modules/@saltmarsh/tides": {"version": "2.4.1"}}}"#;
    let installed = r#"{"name": "@saltmarsh/tides", "version": "2.3.0"}"#;
    let dir = Dir::new(&[
        ("web/.git/HEAD", ""),
        ("web/package-lock.json", lock),
        ("web/sub/deep/mcp.json", &loose),
        ("desk/.git/HEAD", ""),
        ("desk/mcp.json", LOOSE),
        ("desk/node_modules/@saltmarsh/tides/package.json", installed),
        // What lies above a repository is none of its business.
        ("package-lock.json", &lock.replace("2.4.1", "9.9.9")),
        ("bare/.git/HEAD", ""),
        ("bare/mcp.json", LOOSE),
    ]);
    let run = dir.run(&["repair", "web", "desk", "bare", "--apply"]);
    assert_eq!(run.status(), 0, "{}", run.err());
    let text = |file: &str| std::fs::read_to_string(dir.path(file)).unwrap();
    assert!(text("web/sub/deep/mcp.json").contains("@saltmarsh/tides@2.4.1\""), "{}", text("web/sub/deep/mcp.json"));
    assert!(text("desk/mcp.json").contains("@saltmarsh/tides@2.3.0\""), "{}", text("desk/mcp.json"));
    assert_eq!(text("bare/mcp.json"), LOOSE);
}

#[test]
fn nothing_is_waited_for_and_no_secret_of_a_link_is_shown() {
    let dir = Dir::new(&[("a/.git/HEAD", ""), ("a/mcp.json", LOOSE)]);
    let pipe = Command::new("mkfifo").arg(dir.path("a/package-lock.json")).status();
    if pipe.is_ok_and(|done| done.success()) {
        assert_eq!(dir.run(&["repair", "a"]).status(), 0);
    }
    // The link carries TIDE_TOKEN=hB7kQ2mZx9LwVr4T, in base64; the block below it could be mended.
    let packed = "eyJjb21tYW5kIjoidGlkZXMiLCJlbnYiOnsiVElERV9UT0tFTiI6ImhCN2tRMm1aeDlMd1ZyNFQifX0=";
    let block = LOOSE.replace("\"args\"", "\"autoApprove\": [\"delete_tide\"], \"args\"");
    dir.write("README.md", format!("[add](agent://x?name=t&config={packed})\n```json\n{block}\n```\n").as_bytes());
    let run = dir.run(&["repair", "README.md"]);
    assert!(!run.out().contains("eyJjb21t") && run.err().contains("manual work"), "{}{}", run.out(), run.err());
    let alone = dir.run_with(&["inventory", "README.md"], b"");
    assert!(alone.out().contains("TIDE_TOKEN (plaintext)"), "{}", alone.out());
}

#[test]
fn what_a_cluster_keeps_in_base64_is_in_no_diff() {
    // Beside a line that could be mended: of the server's own secret (with a line end in it), and of one that nobody knows to be some.
    let pod = |env: &str| {
        format!(
            "apiVersion: v1\nkind: Pod\nmetadata: {{ name: tide-mcp }}\nspec: {{ containers: [ {{ name: t, image: saltmarsh/t:1.0.0{env} }} ] }}\n"
        )
    };
    let secret = "---\ndata: { TIDE_TOKEN: cThaa1h2MkxtUHcwVHlSYk40c0o3ZEhmCg== }\napiVersion: v1\nkind: Secret\nmetadata: { name: k }\n";
    let pinned = format!(
        r#"{{ "mcpServers": {{ "t": {{ "command": "docker", "args": ["run", "saltmarsh/t:1.0.0@sha256:{}"] }} }} }}"#,
        "ab".repeat(32)
    );
    for env in [", envFrom: [ { secretRef: { name: k } } ]", ""] {
        let text = pod(env) + secret;
        let dir = Dir::new(&[("deploy.yaml", &text), ("mcp.json", &pinned)]);
        let run = dir.run(&["repair", "."]);
        assert!(!(run.out() + &run.err()).contains("cThaa1h2"), "{}", run.out());
        // Without the secret beside it the same line is mended.
        dir.write("deploy.yaml", pod("").as_bytes());
        assert!(dir.run(&["repair", "."]).out().contains("+spec"), "{env}");
    }
}

/// Somebody saves the file while it is mended: what they wrote is never lost.
#[test]
fn three_hundred_racing_edits_are_kept() {
    let dir = Dir::new(&[("open.json", OPEN)]);
    let file = dir.path("open.json");
    let (mut before, mut meanwhile) = (0, 0);
    for round in 0..300_u64 {
        std::fs::write(&file, OPEN).unwrap();
        let args = ["repair", "open.json", "--apply"];
        let mut program = Command::new(env!("CARGO_BIN_EXE_tsuba"));
        let started = std::time::Instant::now();
        let mut child = program
            .args(args)
            .current_dir(dir.path("."))
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        // From before it has read the file to after it has written it.
        std::thread::sleep(std::time::Duration::from_micros(round * 79 % 23_000));
        let theirs = OPEN.replace("// ours", &format!("// edit {round}"));
        if round % 3 == 0 {
            std::fs::write(dir.path(".saved"), &theirs).unwrap();
            std::fs::rename(dir.path(".saved"), &file).unwrap();
        } else {
            std::fs::write(&file, &theirs).unwrap();
        }
        let running = child.try_wait().unwrap().is_none();
        let status = child.wait_with_output().unwrap().status;
        let now = std::fs::read_to_string(&file).unwrap();
        assert!(now.contains(&format!("// edit {round}")), "{round}, {:?}: {now}", started.elapsed());
        before += u32::from(status.success() && !now.contains("0.0.0.0"));
        meanwhile += u32::from(running);
    }
    assert!(before > 0 && meanwhile > 30, "no race: {before} edits came first, {meanwhile} while it ran");
    assert_eq!(std::fs::read_dir(dir.path(".")).unwrap().count(), 1, "something was left behind");
}
