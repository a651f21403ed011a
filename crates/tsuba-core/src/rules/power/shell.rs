use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::understand::Asks;
use crate::understand::launch::StepKind;

pub(super) static RULE: Rule = Rule {
    id: "power/shell",
    title: "server gives the model a shell",
    severity: Severity::High,
    verdict: Verdict::Refuse,
    message: "{name} lets the model run any command",
    why: "Every text the model reads can then become a command on this machine, with this person's rights and keys.",
    fix: "Use a server with the few commands needed, or run it in a container without network and without the home folder.",
    before: r#"{ "mcpServers": { "siren-shell": { "command": "siren-shell" } } }"#,
    after: r#"{ "mcpServers": { "siren-status": { "command": "siren-status" } } }"#,
    references: &["CWE-78", "CWE-77"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

/// Words in a server's name that say it runs commands.
const SHELLS: &[&str] = &["shell", "bash", "commander", "powershell", "zsh", "tty", "ssh", "tmux"];
/// Words that may mean it: a harbour has terminals too.
const PERHAPS: &[&str] = &["terminal", "repl", "cmd", "interpreter", "iterm"];
/// Together they say it: what is run, and that it is run.
const RUN: &[&str] = &["run", "runner", "exec", "executor", "execute", "execution"];
const WHAT: &[&str] = &["command", "commands", "code", "script", "scripts", "process", "cli"];

/// How plainly a name says that its server hands out a shell.
fn says(name: &str) -> Option<Confidence> {
    let words = crate::text::words_of(name);
    let has = |list: &[&str]| words.iter().any(|w| list.contains(&w.as_str()));
    if has(SHELLS) || (has(RUN) && has(WHAT)) {
        Some(Confidence::Likely)
    } else {
        has(PERHAPS).then_some(Confidence::Possible)
    }
}

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    let contained = entry.plan.as_ref().is_some_and(|plan| plan.containers().next().is_some());
    let server = entry.plan.as_ref().and_then(|plan| plan.server());
    let last = |text: &str| says(text.rsplit('/').next().unwrap_or_default());
    let found = server.and_then(|step| match &step.kind {
        StepKind::Package(package) => last(&package.name).map(|sure| (&package.spec, sure)),
        StepKind::Container(container) => last(&container.reference.repository).map(|sure| (&container.image, sure)),
        StepKind::Program | StepKind::Script(_) if !is_a_shell(&step.name()) => {
            says(&step.name()).map(|sure| (&step.program, sure))
        }
        StepKind::Program
        | StepKind::Script(_)
        | StepKind::Wrapper
        | StepKind::RemoteScript(_)
        | StepKind::Inline(_) => None,
    });
    let named = || says(&entry.name.text).filter(|_| entry.plan.is_some()).map(|sure| (&entry.name, sure));
    if let Some((place, sure)) = found.or_else(named) {
        let hit = out.hit(place);
        hit.arg("name", &entry.name.text).confidence(sure).circumstance_if(contained, Circumstance::Weak);
        hit.circumstance_if(sure == Confidence::Possible, Circumstance::Weak);
        hit.circumstance_if(matches!(entry.asks(), Asks::Never), Circumstance::Unasked);
    }
    for tool in &entry.unasked.tools {
        let words = crate::text::words_of(&tool.text);
        let runs =
            words.iter().any(|w| matches!(w.as_str(), "execute" | "exec" | "run" | "shell" | "bash" | "terminal"))
                && words.iter().any(|w| {
                    matches!(
                        w.as_str(),
                        "command" | "commands" | "shell" | "bash" | "terminal" | "script" | "code" | "process"
                    )
                });
        if runs {
            out.hit(tool)
                .arg("name", format!("{} with the tool {}, which runs unasked,", entry.name.text, tool.text))
                .circumstance(Circumstance::Unasked);
        }
    }
}

/// A script started by a shell is no server that hands out a shell.
fn is_a_shell(name: &str) -> bool {
    matches!(name, "sh" | "bash" | "zsh" | "dash" | "ksh" | "fish" | "cmd" | "powershell" | "pwsh")
}
