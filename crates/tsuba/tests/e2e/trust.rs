//! Whose word counts: the policy and the register of what is judged are offered, and taken only where they are named or trusted.

use crate::util::Dir;

const SETUP: &str = r#"{ "mcpServers": { "tides": { "url": "http://tides.example/mcp" } } }"#;
const POLICY: &str = "gate = \"critical\"\n[[severity]]\nrule = \"exposure/plain-http\"\nseverity = \"note\"\n";

/// A tree whose author has a mild policy, and has approved what is in it.
fn company() -> Dir {
    let dir = Dir::new(&[("company/mcp.json", SETUP), ("company/tsuba.toml", POLICY), ("elsewhere/x", "")]);
    let approve = [
        "approve",
        "company",
        "--entry",
        "tides",
        "--unseen",
        "--despite-findings",
        "--reason",
        "x",
        "--by",
        "mallory",
    ];
    let run = dir.run(&[&approve[..], &["--register", "company/tsuba-register.toml"]].concat());
    assert_eq!(run.status(), 0, "{}", run.err());
    dir
}

#[test]
fn what_is_judged_does_not_judge_itself() {
    let dir = company();
    let run = dir.run(&["audit", "company"]);
    assert_eq!(run.status(), 1, "{}", run.out());
    for line in [
        "tsuba: tsuba.toml in company/ not used, since it belongs to what is judged; --config company/tsuba.toml\n",
        "tsuba: tsuba-register.toml in company/ not used, since it belongs to what is judged; --register company/tsuba-register.toml\n",
    ] {
        assert_eq!(run.err().matches(line).count(), 1, "{}", run.err());
    }
    assert!(!run.out().contains("judged with"), "{}", run.out());
    // Whoever names it takes it.
    let named =
        dir.run(&["audit", "company", "--config", "company/tsuba.toml", "--register", "company/tsuba-register.toml"]);
    assert_eq!((named.status(), named.err().as_str()), (0, ""), "{}", named.out());
    assert!(named.out().contains("judged with company/tsuba.toml and company/tsuba-register.toml"), "{}", named.out());
}

#[cfg(unix)]
#[test]
fn standing_in_what_is_judged_changes_nothing() {
    let dir = company();
    // A part of a repository is of that repository.
    std::fs::create_dir_all(dir.path("company/.git")).unwrap();
    for inputs in [&[][..], &["."], &["mcp.json"]] {
        let run = dir.run_in("company", &[&["audit"], inputs].concat());
        assert_eq!(run.status(), 1, "{inputs:?} {}", run.out());
        let message =
            "tsuba: tsuba.toml in this folder not used, since it belongs to what is judged; --config tsuba.toml\n";
        assert!(run.err().contains(message), "{}", run.err());
    }
    // A link out of it is of it all the same.
    dir.write("elsewhere/mild.toml", POLICY.as_bytes());
    std::fs::rename(dir.path("company/tsuba.toml"), dir.path("company/kept.toml")).unwrap();
    std::os::unix::fs::symlink("../elsewhere/mild.toml", dir.path("company/tsuba.toml")).unwrap();
    assert_eq!(dir.run_in("company", &["audit"]).status(), 1);
    // Nor is a decision built on decisions that anybody may have written.
    let refuse = ["refuse", ".", "--entry", "tides", "--reason", "x", "--by", "ines"];
    let run = dir.run_in("company", &refuse);
    assert!(run.status() == 2 && run.err().contains("--register tsuba-register.toml"), "{}", run.err());
    let run = dir.run_in("company", &[&refuse[..], &["--register", "tsuba-register.toml"]].concat());
    assert_eq!(run.status(), 0, "{}", run.err());
}

#[test]
fn one_s_own_configuration_says_whom_to_trust() {
    let dir = company();
    let root = std::fs::canonicalize(dir.path("")).unwrap();
    let trusting = |folder: &str| format!("[trust]\nfolders = [\"{folder}\"]\n");
    let trusted = [root.join("company").display().to_string(), format!("{}/*", root.display())];
    for folder in &trusted {
        dir.write(".account/tsuba/tsuba.toml", trusting(folder).as_bytes());
        let run = dir.run(&["audit", "company"]);
        assert_eq!((run.status(), run.err().as_str()), (0, ""), "{}", run.out());
        assert!(run.out().contains("company/tsuba.toml and company/tsuba-register.toml"), "{}", run.out());
    }
    // Another folder is not meant, nor does a folder trust itself.
    dir.write(".account/tsuba/tsuba.toml", trusting(&root.join("elsewhere").display().to_string()).as_bytes());
    assert_eq!(dir.run(&["audit", "company"]).status(), 1);
    std::fs::remove_file(dir.path(".account/tsuba/tsuba.toml")).unwrap();
    dir.write("company/tsuba.toml", format!("{POLICY}{}", trusting(&trusted[0])).as_bytes());
    assert_eq!(dir.run(&["audit", "company"]).status(), 1);
    // The account's own policy counts where nothing else does; its mistakes are told with their places.
    dir.write(".account/tsuba/tsuba.toml", POLICY.as_bytes());
    assert_eq!(dir.run(&["audit", "company"]).status(), 0);
    dir.write(".account/tsuba/tsuba.toml", trusting("company").as_bytes());
    let run = dir.run(&["audit", "company"]);
    assert!(run.status() == 2 && run.err().contains("tsuba.toml:2:12"), "{}", run.err());
}

#[test]
fn a_configuration_beside_what_is_judged_is_one_s_own() {
    let dir = company();
    dir.write("tsuba.toml", POLICY.as_bytes());
    let run = dir.run(&["audit", "company"]);
    assert!(run.status() == 0 && run.out().contains("judged with tsuba.toml;"), "{}", run.out());
}
