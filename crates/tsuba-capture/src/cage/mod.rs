//! The cage: a local server runs in namespaces of its own, sees the runtime and its own folder and nothing else, reaches nobody, and what
//! it touches is written down. `docs/cage.md` says what each wall is for.
//!
//! It is built in three stages, each a new run of this program from a sealed copy of itself, so that every step is one a process may take
//! for itself: `outer` leaves the machine's namespaces, `inner` is the first process of the new ones (it builds the file system and the
//! network and watches), `server` gives up every right that is left and becomes the server. The stages have an empty environment; what
//! they need comes before the first message on standard input, and nothing that a setup says is looked at before the walls stand.

#[cfg(target_os = "linux")]
mod calls;
#[cfg(target_os = "linux")]
mod decoys;
#[cfg(target_os = "linux")]
mod files;
#[cfg(target_os = "linux")]
mod group;
#[cfg(target_os = "linux")]
mod helper;
#[cfg(target_os = "linux")]
mod inner;
#[cfg(target_os = "linux")]
mod network;
#[cfg(target_os = "linux")]
mod outer;
#[cfg(target_os = "linux")]
mod packets;
#[cfg(target_os = "linux")]
mod plan;
#[cfg(target_os = "linux")]
mod process_list;
#[cfg(target_os = "linux")]
mod processes;
#[cfg(target_os = "linux")]
mod server;
#[cfg(target_os = "linux")]
mod shown;
#[cfg(target_os = "linux")]
mod watch;

use crate::evidence::Touched;
use crate::peer::Launch;
use std::ffi::OsString;
use std::io;
use std::path::Path;
#[cfg(target_os = "linux")]
use std::sync::Arc;

/// The folder that a server takes for its home.
pub(crate) const HOME: &str = "/home/crew";
/// The folder that a server is started in, where it has none of its own. Not its home: what a program reads where it is started it may
/// well read.
pub(crate) const WORK: &str = "/home/crew/work";
/// This program, for a stage to start the next one: the sealed copy that the stage itself runs from.
#[cfg(target_os = "linux")]
const SELF: &str = "/proc/self/exe";
/// Where programs are looked for inside, after the folder of the server's own program. The caller's folders are nobody's business there.
#[cfg(target_os = "linux")]
const SEARCH: &str = "/usr/local/bin:/usr/bin:/bin:/usr/local/sbin:/usr/sbin:/sbin";

/// How to build cages.
#[derive(Clone, Debug)]
pub struct Cage {
    #[cfg(target_os = "linux")]
    helper: Arc<helper::Helper>,
}

/// A server's place while it runs; gone when this is dropped.
#[derive(Debug)]
pub(crate) struct Caged {
    /// What to start instead of the server.
    pub(crate) launch: Launch,
    folder: crate::scratch::Scratch,
    #[cfg(target_os = "linux")]
    group: Option<group::Group>,
    /// Names of variables by which the setup has the server's loader take in other code.
    loader: Vec<String>,
}

#[cfg(target_os = "linux")]
impl Cage {
    /// Cages that are built by a program, which must be this one. One is built, to see whether it can be.
    ///
    /// # Errors
    /// Why it cannot be built on this system.
    pub fn new(program: &Path) -> Result<Self, String> {
        crate::scratch::clear_abandoned();
        let helper = helper::Helper::copy(program)
            .map_err(|error| format!("no cage: this program cannot be copied ({error})"))?;
        let cage = Self { helper: Arc::new(helper) };
        cage.try_out().map(|()| cage)
    }

    fn try_out(&self) -> Result<(), String> {
        use std::io::{Read as _, Write as _};
        use std::process::{Command, Stdio};
        let launch = Launch { program: "/bin/sh".into(), args: vec!["-c".into(), ":".into()], ..Launch::default() };
        let caged = self.around(&launch).map_err(|error| error.to_string())?;
        let mut command = Command::new(&caged.launch.program);
        command.args(&caged.launch.args).env_clear();
        command.stdin(Stdio::piped()).stdout(Stdio::null()).stderr(Stdio::piped());
        let mut run = command.spawn().map_err(|error| error.to_string())?;
        if let Some(mut input) = run.stdin.take() {
            // Where it ends before it has read everything, it says why.
            let _ended = input.write_all(&caged.launch.preface);
        }
        let mut why = String::new();
        if let Some(errors) = run.stderr.take() {
            let _broken = errors.take(64 << 10).read_to_string(&mut why);
        }
        if run.wait().map_err(|error| error.to_string())?.success() {
            return Ok(());
        }
        Err(why.lines().last().unwrap_or("it exited without an error message").trim_start_matches("tsuba: ").to_owned())
    }

    /// A cage around a program.
    ///
    /// # Errors
    /// Where the program is not there, or the system gives no temporary folder.
    pub(crate) fn around(&self, launch: &Launch) -> io::Result<Caged> {
        let folder = crate::scratch::Scratch::new()?;
        // As the list of mounts names it.
        let folder_real = folder.path().canonicalize()?;
        let root = folder_real.join("root");
        std::fs::create_dir(&root)?;
        let mut shown = shown::Shown::default();
        let found = shown::found(&launch.program, launch.cwd.as_deref(), &launch.search)?;
        let program = shown.program(&found, &launch.search)?;
        let script = launch.args.iter().map(|arg| launch.cwd.as_deref().unwrap_or(Path::new(".")).join(arg));
        // The first argument that is a file is what the runtime runs; its folder is the server's own.
        if let Some(script) = script.into_iter().find(|path| path.is_file()) {
            shown.script(&script);
        }
        launch.shown.iter().for_each(|own| shown.own(own));
        // A script by its name alone is found only where it lies.
        let cwd = launch.cwd.as_deref().and_then(|cwd| cwd.canonicalize().ok()).filter(|cwd| shown.leads_to(cwd));
        let start = plan::Start {
            env: environment(launch, &program),
            program,
            args: launch.args.clone(),
            cwd: cwd.unwrap_or_else(|| WORK.into()),
        };
        let build = plan::Build {
            report: folder_real.join("report"),
            root,
            hidden: shown.hidden(),
            shown: shown.paths.into_iter().collect(),
        };
        let group = group::Group::new();
        let mut args: Vec<OsString> = vec!["cage".into(), "outer".into()];
        args.extend(group.iter().map(|group| group.path().into()));
        let preface = plan::written(&build, &start)?;
        let launch = Launch { program: self.helper.program().into(), args, preface, ..Launch::default() };
        let loader = start.env.iter().filter_map(|(name, _)| name.to_str()).filter(|name| is_of_the_loader(name));
        Ok(Caged { launch, folder, group, loader: loader.map(str::to_owned).collect() })
    }
}

/// A server's environment: a home, a user and a search path of the cage's own, and what the entry gives.
#[cfg(target_os = "linux")]
fn environment(launch: &Launch, program: &Path) -> Vec<(OsString, OsString)> {
    let folder = program.parent().unwrap_or(Path::new("/")).to_string_lossy();
    let own = [
        ("PATH", format!("{folder}:{SEARCH}")),
        ("HOME", HOME.into()),
        ("USER", "crew".into()),
        ("LOGNAME", "crew".into()),
    ];
    let mut env: Vec<(OsString, OsString)> = own.map(|(name, value)| (name.into(), value.into())).into();
    let ours = |name: &OsString| ["HOME", "USER", "LOGNAME"].iter().any(|own| name == own);
    env.extend(launch.env.iter().filter(|(name, _)| !ours(name)).cloned());
    env
}

/// Does the loader of programs obey a variable of this name (ld.so(8))? Inside the walls it may.
#[cfg(target_os = "linux")]
fn is_of_the_loader(name: &str) -> bool {
    name.starts_with("LD_") || ["GCONV_PATH", "GLIBC_TUNABLES", "LOCPATH"].contains(&name)
}

#[cfg(not(target_os = "linux"))]
impl Cage {
    /// Cages are built on Linux only.
    ///
    /// # Errors
    /// Always.
    pub fn new(_program: &Path) -> Result<Self, String> {
        Err("cages are built on Linux only".to_owned())
    }

    pub(crate) fn around(&self, launch: &Launch) -> io::Result<Caged> {
        Ok(Caged { launch: launch.clone(), folder: crate::scratch::Scratch::new()?, loader: Vec::new() })
    }
}

/// More of one kind is not kept one by one, and it is told that there is more.
const MAX_KEPT: usize = 256;
/// What is written down of a server may have so many bytes; `watch` writes less.
const MAX_REPORT: u64 = 4 << 20;

impl Caged {
    /// What has been touched so far.
    pub(crate) fn touched(&self) -> Touched {
        use std::io::Read as _;
        let mut report = String::new();
        if let Ok(file) = std::fs::File::open(self.folder.path().join("report")) {
            let _broken = file.take(MAX_REPORT).read_to_string(&mut report);
        }
        let mut out = Touched { loader: self.loader.clone(), ..Touched::default() };
        for (kind, what) in report.lines().filter_map(|line| line.split_once(' ')) {
            let (name, list) = match kind {
                "decoy" => ("decoys", &mut out.decoys),
                "wrote" => ("written", &mut out.written),
                "ran" => ("programs", &mut out.programs),
                "name" => ("names", &mut out.names),
                "contact" => ("contacts", &mut out.contacts),
                "limit" => ("limits", &mut out.limits),
                "cut" => {
                    out.cut.insert(what.to_owned());
                    continue;
                }
                _ => continue,
            };
            if list.iter().any(|known| known == what) {
                continue;
            }
            if list.len() < MAX_KEPT {
                list.push(what.to_owned());
            } else {
                out.cut.insert(name.to_owned());
            }
        }
        #[cfg(target_os = "linux")]
        if self.group.as_ref().is_some_and(group::Group::ran_out) && out.limits.is_empty() {
            out.limits.push("too much memory".to_owned());
        }
        out
    }
}

/// Runs a stage of building; only this program itself asks for it.
///
/// # Errors
/// What could not be built, in words for a person.
#[cfg(target_os = "linux")]
pub fn stage(args: &[OsString]) -> Result<u8, String> {
    // Whatever was open where this was started is closed before anything else is done.
    crate::fds::Inherited::now().close();
    match args {
        [stage, group @ ..] if stage == "outer" => outer::run(group.first()),
        [stage] if stage == "inner" => inner::run(&plan::read()?),
        [stage] if stage == "server" => server::run(&plan::read()?),
        _ => Err("a cage is built by `tsuba capture`".to_owned()),
    }
}

/// Maps the one user and the one group of a new user namespace (user_namespaces(7)).
#[cfg(target_os = "linux")]
fn map_user(user: &str, group: &str) -> io::Result<()> {
    for (file, text) in [("setgroups", "deny"), ("uid_map", user), ("gid_map", group)] {
        std::fs::write(format!("/proc/self/{file}"), text)?;
    }
    Ok(())
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
#[cfg(target_os = "linux")]
mod tests {
    use super::*;
    use std::fs;

    /// The plan of a server's start.
    fn planned(launch: &Launch) -> plan::Start {
        let cage = Cage { helper: Arc::new(helper::Helper::copy(Path::new("/bin/true")).unwrap()) };
        let preface = cage.around(launch).unwrap().launch.preface;
        let first = u32::from_le_bytes(preface[..4].try_into().unwrap()) as usize;
        serde_json::from_slice(&preface[first + 8..]).unwrap()
    }

    #[test]
    fn a_script_is_started_where_it_lies() {
        let folder = tempfile::tempdir().unwrap();
        let own = folder.path().canonicalize().unwrap();
        fs::write(own.join("server.sh"), "").unwrap();
        fs::write(own.join("key"), "").unwrap();
        let launch = |arg: &str| Launch {
            program: "sh".into(),
            args: vec![arg.into()],
            search: std::env::var_os("PATH").unwrap(),
            cwd: Some(own.clone()),
            ..Launch::default()
        };
        assert_eq!(planned(&launch("server.sh")).cwd, own);
        // What is no script is not shown, nor where it lies.
        assert_eq!(planned(&launch("key")).cwd, Path::new(WORK));
    }

    #[test]
    fn a_server_has_a_home_and_a_search_path_of_the_cage() {
        let env = |name: &str, value: &str| (OsString::from(name), OsString::from(value));
        let launch = Launch {
            program: "/bin/sh".into(),
            env: vec![env("HOME", "/home/mate"), env("TIDE", "high")],
            ..Launch::default()
        };
        let got = planned(&launch).env;
        let value =
            |name: &str| got.iter().rev().find(|(own, _)| own == name).map(|(_, value)| value.to_str().unwrap());
        assert_eq!((value("HOME"), value("TIDE")), (Some(HOME), Some("high")));
        assert!(value("PATH").unwrap().ends_with(SEARCH));
    }
}
