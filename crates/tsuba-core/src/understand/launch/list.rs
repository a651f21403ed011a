//! The commands of a shell line: which of them serves, what is fetched and run, and what only passes by.

use super::unwrap::{Unwrapper, assignment};
use super::windows::{self, Dialect};
use super::wrappers::{self, SHELLS, TRIVIAL};
use super::{Step, StepKind, Variable, program_name, shell};
use crate::prelude::*;
use crate::text::Located;

impl Unwrapper<'_> {
    /// Splits a line into its commands, each with whether it is piped on. `None` is a POSIX shell.
    pub(super) fn split(&mut self, line: &Located, dialect: Option<Dialect>) -> Vec<(Vec<Located>, bool)> {
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
    pub(super) fn list(&mut self, commands: Vec<(Vec<Located>, bool)>) {
        let mut fed_by: Option<Located> = None;
        // Files written by fetching commands, and where they come from.
        let mut written: Vec<(String, Located)> = Vec::new();
        // The fetching command that a running one before it has used up.
        let mut taken = 0;
        let serving = commands
            .iter()
            .rposition(|(words, _)| words.first().is_some_and(|w| !TRIVIAL.contains(&program_name(&w.text).as_str())));
        for (index, (words, piped_on)) in commands.iter().enumerate() {
            let Some(first) = words.first().filter(|_| index == 0 || index != taken) else { continue };
            let name = program_name(&first.text);
            let address = fetched(words);
            if let Some(address) = fed_by.take() {
                if runs_text(&name) {
                    self.remote_script(&address);
                    self.plan.passing.push(words.clone());
                    continue;
                }
                // `curl … | base64 -d | sh`: what a filter passes on is still what was fetched.
                fed_by = Some(address).filter(|_| *piped_on);
            }
            let run =
                if runs_text(&name) { words.get(1..).unwrap_or_default() } else { words.get(..1).unwrap_or_default() };
            let is = |file: &str, word: &str| word == file || word.strip_prefix("./") == Some(file);
            let fetched_file = run.iter().find_map(|w| written.iter().find(|(file, _)| is(file, &w.text)));
            if let Some((_, address)) = fetched_file {
                self.remote_script(&address.clone());
                self.plan.passing.push(words.clone());
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
            if let Some(address) = address
                && let Some(file) = output_file(words, &address.text)
            {
                written.push((file, address.clone()));
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
        self.plan.steps.push(Step::new(address, kind));
    }
}

/// The file into which a fetching command writes: named by an option (also the last of a cluster, `-fsSLo FILE`), else
/// called like the end of the address.
fn output_file(words: &[Located], address: &str) -> Option<String> {
    let short = |word: &str, letter| word.starts_with('-') && !word.starts_with("--") && word.ends_with(letter);
    let wget = words.first().is_some_and(|w| program_name(&w.text) == "wget");
    let names =
        |word: &str| matches!(word, "--output" | "--output-document") || short(word, if wget { 'O' } else { 'o' });
    let named = words.iter().position(|w| names(&w.text)).and_then(|at| words.get(at + 1)).map(|w| w.text.clone());
    let inline = || words.iter().find_map(|w| w.text.strip_prefix("--output=").map(ToOwned::to_owned));
    let called = || {
        let like_address = wget || words.iter().any(|w| w.text == "--remote-name" || short(&w.text, 'O'));
        let end = address.split(['?', '#']).next().and_then(|path| path.rsplit('/').next());
        end.filter(|_| like_address).map(ToOwned::to_owned)
    };
    named.or_else(inline).or_else(called).filter(|file| !file.is_empty() && file != "-")
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
