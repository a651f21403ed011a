//! Programs that pass on another command line, as data.

/// How a wrapper is written.
pub(super) struct Wrapper {
    /// Its names.
    pub(super) names: &'static [&'static str],
    /// Words of which the first operand must be one (`run`, `exec`); empty when there is no such word.
    pub(super) verbs: &'static [&'static str],
    /// Options that take a value.
    pub(super) with_value: &'static [&'static str],
    /// How many operands stand before the command (`timeout 30 …`).
    pub(super) operands: usize,
    /// Options whose value is a whole shell line.
    pub(super) line_options: &'static [&'static str],
    /// May `NAME=value` words stand before the command?
    pub(super) assigns: bool,
    /// Options that name an environment file.
    pub(super) env_file: &'static [&'static str],
    /// Its options are too many to list: the command begins at the first word that starts something.
    pub(super) searched: bool,
}

const PLAIN: Wrapper = Wrapper {
    names: &[],
    verbs: &[],
    with_value: &[],
    operands: 0,
    line_options: &[],
    assigns: false,
    env_file: &[],
    searched: false,
};

pub(super) static WRAPPERS: &[Wrapper] = &[
    Wrapper {
        names: &["env"],
        with_value: &["-u", "--unset", "-C", "--chdir", "-S", "--split-string"],
        line_options: &["-S", "--split-string"],
        assigns: true,
        ..PLAIN
    },
    Wrapper { names: &["cross-env", "cross-env-shell"], assigns: true, ..PLAIN },
    Wrapper {
        names: &["sudo", "doas", "gosu", "su-exec", "runuser", "pkexec", "run0"],
        with_value: &[
            "-u", "--user", "-g", "--group", "-h", "--host", "-p", "--prompt", "-C", "-r", "-t", "-T", "-D", "-R",
            "-U", "--chdir", "-c",
        ],
        line_options: &["-c"],
        assigns: true,
        ..PLAIN
    },
    Wrapper { names: &["nice"], with_value: &["-n", "--adjustment"], ..PLAIN },
    Wrapper { names: &["ionice"], with_value: &["-c", "--class", "-n", "--classdata"], ..PLAIN },
    Wrapper {
        names: &["timeout", "gtimeout"],
        with_value: &["-k", "--kill-after", "-s", "--signal"],
        operands: 1,
        ..PLAIN
    },
    Wrapper { names: &["chrt", "taskset"], with_value: &["-c", "--cpu-list"], operands: 1, ..PLAIN },
    Wrapper {
        names: &["xvfb-run"],
        with_value: &[
            "-n",
            "--server-num",
            "-s",
            "--server-args",
            "-f",
            "--auth-file",
            "-e",
            "--error-file",
            "-p",
            "--xauth-protocol",
            "-w",
            "--wait",
        ],
        ..PLAIN
    },
    Wrapper {
        names: &[
            "nohup",
            "setsid",
            "exec",
            "command",
            "builtin",
            "call",
            "unbuffer",
            "catchsegv",
            "fakeroot",
            "dbus-run-session",
            "stdbuf",
            "time",
            "tini",
            "dumb-init",
            "catatonit",
        ],
        with_value: &["-a", "-i", "-o", "-e", "-f", "--input", "--output", "--error"],
        ..PLAIN
    },
    Wrapper { names: &["caffeinate"], with_value: &["-t", "-w"], ..PLAIN },
    Wrapper {
        names: &["systemd-run"],
        with_value: &["-p", "--property", "-u", "--unit", "-E", "--setenv", "--slice", "--uid", "--gid"],
        ..PLAIN
    },
    Wrapper { names: &["chroot"], operands: 1, ..PLAIN },
    Wrapper {
        names: &["unshare", "nsenter", "firejail", "setpriv", "prlimit", "arch", "rosetta"],
        with_value: &["-t", "--target"],
        ..PLAIN
    },
    Wrapper {
        names: &["bwrap", "distrobox", "toolbox", "flatpak-spawn", "proot", "start", "minijail0", "capsh"],
        searched: true,
        ..PLAIN
    },
    Wrapper { names: &["script"], with_value: &["-c", "--command"], line_options: &["-c", "--command"], ..PLAIN },
    // Environment files and secret stores: the command follows, its variables come from elsewhere.
    Wrapper {
        names: &["dotenv", "dotenv-cli", "env-cmd"],
        with_value: &["-e", "-f", "--file", "-v", "-p", "-c"],
        env_file: &["-e", "-f", "--file"],
        ..PLAIN
    },
    Wrapper {
        names: &["dotenvx"],
        verbs: &["run"],
        with_value: &["-f", "--env-file", "-e", "--env", "-fk"],
        env_file: &["-f", "--env-file"],
        ..PLAIN
    },
    Wrapper {
        names: &["dotenv"],
        verbs: &["run"],
        with_value: &["-f", "--file"],
        env_file: &["-f", "--file"],
        ..PLAIN
    },
    Wrapper {
        names: &["op"],
        verbs: &["run"],
        with_value: &["--env-file", "--account", "--cache"],
        env_file: &["--env-file"],
        ..PLAIN
    },
    Wrapper {
        names: &["doppler", "infisical", "teller", "secretspec", "berglas", "bws", "akeyless", "keyring-run", "fnox"],
        verbs: &["run", "exec"],
        with_value: &[
            "-p",
            "--project",
            "-c",
            "--config",
            "-e",
            "--env",
            "--path",
            "--token",
            "--projectId",
            "--command",
        ],
        line_options: &["--command"],
        ..PLAIN
    },
    Wrapper {
        names: &["aws-vault", "chamber", "envconsul", "granted", "assume"],
        verbs: &["exec"],
        with_value: &["-d", "--duration", "-b", "--backend"],
        operands: 1,
        ..PLAIN
    },
    Wrapper { names: &["envchain", "with-env"], operands: 1, ..PLAIN },
    Wrapper { names: &["direnv"], verbs: &["exec"], operands: 1, ..PLAIN },
    // Version managers and environments.
    Wrapper {
        names: &[
            "mise", "rtx", "asdf", "proto", "hermit", "pixi", "devbox", "rye", "pdm", "poetry", "pipenv", "hatch",
            "volta", "fnm", "pkgx",
        ],
        verbs: &["exec", "x", "run"],
        with_value: &["--using", "-C", "--cd", "--node", "-e", "--environment", "--manifest-path", "-c", "--config"],
        ..PLAIN
    },
    Wrapper { names: &["nvm"], verbs: &["exec", "run"], operands: 1, ..PLAIN },
    Wrapper {
        names: &["conda", "mamba", "micromamba"],
        verbs: &["run"],
        with_value: &["-n", "--name", "-p", "--prefix", "--cwd"],
        ..PLAIN
    },
    Wrapper {
        names: &["nix-shell"],
        with_value: &["--run", "--command", "-p", "--packages", "-I", "--argstr"],
        line_options: &["--run", "--command"],
        ..PLAIN
    },
    Wrapper { names: &["nix"], verbs: &["develop", "shell"], with_value: &["-c", "--command"], operands: 1, ..PLAIN },
    Wrapper {
        names: &["kubectl", "oc"],
        verbs: &["exec"],
        with_value: &["-n", "--namespace", "-c", "--container", "--context", "--kubeconfig"],
        operands: 1,
        ..PLAIN
    },
];

/// Shells that take a line with `-c`.
pub(super) const SHELLS: &[&str] = &["sh", "bash", "zsh", "dash", "ksh", "ash", "fish", "mksh", "rbash"];

/// Programs that start servers: when one of these heads a nested text, the text is a command line.
const STARTERS: &[&str] = &[
    "npx",
    "npm",
    "pnpm",
    "pnpx",
    "yarn",
    "bunx",
    "bun",
    "uvx",
    "uv",
    "pipx",
    "node",
    "nodejs",
    "tsx",
    "ts-node",
    "deno",
    "docker",
    "podman",
    "nerdctl",
    "dnx",
    "dotnet",
    "go",
    "cargo",
    "java",
    "ruby",
    "php",
    "perl",
    "cmd",
    "powershell",
    "pwsh",
    "wsl",
    "ssh",
    "busybox",
    "eval",
    "corepack",
];

/// Does this plain name belong to a shell, wrapper, or runner?
pub(super) fn is_starter(name: &str) -> bool {
    STARTERS.contains(&name)
        || SHELLS.contains(&name)
        || is_python(name)
        || WRAPPERS.iter().any(|w| w.names.contains(&name))
}

/// `python`, `python3`, `python3.12`, `py`, `pypy3`.
pub(super) fn is_python(name: &str) -> bool {
    name == "py"
        || ["python", "pypy"]
            .iter()
            .any(|p| name.strip_prefix(p).is_some_and(|rest| rest.chars().all(|c| c.is_ascii_digit() || c == '.')))
}

/// Commands of a shell line that start nothing.
pub(super) const TRIVIAL: &[&str] = &[
    "cd", "pushd", "popd", "export", "source", ".", "set", "unset", "echo", "printf", "true", "false", "test", "[",
    "sleep", "mkdir", "umask", "ulimit", "trap", "tee", "cat", "grep", "sed", "jq", "chmod", "chown", "touch", "ls",
    "pwd", "wait", "read", "alias", "shift", "exit", "return", "type", "which", "eval", "kill", "rm", "cp", "mv", "ln",
    "title", "rem", "cls", "@echo", "chcp", "awk", "tr", "cut",
];
