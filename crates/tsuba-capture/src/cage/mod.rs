//! The cage: a local server runs in namespaces of its own, sees the runtime and its own folder and nothing else, reaches nobody, and what
//! it touches is written down.
//!
//! It is built in three stages, each a new run of this program, so that every step is one a process may take for itself: `outer` leaves
//! the machine's namespaces, `inner` is the first process of the new ones (it builds the file system and the network and watches),
//! `server` gives up every right that is left and becomes the server.

#[cfg(target_os = "linux")]
mod decoys;
#[cfg(target_os = "linux")]
mod files;
#[cfg(target_os = "linux")]
mod inner;
#[cfg(target_os = "linux")]
mod network;
#[cfg(target_os = "linux")]
mod outer;
#[cfg(target_os = "linux")]
mod packets;
#[cfg(target_os = "linux")]
mod server;
#[cfg(target_os = "linux")]
mod watch;

use crate::evidence::Touched;
use crate::peer::Launch;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::ffi::OsString;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// The folder that a server takes for its home.
pub(crate) const HOME: &str = "/home/crew";
/// The folder that a server is started in, where it has none of its own. Not its home: what a program reads where it is started it may
/// well read.
pub(crate) const WORK: &str = "/home/crew/work";
/// The variable that hands the plan from stage to stage.
const PLAN: &str = "TSUBA_CAGE";
/// This program, inside.
const SELF: &str = "/.tsuba";

/// How to build cages.
#[derive(Clone, Debug)]
pub struct Cage {
    /// This program: it is run anew for each stage.
    pub program: PathBuf,
}

/// What a cage is built from.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
struct Plan {
    /// This program.
    helper: PathBuf,
    /// The new root is put together here, on the outside.
    root: PathBuf,
    /// What is touched is written down here, on the outside.
    report: PathBuf,
    /// Folders and files that may be read.
    shown: Vec<PathBuf>,
    /// The server's program, as it is seen inside.
    program: PathBuf,
    args: Vec<OsString>,
    env: Vec<(OsString, OsString)>,
    /// The folder it is started in.
    cwd: PathBuf,
}

/// A server's place while it runs; gone when this is dropped.
#[derive(Debug)]
pub(crate) struct Caged {
    /// What to start instead of the server.
    pub(crate) launch: Launch,
    folder: tempfile::TempDir,
}

impl Cage {
    /// Tries to build one.
    ///
    /// # Errors
    /// Why it cannot be built on this system.
    pub fn possible(&self) -> Result<(), String> {
        if !cfg!(target_os = "linux") {
            return Err("cages are built on Linux only".to_owned());
        }
        let launch =
            Launch { program: self.program.clone().into(), args: vec!["--version".into()], ..Launch::default() };
        let caged = self.around(&launch).map_err(|error| error.to_string())?;
        let run = Command::new(&caged.launch.program)
            .args(&caged.launch.args)
            .env_clear()
            .envs(caged.launch.env.iter().map(|(name, value)| (name, value)))
            .stdin(Stdio::null())
            .stderr(Stdio::piped())
            .output()
            .map_err(|error| error.to_string())?;
        if run.status.success() {
            return Ok(());
        }
        let why = String::from_utf8_lossy(&run.stderr);
        Err(why.lines().last().unwrap_or("it ends without a word").trim_start_matches("tsuba: ").to_owned())
    }

    /// A cage around a program.
    ///
    /// # Errors
    /// Where the program is not there, or the system gives no temporary folder.
    pub(crate) fn around(&self, launch: &Launch) -> io::Result<Caged> {
        let folder = tempfile::Builder::new().prefix("tsuba-cage-").tempdir()?;
        let root = folder.path().join("root");
        fs::create_dir(&root)?;
        let program = found(&launch.program, launch.cwd.as_deref(), &launch.env)?;
        let mut shown: BTreeSet<PathBuf> = runtime(&program).into_iter().collect();
        let script = launch.args.iter().map(|arg| launch.cwd.as_deref().unwrap_or(Path::new(".")).join(arg));
        // The first argument that is a file is what the runtime runs; its folder is the server's own.
        let own = script.filter(|path| path.is_file()).find_map(|path| path.canonicalize().ok());
        shown.extend(own.as_deref().and_then(package));
        shown.extend(launch.shown.iter().filter_map(|folder| folder.canonicalize().ok()));
        // A script by its name alone is found only where it lies.
        let inside = |path: &Path| shown.iter().any(|shown| path.starts_with(shown) || shown.starts_with(path));
        let cwd = launch.cwd.as_deref().and_then(|cwd| cwd.canonicalize().ok()).filter(|cwd| inside(cwd));
        let mut env = launch.env.clone();
        env.retain(|(name, _)| name != "HOME" && name != "USER" && name != "LOGNAME");
        env.extend(
            [("HOME", HOME), ("USER", "crew"), ("LOGNAME", "crew")].map(|(name, value)| (name.into(), value.into())),
        );
        let plan = Plan {
            helper: self.program.canonicalize()?,
            report: folder.path().join("report"),
            root,
            shown: shown.into_iter().collect(),
            program,
            args: launch.args.clone(),
            env,
            cwd: cwd.unwrap_or_else(|| WORK.into()),
        };
        // It may hold what the server is handed, and is therefore written to no file.
        let env = vec![(PLAN.into(), serde_json::to_string(&plan)?.into())];
        let args = vec!["cage".into(), "outer".into()];
        Ok(Caged { launch: Launch { program: self.program.clone().into(), args, env, ..Launch::default() }, folder })
    }
}

impl Caged {
    /// What has been touched so far.
    pub(crate) fn touched(&self) -> Touched {
        let report = fs::read_to_string(self.folder.path().join("report")).unwrap_or_default();
        let mut out = Touched::default();
        for (kind, what) in report.lines().filter_map(|line| line.split_once(' ')) {
            let list = match kind {
                "decoy" => &mut out.decoys,
                "wrote" => &mut out.written,
                "ran" => &mut out.programs,
                "name" => &mut out.names,
                "contact" => &mut out.contacts,
                "limit" => &mut out.limits,
                _ => continue,
            };
            if list.len() < KEPT && !list.iter().any(|known| known == what) {
                list.push(what.to_owned());
            }
        }
        out
    }
}

/// More of one kind are not kept one by one.
const KEPT: usize = 256;

/// Where a program is, as a shell would find it: its real place.
fn found(program: &OsString, cwd: Option<&Path>, env: &[(OsString, OsString)]) -> io::Result<PathBuf> {
    let named = Path::new(program);
    if named.components().count() > 1 {
        return cwd.unwrap_or(Path::new(".")).join(named).canonicalize();
    }
    let path = env.iter().find(|(name, _)| name == "PATH").map(|(_, value)| value.clone()).unwrap_or_default();
    let places = std::env::split_paths(&path).map(|folder| folder.join(named));
    let place = places.filter(|place| place.is_file()).find_map(|place| place.canonicalize().ok());
    place.ok_or_else(|| io::Error::new(io::ErrorKind::NotFound, "there is no such program"))
}

/// What a program needs to run: the folder that its `bin` is in, or itself.
fn runtime(program: &Path) -> Option<PathBuf> {
    let folder = program.parent()?;
    let prefix = folder.parent().filter(|_| folder.file_name().is_some_and(|name| name == "bin"));
    prefix.filter(|prefix| may_be_shown(prefix)).map(Path::to_path_buf).or_else(|| Some(program.to_path_buf()))
}

/// May a folder be shown as a whole? Never a home folder, nor one that holds some, nor what a home folder keeps to itself. What lies in
/// the system's folders is shown anyway.
fn may_be_shown(folder: &Path) -> bool {
    let home = std::env::var_os("HOME").map(PathBuf::from);
    let real = home.as_ref().and_then(|home| home.canonicalize().ok());
    let mut homes = home.iter().chain(&real).map(PathBuf::as_path).chain([Path::new("/root")]);
    let is_one = |path: &Path| path.starts_with("/home") && path.components().count() <= 3;
    folder.components().count() > 3 && !is_one(folder) && !homes.any(|home| home.starts_with(folder))
}

/// Endings of files that a runtime runs.
const SCRIPTS: &[&str] = &["cjs", "dll", "jar", "js", "mjs", "mts", "php", "pl", "py", "pyz", "rb", "sh", "ts", "wasm"];

/// What a script needs: its package, the nearest folder above it with a manifest; else itself. A file that is no script is not the
/// server's own, whatever the setup says: it may be anybody's key.
fn package(file: &Path) -> Option<PathBuf> {
    let manifests = ["package.json", "pyproject.toml", "Cargo.toml", "go.mod", "deno.json"];
    let holds = |folder: &&Path| manifests.iter().any(|manifest| folder.join(manifest).is_file());
    file.extension().and_then(|ending| ending.to_str()).filter(|ending| SCRIPTS.contains(ending))?;
    let folder = file.ancestors().skip(1).take(4).filter(|folder| may_be_shown(folder)).find(holds);
    // Packages beside it in one folder of packages are what it runs with.
    let modules = |folder: &Path| {
        let above = folder.ancestors().find(|above| above.file_name().is_some_and(|name| name == "node_modules"));
        above.map_or_else(|| folder.to_path_buf(), Path::to_path_buf)
    };
    Some(folder.map_or_else(|| file.to_path_buf(), modules))
}

/// Runs a stage of building; only this program itself asks for it.
///
/// # Errors
/// What could not be built, in words for a person.
#[cfg(target_os = "linux")]
pub fn stage(args: &[OsString]) -> Result<u8, String> {
    match args {
        [stage] if stage == "outer" => outer::run(),
        [stage] if stage == "inner" => {
            let text = std::env::var(PLAN).map_err(|_| "the cage has no plan".to_owned())?;
            inner::run(
                &serde_json::from_str(&text).map_err(|error| format!("the cage's plan cannot be read: {error}"))?,
            )
        }
        [stage, cwd, program, args @ ..] if stage == "server" => server::run(Path::new(cwd), Path::new(program), args),
        _ => Err("a cage is built by `tsuba capture`".to_owned()),
    }
}

/// Cages are built on Linux only.
///
/// # Errors
/// Always.
#[cfg(not(target_os = "linux"))]
pub fn stage(_args: &[OsString]) -> Result<u8, String> {
    Err("cages are built on Linux only".to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_home_folder_is_never_shown() {
        let home = std::env::var("HOME").unwrap_or_else(|_| "/root".to_owned());
        for (folder, want) in [
            (home.as_str(), false),
            ("/root", false),
            ("/home/crew", false),
            ("/home", false),
            ("/", false),
            ("/opt", false),
            ("/home/crew/boats/tide-table", true),
            ("/opt/saltmarsh/runtimes/22", true),
        ] {
            assert_eq!(may_be_shown(Path::new(folder)), want, "{folder}");
        }
    }

    #[test]
    fn only_scripts_and_their_packages_are_the_servers_own() {
        let folder = tempfile::tempdir().unwrap();
        let put = |name: &str| {
            let file = folder.path().join(name);
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(&file, "").unwrap();
            file
        };
        let (loose, key) = (put("a/b/server.py"), put("a/b/id_ed25519"));
        put("a/pack/package.json");
        let packed = put("a/pack/lib/server.js");
        assert_eq!(package(&loose), Some(loose.clone()));
        assert_eq!(package(&key), None);
        assert_eq!(package(&packed), Some(folder.path().join("a/pack")));
    }

    #[test]
    fn a_script_is_started_where_it_lies() {
        let folder = tempfile::tempdir().unwrap();
        let own = folder.path().canonicalize().unwrap();
        fs::write(own.join("server.sh"), "").unwrap();
        fs::write(own.join("key"), "").unwrap();
        let cage = Cage { program: std::env::current_exe().unwrap() };
        let cwd = |arg: &str| {
            let path = std::env::var_os("PATH").unwrap();
            let launch = Launch {
                program: "sh".into(),
                args: vec![arg.into()],
                env: vec![("PATH".into(), path)],
                cwd: Some(own.clone()),
                shown: Vec::new(),
            };
            let caged = cage.around(&launch).unwrap();
            let plan: Plan = serde_json::from_str(caged.launch.env[0].1.to_str().unwrap()).unwrap();
            plan.cwd
        };
        assert_eq!(cwd("server.sh"), own);
        // What is no script is not shown, nor where it lies.
        assert_eq!(cwd("key"), Path::new(WORK));
    }
}
