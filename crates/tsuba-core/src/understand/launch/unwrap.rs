//! Following a chain: dispatch by program, to any depth within bounds.

use super::options::{self, Parsed};
use super::windows::Dialect;
use super::wrappers::{self, SHELLS, WRAPPERS, Wrapper};
use super::{Package, Plan, Step, StepKind, Variable, bridge, container, npm, program_name, python, runtime};
use crate::prelude::*;
use crate::text::Located;

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
        // No shell reads the words, but whoever wrote `&&` among them meant one, and some clients start one.
        words if words.iter().any(|w| is_operator(&w.text)) => {
            let commands = words
                .split_inclusive(|w| is_operator(&w.text))
                .map(|part| match part {
                    [words @ .., last] if is_operator(&last.text) => (words.to_vec(), last.text == "|"),
                    words => (words.to_vec(), false),
                })
                .filter(|(words, _)| !words.is_empty())
                .collect();
            unwrapper.list(commands);
        }
        words => unwrapper.run(words),
    }
    let mut plan = unwrapper.plan;
    if plan.not_understood.is_none() && starts_nothing(&plan) {
        plan.not_understood = Some("it starts another program, and none is named");
    }
    plan
}

/// Does a chain end at a program that starts others, or that only passes on?
fn starts_nothing(plan: &Plan) -> bool {
    plan.steps.last().is_some_and(|step| match step.kind {
        StepKind::Wrapper => true,
        StepKind::Program => !step.bridge && is_command(&step.program.text),
        _ => false,
    })
}

pub(super) fn is_operator(word: &str) -> bool {
    matches!(word, "&&" | "||" | "|" | ";")
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
            "su" => self.su(program, args),
            "eval" => {
                // What a substitution prints is not known; what it fetches is told where the line was split.
                let mut lines = args.iter().filter(|line| !line.text.starts_with(['$', '`'])).peekable();
                if lines.peek().is_some() {
                    self.wrapper(program, &[]);
                }
                lines.for_each(|line| self.line(line));
            }
            "npx" | "pnpx" | "npm" | "pnpm" | "yarn" | "bunx" | "corepack" => npm::run(self, program, &name, args),
            "bun" if args.first().is_some_and(|w| w.text == "x") => {
                npm::run(self, program, "bunx", args.get(1..).unwrap_or_default())
            }
            "uvx" | "uv" | "pipx" | "pip" | "pip3" => {
                python::run(self, program, if name == "pip3" { "pip" } else { &name }, args)
            }
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
        if wrapper.searched {
            return match args.iter().position(|w| is_command(&w.text)) {
                Some(at) => {
                    self.wrapper(program, args.get(..at).unwrap_or_default());
                    self.run(args.get(at..).unwrap_or_default());
                }
                None => self.server(program, StepKind::Program, args, &[]),
            };
        }
        let outer = options::parse(self.source, args, wrapper.with_value);
        let inner = match outer.rest {
            [verb, rest @ ..] if wrapper.verbs.contains(&verb.text.as_str()) => {
                options::parse(self.source, rest, wrapper.with_value)
            }
            _ => Parsed { options: Vec::new(), rest: outer.rest, consumed: &[], separated: outer.separated },
        };
        // `exec deploy/tide -n harbour -- node s.js`: behind `--` stands the command, whatever stands before it.
        let end = inner.rest.iter().position(|w| w.text == "--");
        let begins = inner.rest.first().is_some_and(|w| is_command(&w.text));
        let count = match end.filter(|_| !begins && !inner.separated) {
            Some(end) => end,
            // `taskset -c 0 npx`: the operand was given as an option.
            None if wrapper.operands > 0 && begins => 0,
            None => wrapper.operands,
        };
        let operands = inner.rest.get(..count).unwrap_or_default();
        let given: Vec<Located> = outer.consumed.iter().chain(inner.consumed).chain(operands).cloned().collect();
        self.wrapper(program, &given);
        for parsed in [&outer, &inner] {
            self.plan.env_files.extend(parsed.values(wrapper.env_file).cloned());
        }
        let mut rest = inner.rest.get(count..).unwrap_or_default();
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

    /// Follows a shell line.
    pub(super) fn line(&mut self, line: &Located) {
        self.plan.shell_lines.push(line.clone());
        let commands = self.split(line, None);
        self.list(commands);
    }

    /// Adds a wrapper step.
    pub(super) fn wrapper(&mut self, program: &Located, options: &[Located]) {
        let options = options.to_vec();
        self.plan.steps.push(Step { options, ..Step::new(program, StepKind::Wrapper) });
    }

    /// Adds a package that is started. Where what it starts is itself a runtime or wrapper (`npx tsx server.ts`,
    /// `npx dotenv-cli -- npx …`), the package stands around what that runs.
    pub(super) fn package(&mut self, program: &Located, package: Package, args: &[Located], options: &[Located]) {
        let bare = package.name.rsplit('/').next().unwrap_or(&package.name).to_owned();
        if !args.is_empty() && (is_command(&bare) || bare == "dotenv-cli") {
            let spec = package.spec.clone();
            self.plan.steps.push(Step { options: options.to_vec(), ..Step::new(program, StepKind::Package(package)) });
            let words: Vec<Located> = core::iter::once(spec.with_text(bare)).chain(args.iter().cloned()).collect();
            return self.run(&words);
        }
        self.server(program, StepKind::Package(package), args, options);
    }

    /// Adds packages that are installed before something else runs.
    pub(super) fn installed(&mut self, program: &Located, packages: impl Iterator<Item = Package>) {
        for package in packages {
            self.plan.steps.push(Step::new(program, StepKind::Package(package)));
        }
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
pub(super) fn assignment(source: &str, word: &Located) -> Option<(String, Located)> {
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

/// Does this word begin a command?
pub(in crate::understand) fn is_command(word: &str) -> bool {
    wrappers::is_starter(&program_name(word))
}
