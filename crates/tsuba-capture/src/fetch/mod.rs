//! Fetching a package before it is asked: by the ordinary client of its registry as the machine is configured, into a folder of its own,
//! with nothing of the package run. What the client says of it is evidence.

mod client;
mod npm;
mod pypi;

use crate::evidence::Package;
use crate::peer::Launch;
use crate::scratch::Scratch;
use std::ffi::OsString;
use std::path::PathBuf;
use std::sync::atomic::AtomicBool;
use std::time::Instant;
use tsuba_core::understand::launch::{Package as Named, Source};

/// What to fetch.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Wanted {
    /// From which registry.
    source: Source,
    /// The package whose program is started, without version.
    name: String,
    /// It and what is installed beside it, as the client takes them.
    specs: Vec<String>,
    /// The program of the package, where it is named.
    command: Option<String>,
}

impl Wanted {
    /// Of the package of a launch plan and those beside it.
    ///
    /// # Errors
    /// Why it cannot be fetched.
    pub fn new(server: &Named, beside: &[&Named]) -> Result<Self, &'static str> {
        let spec: fn(&Named) -> Option<String> = match server.source {
            Source::Npm => npm::spec,
            Source::Pypi => pypi::spec,
            _ => return Err("its package is in no registry that --fetch knows (npm, Python)"),
        };
        if beside.iter().any(|other| other.source != server.source) {
            return Err("a package beside it comes from elsewhere, and is not fetched");
        }
        let specs: Option<Vec<String>> = core::iter::once(&server).chain(beside).map(|package| spec(package)).collect();
        let specs = specs.ok_or("its package is not named as registries name them, and is not fetched")?;
        let command = server.command.clone();
        if command.as_ref().is_some_and(|command| !is_word(command, "._-")) {
            return Err("its command is a shell line, and is not fetched");
        }
        Ok(Self { source: server.source, name: server.name.clone(), specs, command })
    }
}

/// A package that lies there to be started; gone when this is dropped.
#[derive(Debug)]
pub(crate) struct Fetched {
    program: OsString,
    /// Before the arguments of the entry.
    args: Vec<OsString>,
    env: Vec<(OsString, OsString)>,
    /// The folders that it needs.
    shown: Vec<PathBuf>,
    folder: Scratch,
}

impl Fetched {
    /// Where it lies.
    pub(crate) fn folder(&self) -> String {
        self.folder.path().to_string_lossy().into_owned()
    }

    /// A start of its program, with what the entry gives.
    pub(crate) fn launch(&self, given: &Launch) -> Launch {
        Launch {
            program: self.program.clone(),
            args: self.args.iter().chain(&given.args).cloned().collect(),
            env: given.env.iter().chain(&self.env).cloned().collect(),
            cwd: given.cwd.clone(),
            shown: self.shown.clone(),
            search: given.search.clone(),
            preface: Vec::new(),
        }
    }
}

/// Fetches; what the client says is told whether or not there is something to start.
pub(crate) fn fetch(wanted: &Wanted, until: Instant, stop: &AtomicBool) -> (Package, Result<Fetched, String>) {
    let asked = wanted.specs.first().cloned().unwrap_or_default();
    let mut package = Package { client: "npm", name: wanted.name.clone(), asked, ..Package::default() };
    let folder = match Scratch::new() {
        Ok(folder) => folder,
        Err(_) => return (package, Err("the system gives no temporary folder".to_owned())),
    };
    let work = client::Work { folder: folder.path(), until, stop };
    let started = match wanted.source {
        Source::Pypi => {
            package.client = "pip";
            pypi::fetch(wanted, &work, &mut package)
        }
        _ => npm::fetch(wanted, &work, &mut package),
    };
    let fetched = started.map(|(program, args, env, shown)| Fetched { program, args, env, shown, folder });
    (package, fetched)
}

/// A program, what comes before its own arguments, its environment, the folders it needs.
type Start = (OsString, Vec<OsString>, Vec<(OsString, OsString)>, Vec<PathBuf>);

/// Is a text made of letters, digits and these, and does it begin as a name does?
fn is_word(text: &str, others: &str) -> bool {
    text.starts_with(|c: char| c.is_ascii_alphanumeric() || c == '@')
        && text.chars().all(|c| c.is_ascii_alphanumeric() || others.contains(c))
        && !text.contains("..")
}

#[cfg(test)]
mod tests {
    use super::*;
    use tsuba_core::read::{Input, read};
    use tsuba_core::text::{Located, Pointer};
    use tsuba_core::understand::launch::unwrap;

    fn specs(line: &str) -> Result<(Vec<String>, Option<String>), &'static str> {
        let text = serde_json::to_string(&line.split(' ').collect::<Vec<_>>()).unwrap();
        let document = read(Input { path: "x.json".into(), bytes: text.into(), ..Input::default() }).unwrap();
        let items = document.roots[0].items();
        let words: Vec<Located> = items.iter().filter_map(|item| item.located(Pointer::root())).collect();
        let plan = unwrap(&document.text, &words);
        let packages: Vec<&Named> = plan.packages().map(|(_, package)| package).collect();
        let (beside, server): (Vec<&Named>, Vec<&Named>) = packages.into_iter().partition(|package| package.beside);
        let wanted = Wanted::new(server[0], &beside)?;
        Ok((wanted.specs, wanted.command))
    }

    #[test]
    fn packages_are_named_as_their_clients_take_them() {
        for (line, want, command) in [
            ("npx -y @saltmarsh/tide-table", "@saltmarsh/tide-table", None),
            ("npx -y @saltmarsh/tide-table@^2.4", "@saltmarsh/tide-table@^2.4", None),
            ("npx -p tide-table@2.4.1 -p pilot tides", "tide-table@2.4.1 pilot", Some("tides")),
            ("pnpm dlx tide-table@next", "tide-table@next", None),
            ("uvx saltmarsh-tides@1.2.0", "saltmarsh-tides==1.2.0", None),
            ("uvx saltmarsh-tides@latest", "saltmarsh-tides", None),
            ("uvx --from saltmarsh-tides[crew]>=1,<2 tides", "saltmarsh-tides[crew]>=1,<2", Some("tides")),
            ("pipx run --spec saltmarsh-tides==1.2.0 tides", "saltmarsh-tides==1.2.0", Some("tides")),
        ] {
            let found = specs(line).unwrap_or_else(|why| panic!("{line}: {why}"));
            assert_eq!((found.0.join(" ").as_str(), found.1.as_deref()), (want, command), "{line}");
        }
        // What the client would take for an option, a folder, an address, or a command of a shell.
        for line in [
            "npx -y github:saltmarsh/tide-table",
            "npx -y ./tide-table",
            "npx -y https://tides.saltmarsh-line.example/x.tgz",
            "npx -y tide-table@$(id)",
            "npx -y tide..table",
            "uvx --from git+https://tides.saltmarsh-line.example/x tides",
            "npx -p tide-table ../tides",
        ] {
            assert!(specs(line).is_err(), "{line}: {:?}", specs(line));
        }
    }
}
