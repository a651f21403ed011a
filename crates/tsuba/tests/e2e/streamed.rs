//! A JSON report is written while it is made. To the letter it is what is written of it as a whole.

use crate::util::Dir;

#[test]
fn a_report_that_is_written_while_it_is_made_is_the_same() {
    let dir = Dir::new(&[("empty/notes.txt", "")]);
    assert_eq!(dir.run(&["demo", "--unpack", "company"]).status(), 0);
    // More than one round of pieces, two entries of one name, texts that only show, and a file that cannot be read.
    for number in 0..1200 {
        let text = format!(
            r#"{{ "mcpServers": {{ "tide": {{ "command": "npx", "args": ["tide-{number}"], "env": {{ "TIDE_TOKEN": "Gang-Plank-{number}x7Q" }} }}, "tide": {{ "url": "http://tide.example/{number}" }} }} }}"#
        );
        dir.write(&format!("company/many/{number}/.mcp.json"), text.as_bytes());
    }
    dir.write("company/many/broken/.mcp.json", b"{ \"mcpServers\": { ");
    let empty = dir.run(&["audit", "empty", "--format", "json", "--output", "empty.json"]);
    assert_eq!(empty.status(), 0, "{}", empty.err());
    let with = ["--config", "tsuba.toml", "--register", "tsuba-register.toml", "--evidence", "evidence"];
    for (folder, more) in
        [("company", &with[..]), ("company", &["--exclude", "**/1*"]), ("company/many", &[]), ("empty", &[])]
    {
        let audit = |rest: &[&str]| dir.run_in(folder, &[&["audit", ".", "--format", "json"], more, rest].concat());
        let since = dir.path("empty.json").display().to_string();
        let whole = audit(&["--since", &since]);
        for jobs in ["1", "2", "5"] {
            let made = audit(&["--jobs", jobs]);
            assert_eq!(made.status(), whole.status(), "{folder} {more:?}");
            assert!(made.out() == whole.out(), "{folder} {more:?}, {jobs} threads");
        }
        let strict = audit(&["--strict", "--gate", "none"]);
        assert_eq!(strict.status(), i32::from(folder != "empty"), "{folder} {more:?}");
    }
}
