//! Following a chain: dispatch by program, to any depth within bounds.

use super::options::{self, Parsed};
use super::wrappers::{self, SHELLS, TRIVIAL, WRAPPERS, Wrapper};
use super::{Plan, Step, StepKind, Variable, bridge, container, npm, program_name, python, runtime, shell, windows};
use crate::prelude::*;
use crate::text::Located;
use windows::Dialect;

/// Chains nested deeper than this are not followed: nothing honest is.
const MAX_DEPTH: usize = 16;
/// More steps than this are not kept.
const MAX_STEPS: usize = 64;

/// Unwraps a command line given as a program and its arguments, with places in `source`.
/// A program given as one text with spaces is split first.
pub fn unwrap(source: &str, command: &[Located]) -> Plan {
    let mut unwrapper = Unwrapper { source, plan: Plan::default(), depth: 0 };
    match command {
        [] => {}
        [program, rest @ ..] if is_a_line(&program.text) => {
            let dialect = if looks_windows(&program.text) { Some(Dialect::Cmd) } else { None };
            let mut commands = unwrapper.split(program, dialect);
            // Arguments beside a line belong to its last command.
            if let Some((words, _)) = commands.last_mut() {
                words.extend(rest.iter().cloned());
            }
            unwrapper.list(commands);
        }
        words => unwrapper.run(words),
    }
    unwrapper.plan
}

/// Is a `command` a line rather than a program's path with spaces in it?
fn is_a_line(command: &str) -> bool {
    let trimmed = command.trim();
    let Some((first, rest)) = trimmed.split_once(char::is_whitespace) else { return false };
    // `C:\Program Files\…`, `/Applications/Some Tool.app/…`: the path goes on behind the space.
    let path = (first.contains(['/', '\\']))
        && rest.contains(['/', '\\'])
        && !rest.contains(" -")
        && !wrappers::is_starter(&program_name(first));
    !path
}

fn looks_windows(line: &str) -> bool {
    line.contains('\\') && !line.contains("\\ ") && !line.contains("\\\"")
}

pub(super) struct Unwrapper<'s> {
    pub(super) source: &'s str,
    pub(super) plan: Plan,
    depth: usize,
}

impl Unwrapper<'_> {
    /// Follows one command line given as words.
    pub(super) fn run(&mut self, words: &[Located]) {
        let Some((program, args)) = words.split_first() else { return };
        if self.depth >= MAX_DEPTH || self.plan.steps.len() >= MAX_STEPS {
            self.plan.not_understood = Some("nested too deeply to follow");
            return;
        }
        self.depth += 1;
        self.dispatch(program, args);
        self.depth -= 1;
    }

    fn dispatch(&mut self, program: &Located, args: &[Located]) {
        let name = program_name(&program.text);
        if let Some((variable, value)) = assignment(self.source, program) {
            self.plan.variables.push(Variable { name: variable, value, passed_on: false, in_shell: true });
            return self.run(args);
        }
        match name.as_str() {
            name if SHELLS.contains(&name) => self.shell(program, args),
            "busybox" => {
                self.wrapper(program, &[]);
                self.run(args);
            }
            "cmd" => self.cmd(program, args),
            "powershell" | "pwsh" => self.powershell(program, args),
            "wsl" => {
                let parsed = options::parse(self.source, args, &["-d", "--distribution", "-u", "--user", "--cd"]);
                let rest = if parsed.rest.first().is_some_and(|w| w.text == "--exec" || w.text == "-e") {
                    parsed.rest.get(1..).unwrap_or_default()
                } else {
                    parsed.rest
                };
                self.wrapper(program, parsed.consumed);
                self.run(rest);
            }
            "ssh" => self.ssh(program, args),
            "eval" => {
                self.wrapper(program, &[]);
                args.iter().for_each(|line| self.line(line));
            }
            "npx" | "pnpx" | "npm" | "pnpm" | "yarn" | "bunx" | "corepack" => npm::run(self, program, &name, args),
            "bun" if args.first().is_some_and(|w| w.text == "x") => {
                npm::run(self, program, "bunx", args.get(1..).unwrap_or_default())
            }
            "uvx" | "uv" | "pipx" => python::run(self, program, &name, args),
            name if wrappers::is_python(name) => python::interpreter(self, program, args),
            "docker" | "podman" | "nerdctl" => container::run(self, program, args),
            _ => {
                let wrapper =
                    WRAPPERS.iter().filter(|w| w.names.contains(&name.as_str())).find(|w| fits(self.source, w, args));
                match wrapper {
                    Some(wrapper) => self.pass_on(program, wrapper, args),
                    None => runtime::run(self, program, &name, args),
                }
            }
        }
    }

    /// A wrapper from the table.
    fn pass_on(&mut self, program: &Located, wrapper: &Wrapper, args: &[Located]) {
        let outer = options::parse(self.source, args, wrapper.with_value);
        let inner = match outer.rest {
            [verb, rest @ ..] if wrapper.verbs.contains(&verb.text.as_str()) => {
                options::parse(self.source, rest, wrapper.with_value)
            }
            _ => Parsed { options: Vec::new(), rest: outer.rest, consumed: &[], separated: outer.separated },
        };
        let operands = inner.rest.get(..wrapper.operands).unwrap_or_default();
        let given: Vec<Located> = outer.consumed.iter().chain(inner.consumed).chain(operands).cloned().collect();
        self.wrapper(program, &given);
        for parsed in [&outer, &inner] {
            self.plan.env_files.extend(parsed.values(wrapper.env_file).cloned());
        }
        let mut rest = inner.rest.get(wrapper.operands..).unwrap_or_default();
        if rest.first().is_some_and(|w| w.text == "--") {
            rest = rest.get(1..).unwrap_or_default();
        }
        if wrapper.assigns {
            while let Some((name, value)) = rest.first().and_then(|word| assignment(self.source, word)) {
                self.plan.variables.push(Variable { name, value, passed_on: false, in_shell: false });
                rest = rest.get(1..).unwrap_or_default();
            }
        }
        let lines: Vec<Located> =
            [&outer, &inner].iter().flat_map(|p| p.values(wrapper.line_options)).cloned().collect();
        match lines.first() {
            Some(line) => self.line(line),
            None if rest.len() == 1 && rest.first().is_some_and(|w| is_a_line(&w.text) && w.text.contains(' ')) => {
                rest.iter().for_each(|w| self.line(w))
            }
            None => self.run(rest),
        }
    }

    fn shell(&mut self, program: &Located, args: &[Located]) {
        let parsed = options::parse(self.source, args, &["-o", "-O", "--rcfile", "--init-file", "--command"]);
        if parsed.has(&["-c"]) || parsed.has(&["--command"]) {
            self.wrapper(program, parsed.consumed);
            match parsed.values(&["--command"]).next().or(parsed.rest.first()) {
                Some(line) => self.line(line),
                None => self.plan.not_understood = Some("a shell is told to run a line, but no line is given"),
            }
        } else if let Some((script, rest)) = parsed.rest.split_first() {
            let kind = StepKind::Script(script.clone());
            self.server(program, kind, rest, parsed.consumed);
        } else {
            self.server(program, StepKind::Program, args, &[]);
        }
    }

    fn cmd(&mut self, program: &Located, args: &[Located]) {
        let switch = args.iter().position(|w| matches!(w.text.to_ascii_lowercase().as_str(), "/c" | "/k" | "/r"));
        let Some(at) = switch else { return self.server(program, StepKind::Program, args, &[]) };
        self.wrapper(program, args.get(..=at).unwrap_or_default());
        match args.get(at + 1..).unwrap_or_default() {
            [line] => {
                let commands = self.split(line, Some(Dialect::Cmd));
                self.plan.shell_lines.push(line.clone());
                self.list(commands);
            }
            words => {
                // `&&` and `|` as words of their own.
                for part in words.split(|w| matches!(w.text.as_str(), "&&" | "&" | "|" | "||")) {
                    self.run(part);
                }
            }
        }
    }

    fn powershell(&mut self, program: &Located, args: &[Located]) {
        let abbreviates = |word: &Located, full: &str, least: usize| {
            let text = word.text.to_ascii_lowercase();
            text.len() > least && full.starts_with(text.as_str())
        };
        let mut at = 0;
        while let Some(word) = args.get(at) {
            let rest = args.get(at + 1..).unwrap_or_default();
            if abbreviates(word, "-command", 1) {
                self.wrapper(program, args.get(..=at).unwrap_or_default());
                if let [line] = rest {
                    let commands = self.split(line, Some(Dialect::PowerShell));
                    self.plan.shell_lines.push(line.clone());
                    return self.list(commands);
                }
                return self.run(rest);
            }
            if abbreviates(word, "-encodedcommand", 1) || word.text.eq_ignore_ascii_case("-ec") {
                self.wrapper(program, args.get(..=at).unwrap_or_default());
                let Some(text) = rest.first().and_then(|w| windows::decode_command(&w.text)) else {
                    self.plan.not_understood = Some("an encoded PowerShell command cannot be decoded");
                    return;
                };
                let line = rest.first().map(|w| w.with_text(text)).unwrap_or_default();
                let commands = self.split(&line, Some(Dialect::PowerShell));
                self.plan.shell_lines.push(line);
                return self.list(commands);
            }
            if abbreviates(word, "-file", 1)
                && let Some((script, rest)) = rest.split_first()
            {
                return self.server(
                    program,
                    StepKind::Script(script.clone()),
                    rest,
                    args.get(..=at).unwrap_or_default(),
                );
            }
            if !word.text.starts_with('-') {
                // A first operand is a command.
                self.wrapper(program, args.get(..at).unwrap_or_default());
                return self.run(args.get(at..).unwrap_or_default());
            }
            let valued = [
                "-executionpolicy",
                "-workingdirectory",
                "-windowstyle",
                "-version",
                "-configurationname",
                "-settingsfile",
                "-ep",
            ];
            at += if valued.iter().any(|v| abbreviates(word, v, 2)) { 2 } else { 1 };
        }
        self.server(program, StepKind::Program, args, &[]);
    }

    fn ssh(&mut self, program: &Located, args: &[Located]) {
        let with_value = [
            "-p", "-l", "-i", "-o", "-F", "-J", "-L", "-R", "-D", "-b", "-c", "-E", "-e", "-I", "-m", "-O", "-Q", "-S",
            "-W", "-w", "-B",
        ];
        let parsed = options::parse(self.source, args, &with_value);
        let Some((host, rest)) = parsed.rest.split_first() else {
            return self.server(program, StepKind::Program, args, &[]);
        };
        // Options may follow the host.
        let behind = options::parse(self.source, rest, &with_value);
        let given: Vec<Located> = parsed.consumed.iter().chain([host]).chain(behind.consumed).cloned().collect();
        self.wrapper(program, &given);
        match behind.rest {
            [line] => self.line(line),
            words => self.run(words),
        }
    }

    /// Follows a shell line.
    pub(super) fn line(&mut self, line: &Located) {
        self.plan.shell_lines.push(line.clone());
        let commands = self.split(line, None);
        self.list(commands);
    }

    /// Splits a line into its commands, each with whether it is piped on. `None` is a POSIX shell.
    fn split(&mut self, line: &Located, dialect: Option<Dialect>) -> Vec<(Vec<Located>, bool)> {
        if let Some(dialect) = dialect {
            return windows::commands(self.source, line, dialect);
        }
        let Some(commands) = shell::commands(self.source, line) else {
            self.plan.not_understood = Some("a shell line too long to follow");
            return Vec::new();
        };
        let mut out = Vec::new();
        for command in commands {
            for (name, value) in command.assignments {
                self.plan.variables.push(Variable { name, value, passed_on: false, in_shell: true });
            }
            // What is fetched inside a substitution and handed to a shell or interpreter is run.
            let runs = command.words.first().is_some_and(|w| runs_text(&program_name(&w.text)));
            for inner in command.substituted.iter().filter(|_| runs) {
                if let Some(address) = fetched(inner) {
                    self.remote_script(address);
                }
            }
            self.plan.passing.extend(command.substituted);
            if !command.words.is_empty() {
                out.push((command.words, command.piped_on));
            }
        }
        out
    }

    /// Follows the commands of a line; the one that serves is the last that is not trivial.
    fn list(&mut self, commands: Vec<(Vec<Located>, bool)>) {
        let mut fed_by: Option<Located> = None;
        // The fetching command that a running one before it has used up.
        let mut taken = 0;
        let serving = commands
            .iter()
            .rposition(|(words, _)| words.first().is_some_and(|w| !TRIVIAL.contains(&program_name(&w.text).as_str())));
        for (index, (words, piped_on)) in commands.iter().enumerate() {
            let Some(first) = words.first().filter(|_| index == 0 || index != taken) else { continue };
            let name = program_name(&first.text);
            let address = fetched(words);
            if let Some(address) = fed_by.take().filter(|_| runs_text(&name)) {
                self.remote_script(&address);
                continue;
            }
            // `iex (iwr …)` comes as two commands, the running one first.
            if matches!(name.as_str(), "iex" | "invoke-expression") {
                match commands.get(index + 1).and_then(|(w, _)| fetched(w)) {
                    Some(address) => {
                        self.remote_script(address);
                        taken = index + 1;
                        self.plan.passing.extend(commands.get(taken).map(|(words, _)| words.clone()));
                    }
                    None => address.into_iter().for_each(|address| self.remote_script(address)),
                }
                self.plan.passing.push(words.clone());
                continue;
            }
            if let Some(address) = address.filter(|_| *piped_on) {
                fed_by = Some(address.clone());
                self.plan.passing.push(words.clone());
                continue;
            }
            if TRIVIAL.contains(&name.as_str()) && name != "eval" {
                self.trivial(&name, words);
                self.plan.passing.push(words.clone());
                continue;
            }
            let from = self.plan.steps.len();
            self.run(words);
            if Some(index) != serving && !(*piped_on && serving.is_some_and(|s| s > index) && self.starts_server(from))
            {
                self.plan.steps.iter_mut().skip(from).for_each(|step| step.aside = true);
            }
        }
    }

    /// Did the steps from `from` on fetch a package or image? In a pipe the server may be any of the commands.
    fn starts_server(&self, from: usize) -> bool {
        self.plan.steps.iter().skip(from).any(|step| matches!(step.kind, StepKind::Package(_) | StepKind::Container(_)))
    }

    fn trivial(&mut self, name: &str, words: &[Located]) {
        if matches!(name, "source" | ".") {
            self.plan.env_files.extend(words.get(1).filter(|w| w.text.contains(".env")).cloned());
        }
        if matches!(name, "set" | "export") {
            for word in words.iter().skip(1) {
                if let Some((name, value)) = assignment(self.source, word) {
                    self.plan.variables.push(Variable { name, value, passed_on: false, in_shell: true });
                }
            }
        }
    }

    fn remote_script(&mut self, address: &Located) {
        let kind = StepKind::RemoteScript(address.clone());
        self.plan.steps.push(Step {
            program: address.clone(),
            kind,
            args: Vec::new(),
            options: Vec::new(),
            bridge: false,
            aside: false,
        });
    }

    /// Adds a wrapper step.
    pub(super) fn wrapper(&mut self, program: &Located, options: &[Located]) {
        let options = options.to_vec();
        self.plan.steps.push(Step {
            program: program.clone(),
            kind: StepKind::Wrapper,
            args: Vec::new(),
            options,
            bridge: false,
            aside: false,
        });
    }

    /// Adds the step that serves, and follows what it in turn wraps.
    pub(super) fn server(&mut self, program: &Located, kind: StepKind, args: &[Located], options: &[Located]) {
        let at = self.plan.steps.len();
        let step = Step {
            program: program.clone(),
            kind,
            args: args.to_vec(),
            options: options.to_vec(),
            bridge: false,
            aside: false,
        };
        let nested = bridge::look(self.source, &step);
        self.plan.steps.push(step);
        let Some(nested) = nested else { return };
        if let Some(step) = self.plan.steps.get_mut(at) {
            step.bridge = true;
        }
        match nested {
            bridge::Nested::Words(words) => self.run(&words),
            bridge::Nested::Line(line) => {
                let depth = self.depth;
                if depth < MAX_DEPTH {
                    self.depth += 1;
                    self.line(&line);
                    self.depth = depth;
                }
            }
            bridge::Nested::Target(address) => self.plan.targets.push(address),
        }
    }
}

/// Does a table row fit these arguments? One with verbs only where a verb is the first operand.
fn fits(source: &str, wrapper: &Wrapper, args: &[Located]) -> bool {
    wrapper.verbs.is_empty()
        || options::parse(source, args, wrapper.with_value)
            .rest
            .first()
            .is_some_and(|w| wrapper.verbs.contains(&w.text.as_str()))
}

/// `NAME=value` as one word; PowerShell's `$env:NAME=value` too.
fn assignment(source: &str, word: &Located) -> Option<(String, Located)> {
    let (left, _) = word.text.split_once('=')?;
    let name = left.strip_prefix("$env:").or_else(|| left.strip_prefix("$Env:")).unwrap_or(left);
    let valid = name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
        && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    if !valid {
        return None;
    }
    let from = left.len() + 1;
    let value = word.part(source, from..word.text.len());
    let bare = value.text.trim_matches(['\'', '"']);
    let quoted = bare.len() + 2 == value.text.len();
    let value = if quoted { word.part(source, from + 1..word.text.len() - 1) } else { value };
    Some((name.to_owned(), value))
}

/// The address that a fetching command reads.
fn fetched(words: &[Located]) -> Option<&Located> {
    let name = program_name(&words.first()?.text);
    let fetches = matches!(
        name.as_str(),
        "curl"
            | "wget"
            | "fetch"
            | "aria2c"
            | "http"
            | "https"
            | "xh"
            | "iwr"
            | "irm"
            | "invoke-webrequest"
            | "invoke-restmethod"
    );
    let nested = matches!(name.as_str(), "iex" | "invoke-expression")
        && words.iter().any(|w| matches!(program_name(w.text.trim_matches(['(', ')'])).as_str(), "iwr" | "irm"));
    if !fetches && !nested {
        return None;
    }
    words.iter().skip(1).find(|w| w.text.contains("://")).or_else(|| {
        words
            .iter()
            .skip(1)
            .find(|w| w.text.contains('.') && w.text.contains('/') && !w.text.starts_with(['-', '/', '.']))
    })
}

/// Does this program run the text it is fed?
fn runs_text(name: &str) -> bool {
    SHELLS.contains(&name)
        || wrappers::is_python(name)
        || matches!(
            name,
            "node"
                | "bun"
                | "deno"
                | "ruby"
                | "perl"
                | "php"
                | "iex"
                | "invoke-expression"
                | "source"
                | "."
                | "eval"
                | "sudo"
                | "powershell"
                | "pwsh"
        )
}
