//! Container engines: `docker run`, `podman run`, and what runs inside.

use super::unwrap::Unwrapper;
use super::{ImageRef, StepKind, Variable, options, program_name, wrappers};
use crate::prelude::*;
use crate::text::Located;

/// A container that is started.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Container {
    /// The engine's name.
    pub engine: String,
    /// The image as written.
    pub image: Located,
    /// The image taken apart.
    pub reference: ImageRef,
    /// Folders and files of the host that it sees.
    pub mounts: Vec<Mount>,
    /// Ports published on the host.
    pub published: Vec<Published>,
    /// Every other option: name, value, and the word to point at.
    pub flags: Vec<(String, Option<Located>, Located)>,
}

impl Container {
    /// What stands for an engine where the image is what another one is built on.
    pub(crate) const BASE: &str = "base image";
    /// What stands for an engine where something is taken from the image in a build.
    const TAKEN: &str = "build";

    /// What is only an image: nothing of it is started here.
    pub(crate) fn of_image(image: &Located) -> Self {
        Self {
            engine: Self::TAKEN.to_owned(),
            image: image.clone(),
            reference: ImageRef::parse(&image.text),
            mounts: Vec::new(),
            published: Vec::new(),
            flags: Vec::new(),
        }
    }

    /// Is it what the image that a file builds begins with?
    pub fn is_base(&self) -> bool {
        self.engine == Self::BASE
    }

    /// The values of an option.
    pub fn values<'c>(&'c self, names: &'c [&str]) -> impl Iterator<Item = &'c Located> {
        self.flags
            .iter()
            .filter(move |(name, ..)| names.contains(&name.as_str()))
            .filter_map(|(_, value, _)| value.as_ref())
    }

    /// The word of a switch that is on.
    pub fn switch(&self, name: &str) -> Option<&Located> {
        let on = |value: &Option<Located>| value.as_ref().is_none_or(|v| v.text != "false");
        self.flags.iter().find(|(n, value, _)| n == name && on(value)).map(|(.., word)| word)
    }
}

/// A folder or file of the host inside a container.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mount {
    /// The host's path, or a volume's name.
    pub host: Located,
    /// Where the container sees it.
    pub inside: String,
    /// May the container write to it?
    pub writable: bool,
}

/// A port published on the host.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Published {
    /// The option's value.
    pub word: Located,
    /// The host's address it is bound to; `None` means every interface.
    pub address: Option<String>,
}

const WITH_VALUE: &[&str] = &[
    "-a",
    "--attach",
    "--add-host",
    "--annotation",
    "--blkio-weight",
    "--cap-add",
    "--cap-drop",
    "--cgroup-parent",
    "--cgroupns",
    "--cidfile",
    "--cpu-period",
    "--cpu-quota",
    "--cpu-shares",
    "-c",
    "--cpus",
    "--cpuset-cpus",
    "--detach-keys",
    "--device",
    "--device-cgroup-rule",
    "--device-read-bps",
    "--dns",
    "--dns-option",
    "--dns-search",
    "--domainname",
    "--entrypoint",
    "-e",
    "--env",
    "--env-file",
    "--expose",
    "--gpus",
    "--group-add",
    "--health-cmd",
    "--health-interval",
    "--health-retries",
    "--health-timeout",
    "-h",
    "--hostname",
    "--ip",
    "--ip6",
    "--ipc",
    "--isolation",
    "-l",
    "--label",
    "--label-file",
    "--link",
    "--log-driver",
    "--log-opt",
    "--mac-address",
    "-m",
    "--memory",
    "--memory-swap",
    "--memory-reservation",
    "--mount",
    "--name",
    "--net",
    "--network",
    "--network-alias",
    "--pid",
    "--pids-limit",
    "--platform",
    "-p",
    "--publish",
    "--pull",
    "--restart",
    "--runtime",
    "--secret",
    "--security-opt",
    "--shm-size",
    "--stop-signal",
    "--stop-timeout",
    "--storage-opt",
    "--sysctl",
    "--tmpfs",
    "--ulimit",
    "-u",
    "--user",
    "--userns",
    "--uts",
    "-v",
    "--volume",
    "--volume-driver",
    "--volumes-from",
    "-w",
    "--workdir",
    "--arch",
    "--os",
    "--authfile",
    "--creds",
    "--pod",
    "--tz",
    "--umask",
    "--hostuser",
    "--init-path",
    "--requires",
    "--rootfs",
    "--systemd",
];
const GLOBAL: &[&str] = &[
    "-H",
    "--host",
    "--context",
    "-c",
    "--config",
    "-l",
    "--log-level",
    "--tlscacert",
    "--tlscert",
    "--tlskey",
    "--url",
    "--connection",
    "--root",
    "--namespace",
    "-n",
];

/// Follows a container engine's command line.
pub(super) fn run(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located]) {
    let outer = options::parse(unwrapper.source, args, GLOBAL);
    let words: Vec<&str> = outer.rest.iter().take(2).map(|w| w.text.as_str()).collect();
    let from = match words.as_slice() {
        ["run" | "create", ..] => 1,
        ["container", "run" | "create"] => 2,
        ["exec", ..] | ["container", "exec"] => {
            let rest = outer.rest.get(1 + usize::from(words.first() == Some(&"container"))..).unwrap_or_default();
            let parsed = options::parse(
                unwrapper.source,
                rest,
                &["-e", "--env", "--env-file", "-u", "--user", "-w", "--workdir", "--detach-keys"],
            );
            environment(unwrapper, &parsed);
            unwrapper.wrapper(program, parsed.consumed);
            return unwrapper.run(parsed.rest.get(1..).unwrap_or_default());
        }
        ["compose", ..] => return compose(unwrapper, program, outer.rest.get(1..).unwrap_or_default()),
        _ => {
            unwrapper.plan.not_understood =
                Some("what this command of the container engine starts is not written here");
            return unwrapper.server(program, StepKind::Program, args, &[]);
        }
    };
    let parsed = options::parse(unwrapper.source, outer.rest.get(from..).unwrap_or_default(), WITH_VALUE);
    let Some((image, inside)) = parsed.rest.split_first() else {
        unwrapper.plan.not_understood = Some("a container is started, but no image is named");
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    environment(unwrapper, &parsed);
    let mut container = Container {
        engine: program_name(&program.text),
        image: image.clone(),
        reference: ImageRef::parse(&image.text),
        mounts: Vec::new(),
        published: Vec::new(),
        flags: Vec::new(),
    };
    for option in &parsed.options {
        match (option.name.as_str(), &option.value) {
            ("-v" | "--volume", Some(value)) => container.mounts.extend(volume(unwrapper.source, value)),
            ("--mount", Some(value)) => container.mounts.extend(mount(unwrapper.source, value)),
            ("-p" | "--publish", Some(value)) => container.published.push(published(value)),
            // Every port that the image names, at a port of the host's own choice.
            ("-P" | "--publish-all", _) if option.value.as_ref().is_none_or(|value| value.text != "false") => {
                container.published.push(Published { word: option.word.clone(), address: None });
            }
            (name, value) => container.flags.push((name.to_owned(), value.clone(), option.word.clone())),
        }
    }
    let entrypoint = parsed.values(&["--entrypoint"]).next().filter(|e| !e.text.is_empty()).cloned();
    let inner: Vec<Located> = entrypoint.into_iter().chain(inside.iter().cloned()).collect();
    let starts = inner.first().is_some_and(|w| wrappers::is_starter(&program_name(&w.text)));
    let options: Vec<Located> = outer.consumed.iter().chain(parsed.consumed).cloned().collect();
    let kind = StepKind::Container(Box::new(container));
    if starts {
        let step = super::Step { options, ..super::Step::new(program, kind) };
        unwrapper.plan.steps.push(step);
        unwrapper.run(&inner);
    } else {
        unwrapper.server(program, kind, inside, &options);
    }
}

/// `docker compose [-f FILE] run|exec [options] SERVICE [command]`.
fn compose(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located]) {
    let with_value = [
        "-f",
        "--file",
        "-p",
        "--project-name",
        "--profile",
        "--env-file",
        "--project-directory",
        "-e",
        "--env",
        "-u",
        "--user",
        "-w",
        "--workdir",
        "-v",
        "--volume",
        "--name",
        "--entrypoint",
        "--index",
    ];
    let outer = options::parse(unwrapper.source, args, &with_value);
    let verb = outer.rest.split_first().filter(|(verb, _)| matches!(verb.text.as_str(), "run" | "exec" | "up"));
    let parsed = options::parse(unwrapper.source, verb.map_or(&[][..], |(_, rest)| rest), &with_value);
    environment(unwrapper, &parsed);
    let Some((service, inner)) = parsed.rest.split_first() else {
        unwrapper.plan.not_understood = Some("what this compose command starts is not written here");
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    if inner.first().is_some_and(|w| wrappers::is_starter(&program_name(&w.text))) {
        unwrapper.wrapper(program, parsed.consumed);
        return unwrapper.run(inner);
    }
    unwrapper.plan.not_understood = Some("a service of a compose file: what it runs is written there");
    unwrapper.server(program, StepKind::Script(service.clone()), inner, parsed.consumed);
}

/// Variables and environment files handed into a container.
fn environment(unwrapper: &mut Unwrapper<'_>, parsed: &options::Parsed<'_>) {
    for word in parsed.values(&["-e", "--env"]) {
        let (name, passed_on, value) = match word.text.split_once('=') {
            Some((name, _)) => (name, false, word.part(unwrapper.source, name.len() + 1..word.text.len())),
            None => (word.text.as_str(), true, word.clone()),
        };
        unwrapper.plan.variables.push(Variable { name: name.to_owned(), value, passed_on, in_shell: false });
    }
    unwrapper.plan.env_files.extend(parsed.values(&["--env-file"]).cloned());
}

/// `HOST:INSIDE[:OPTIONS]`, also with a Windows drive in the host's path.
fn volume(source: &str, word: &Located) -> Option<Mount> {
    let text = word.text.as_str();
    let drive =
        usize::from(matches!(text.as_bytes(), [letter, b':', b'\\' | b'/', ..] if letter.is_ascii_alphabetic())) * 2;
    // A colon inside `${HOME:-x}` separates nothing.
    let mut depth = 0_i32;
    let at = text.char_indices().skip(drive).find_map(|(at, c)| {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            _ => {}
        }
        (c == ':' && depth == 0).then_some(at)
    })?;
    let rest = text.get(at + 1..)?;
    let (inside, options) = rest.split_once(':').unwrap_or((rest, ""));
    let writable = !options.split(',').any(|o| o == "ro" || o == "readonly");
    Some(Mount { host: word.part(source, 0..at), inside: inside.to_owned(), writable })
}

/// `type=bind,source=HOST,target=INSIDE[,readonly]`
fn mount(source: &str, word: &Located) -> Option<Mount> {
    let (mut host, mut inside, mut writable) = (None, String::new(), true);
    let mut at = 0;
    for field in word.text.split(',') {
        let (name, value) = field.split_once('=').unwrap_or((field, ""));
        match name.trim() {
            "source" | "src" => host = Some(word.part(source, at + field.len() - value.len()..at + field.len())),
            "target" | "dst" | "destination" => value.clone_into(&mut inside),
            "readonly" | "ro" => writable = matches!(value, "false" | "0"),
            _ => {}
        }
        at += field.len() + 1;
    }
    host.map(|host| Mount { host, inside, writable })
}

/// `[ADDRESS:][HOST_PORT:]PORT[/PROTOCOL]`
fn published(word: &Located) -> Published {
    let bare = word.text.split('/').next().unwrap_or(&word.text);
    let address = match bare.strip_prefix('[').and_then(|rest| rest.split_once(']')) {
        Some((address, _)) => Some(address.to_owned()),
        None if bare.matches(':').count() >= 2 => bare.split(':').next().map(ToOwned::to_owned),
        None => None,
    };
    Published { word: word.clone(), address: address.filter(|a| !a.is_empty()) }
}
