//! Programs that are handed a whole command line: shells of every kind, `ssh`, `su`.

use super::unwrap::{Unwrapper, is_operator};
use super::windows::{self, Dialect};
use super::{StepKind, options};
use crate::prelude::*;
use crate::text::Located;

impl Unwrapper<'_> {
    pub(super) fn shell(&mut self, program: &Located, args: &[Located]) {
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

    pub(super) fn cmd(&mut self, program: &Located, args: &[Located]) {
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
                for part in words.split(|w| is_operator(&w.text) || w.text == "&") {
                    self.run(part);
                }
            }
        }
    }

    pub(super) fn powershell(&mut self, program: &Located, args: &[Located]) {
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

    pub(super) fn ssh(&mut self, program: &Located, args: &[Located]) {
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

    /// `su [-] [USER] -c LINE`: options may follow the user.
    pub(super) fn su(&mut self, program: &Located, args: &[Located]) {
        let at = args.iter().position(|w| matches!(w.text.as_str(), "-c" | "--command"));
        let inline = || args.iter().find_map(|w| w.text.strip_prefix("--command=").map(|line| w.with_text(line)));
        self.wrapper(program, args);
        match at.and_then(|at| args.get(at + 1)).cloned().or_else(inline) {
            Some(line) => self.line(&line),
            None => {
                self.plan.not_understood = Some("another user's login shell is started, and what it runs is not said")
            }
        }
    }
}
