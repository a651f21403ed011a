use super::*;
use std::fs;
use tempfile::TempDir;

const PINNED: &str = r#"{ "mcpServers": { "tide": { "command": "npx", "args": ["-y", "@saltmarsh/tide@1.2.0"] } } }"#;
const NAMES_ENV: &str = r#"{ "mcpServers": { "berth": { "command": "berth", "envFile": "../shared/keys.env" } } }"#;
const BROKEN: &str = r#"{ "mcpServers": { "tide""#;

/// Everything that is known of what was found, in an order of its own.
fn told(look: &Look, found: &Found) -> Vec<String> {
    let Gathered { analyses, unread, .. } = look.copied(found);
    let mut out: Vec<String> = analyses.iter().map(|analysis| format!("{analysis:?}")).collect();
    out.extend(unread.iter().map(|file| format!("{file:?}")));
    out.sort();
    out
}

fn write(dir: &TempDir, path: &str, text: &str) {
    let path = dir.path().join(path);
    fs::create_dir_all(path.parent().unwrap()).unwrap();
    fs::write(path, text).unwrap();
}

#[test]
fn looking_again_at_a_part_finds_what_looking_at_everything_would() {
    let dir = tempfile::tempdir().unwrap();
    write(&dir, "a/mcp.json", PINNED);
    write(&dir, "a/.env", "TIDE_TOKEN=q8ZkXv2LmPw0TyRbN4sJ7dHf\n");
    write(&dir, "b/.env", "BERTH_TOKEN=q8ZkXv2LmPw0TyRbN4sJ7dHg\n");
    write(&dir, "shared/keys.env", "KEY=q8ZkXv2LmPw0TyRbN4sJ7dHh\n");
    let look = Look::of(&InputArgs::inputs(vec![dir.path().to_owned()], None)).unwrap();
    let mut found = look.all().unwrap();
    let at = |path: &str| dir.path().join(path);
    type Step<'s> = (&'s str, Box<dyn Fn() + 's>, Part);
    let steps: Vec<Step<'_>> = vec![
        ("a setup is changed", Box::new(|| write(&dir, "a/mcp.json", NAMES_ENV)), Part::Folder(at("a"))),
        ("one comes in a new folder", Box::new(|| write(&dir, "c/d/mcp.json", PINNED)), Part::Tree(at("c"))),
        ("one comes beside a dotenv file", Box::new(|| write(&dir, "b/mcp.json", PINNED)), Part::Folder(at("b"))),
        ("one is broken", Box::new(|| write(&dir, "b/mcp.json", BROKEN)), Part::Folder(at("b"))),
        (
            "what was named is changed",
            Box::new(|| write(&dir, "shared/keys.env", "KEY=other\n")),
            Part::Folder(at("shared")),
        ),
        ("the one that names it goes", Box::new(|| fs::remove_file(at("a/mcp.json")).unwrap()), Part::Folder(at("a"))),
        ("a folder goes", Box::new(|| fs::remove_dir_all(at("c")).unwrap()), Part::Tree(at("c"))),
        ("nothing happens", Box::new(|| {}), Part::Tree(dir.path().to_owned())),
    ];
    for (step, happen, part) in steps {
        happen();
        look.again(&mut found, &[part]);
        assert_eq!(told(&look, &found), told(&look, &look.all().unwrap()), "{step}");
    }
    // And there is something to be told at all.
    assert_eq!(told(&look, &found).len(), 1);
}

#[test]
fn an_archive_is_looked_at_again_with_its_folder() {
    let dir = tempfile::tempdir().unwrap();
    let pack = |text: &str| {
        let mut tar = tar::Builder::new(Vec::new());
        let mut header = tar::Header::new_gnu();
        header.set_size(text.len() as u64);
        header.set_mode(0o644);
        tar.append_data(&mut header, "inner/mcp.json", text.as_bytes()).unwrap();
        fs::write(dir.path().join("tides.tar"), tar.into_inner().unwrap()).unwrap();
    };
    pack(PINNED);
    write(&dir, "odd!/mcp.json", PINNED);
    let look = Look::of(&InputArgs::inputs(vec![dir.path().to_owned()], None)).unwrap();
    let mut found = look.all().unwrap();
    assert_eq!(told(&look, &found).len(), 2);
    pack(NAMES_ENV);
    look.again(&mut found, &[Part::Folder(dir.path().to_owned())]);
    assert_eq!(told(&look, &found), told(&look, &look.all().unwrap()));
    fs::remove_file(dir.path().join("tides.tar")).unwrap();
    look.again(&mut found, &[Part::Folder(dir.path().to_owned())]);
    assert_eq!(told(&look, &found).len(), 1);
}
