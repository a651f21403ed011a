//! What is shown, and what is not: a small machine in a folder.

use super::*;
use std::os::unix::fs::symlink;

/// A folder that stands for a machine; homes are in `home`.
struct Machine(tempfile::TempDir);

impl Machine {
    fn new() -> Self {
        Self(tempfile::tempdir().unwrap())
    }

    fn at(&self, path: &str) -> PathBuf {
        self.0.path().canonicalize().unwrap().join(path)
    }

    fn put(&self, path: &str, text: &str) {
        let file = self.at(path);
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::write(&file, text).unwrap();
    }

    /// A program of text; `elf` begins like one.
    fn program(&self, path: &str, text: &str) {
        self.put(path, text);
        fs::set_permissions(self.at(path), fs::Permissions::from_mode(0o755)).unwrap();
    }

    fn link(&self, path: &str, to: &str) {
        fs::create_dir_all(self.at(path).parent().unwrap()).unwrap();
        symlink(self.at(to), self.at(path)).unwrap();
    }

    /// What is shown to a start of a program with one argument, and what is hidden of it, both as paths on this machine.
    fn shown(&self, program: &str, arg: &str) -> (String, String) {
        let mut shown = Shown { homes: Homes::of(&[&self.at("home/crew")]), ..Shown::default() };
        let search = self.at("home/crew/.local/bin");
        shown.program(&self.at(program), search.as_os_str()).unwrap();
        if !arg.is_empty() {
            shown.script(&self.at(arg));
        }
        let root = self.at("");
        let message = |paths: &mut dyn Iterator<Item = &PathBuf>| {
            let all = paths.map(|path| {
                path.strip_prefix(&root).map_or_else(|_| path.display().to_string(), |p| p.display().to_string())
            });
            all.collect::<Vec<_>>().join(" ")
        };
        (message(&mut shown.paths.iter()), message(&mut shown.hidden().iter()))
    }
}

const ELF: &str = "\x7fELF";

#[test]
fn a_program_in_a_home_is_shown_alone() {
    let machine = Machine::new();
    machine.program("home/crew/.local/bin/tides", ELF);
    machine.put("home/crew/.local/share/keyrings/login.keyring", "private");
    machine.program("srv/boats/quay/bin/tides", ELF);
    machine.put("srv/boats/quay/letters.txt", "private");
    // One that is built in a project comes with that.
    machine.program("home/crew/boats/tides/target/release/tides", ELF);
    machine.put("home/crew/boats/tides/Cargo.toml", "");
    let built = "home/crew/boats/tides/target/release/tides";
    assert_eq!(machine.shown(built, "").0, format!("home/crew/boats/tides {built}"));
    for program in ["home/crew/.local/bin/tides", "srv/boats/quay/bin/tides"] {
        assert_eq!(machine.shown(program, "").0, program);
    }
}

#[test]
fn an_installed_tool_is_shown_with_its_environment_and_the_python_it_was_made_from() {
    let machine = Machine::new();
    let (tool, python) = ("home/crew/.local/share/tools/tides", "home/crew/.local/share/pythons/3.12");
    machine.program(&format!("{tool}/bin/tides"), &format!("#!{}\n", machine.at(tool).join("bin/python").display()));
    machine.put(&format!("{tool}/pyvenv.cfg"), &format!("home = {}\n", machine.at(python).join("bin").display()));
    machine.program(&format!("{python}/bin/python3.12"), ELF);
    machine.put(&format!("{python}/lib/python3.12/os.py"), "");
    machine.put(&format!("{python}/lib/libpython3.12.so"), "");
    machine.put(&format!("{python}/share/letters.txt"), "private");
    machine.link(&format!("{python}/bin/python3"), &format!("{python}/bin/python3.12"));
    machine.link(&format!("{tool}/bin/python"), &format!("{python}/bin/python3.12"));
    machine.link("home/crew/.local/bin/tides", &format!("{tool}/bin/tides"));
    let want = [
        "home/crew/.local/bin/tides".to_owned(),
        format!("{python}/bin/python3"),
        format!("{python}/bin/python3.12"),
        format!("{python}/lib/libpython3.12.so"),
        format!("{python}/lib/python3.12"),
        tool.to_owned(),
        format!("{tool}/bin/python"),
        format!("{tool}/bin/tides"),
    ];
    let got = machine.shown("home/crew/.local/bin/tides", "").0;
    let mut got: Vec<&str> = got.split(' ').collect();
    got.sort_unstable();
    let mut want: Vec<&str> = want.iter().map(String::as_str).collect();
    want.sort_unstable();
    assert_eq!(got, want);
}

#[test]
fn a_script_is_shown_with_its_package_and_its_interpreter() {
    let machine = Machine::new();
    let node = "home/crew/.nvm/versions/22";
    machine.program(&format!("{node}/bin/node"), ELF);
    machine.put(&format!("{node}/lib/node_modules/tides/package.json"), "{}");
    machine.program(&format!("{node}/lib/node_modules/tides/cli.js"), "#!/usr/bin/env node\n");
    machine.put(&format!("{node}/etc/letters.txt"), "private");
    machine.link("home/crew/.local/bin/node", &format!("{node}/bin/node"));
    machine.link("home/crew/.local/bin/tides", &format!("{node}/lib/node_modules/tides/cli.js"));
    assert_eq!(
        machine.shown("home/crew/.local/bin/tides", "").0,
        "home/crew/.local/bin/node home/crew/.local/bin/tides home/crew/.nvm/versions/22/bin/node \
         home/crew/.nvm/versions/22/lib/node_modules home/crew/.nvm/versions/22/lib/node_modules/tides/cli.js"
    );
}

#[test]
fn what_is_no_program_is_not_shown_whatever_it_is_called() {
    let machine = Machine::new();
    machine.program("home/crew/boats/run", &format!("#!{}\n", machine.at("home/crew/.ssh/id_rsa").display()));
    // A key with the right to be run is a key.
    machine.program("home/crew/.ssh/id_rsa", "PRIVATE KEY");
    machine.link("home/crew/boats/python", "home/crew/.ssh/id_rsa");
    machine.put("home/crew/boats/tides", ELF);
    for (program, want) in [
        ("home/crew/boats/run", "home/crew/boats/run"),
        ("home/crew/boats/python", ""),
        ("home/crew/.ssh/id_rsa", ""),
        // It may not be run.
        ("home/crew/boats/tides", ""),
    ] {
        assert_eq!(machine.shown(program, "").0, want, "{program}");
    }
    // An environment whose home is a home: only what Python brings.
    machine.put("home/crew/pyvenv.cfg", "home = /\n");
    machine.program("home/crew/bin/python3", ELF);
    machine.put("home/crew/lib/letters.txt", "private");
    machine.put("home/crew/lib/python3.12/os.py", "");
    assert_eq!(machine.shown("home/crew/bin/python3", "").0, "home/crew/bin/python3 home/crew/lib/python3.12");
}

#[test]
fn of_a_project_what_is_private_stays_hidden() {
    let machine = Machine::new();
    machine.program("usr/bin/node", ELF);
    for file in [
        "package.json",
        "src/server.js",
        ".env",
        ".env.local",
        ".git/config",
        "src/.npmrc",
        "keys/harbour.pem",
        ".venv/bin/tides",
        "node_modules/.bin/x",
        "node_modules/a/.env",
        "node_modules/a/package.json",
        "node_modules/a/index.js",
        "tools/.mcp/other.js",
    ] {
        machine.put(&format!("home/crew/boats/tides/{file}"), "{}");
    }
    let (shown, hidden) = machine.shown("usr/bin/node", "home/crew/boats/tides/src/server.js");
    assert_eq!(shown, "home/crew/boats/tides home/crew/boats/tides/src/server.js usr/bin/node");
    let project = "home/crew/boats/tides";
    let want = [".env", ".env.local", ".git", "keys/harbour.pem", "src/.npmrc", "tools/.mcp"];
    assert_eq!(hidden, want.map(|name| format!("{project}/{name}")).join(" "));
    // What is asked for by its name is not hidden.
    let (_, hidden) = machine.shown("usr/bin/node", "home/crew/boats/tides/tools/.mcp/other.js");
    assert!(!hidden.contains(".mcp") && hidden.contains(".git"), "{hidden}");
    // Of what was installed everything is shown, as it was published.
    let (shown, hidden) = machine.shown("usr/bin/node", "home/crew/boats/tides/node_modules/a/index.js");
    assert!(shown.starts_with("home/crew/boats/tides/node_modules ") && hidden.is_empty(), "{shown}: {hidden}");
    // What is no script is not the server's, and a script without a package is shown alone.
    machine.put("home/crew/notes/letters.txt", "private");
    machine.put("home/crew/notes/server.py", "");
    assert_eq!(machine.shown("usr/bin/node", "home/crew/notes/letters.txt").0, "usr/bin/node");
    assert_eq!(machine.shown("usr/bin/node", "home/crew/notes/server.py").0, "home/crew/notes/server.py usr/bin/node");
}
