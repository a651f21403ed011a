use crate::judge::{Check, Circumstance, Confidence, Entries, Out, Rule, Severity, Verdict};
use crate::prelude::*;
use crate::understand::Asks;
use crate::understand::launch::StepKind;

pub(super) static RULE: Rule = Rule {
    id: "power/shell",
    title: "the server hands the model a shell",
    severity: Severity::High,
    verdict: Verdict::Refuse,
    says: "{name} lets the model run any command",
    why: "Every text the model reads can then become a command on this machine, with this person's rights and keys.",
    fix: "Use a server with the few commands needed, or run it in a container without network and without the home folder.",
    before: r#"{ "mcpServers": { "siren-shell": { "command": "siren-shell" } } }"#,
    after: r#"{ "mcpServers": { "siren-status": { "command": "siren-status" } } }"#,
    references: &["CWE-78", "CWE-77"],
    check: Check::Entry(check),
};

/// Words in a server's name that say it runs commands.
const SHELLS: &[&str] = &["shell", "terminal", "bash", "commander", "powershell", "cmd", "tty", "console"];

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    let named = |text: &str| crate::understand::credential::words_of(text).iter().any(|w| SHELLS.contains(&w.as_str()));
    let contained = entry.plan.as_ref().is_some_and(|plan| plan.containers().next().is_some());
    let server = entry.plan.as_ref().and_then(|plan| plan.server());
    let place = match server.map(|step| &step.kind) {
        Some(StepKind::Package(package)) if named(package.name.rsplit('/').next().unwrap_or_default()) => {
            Some(&package.spec)
        }
        Some(StepKind::Container(container))
            if named(container.reference.repository.rsplit('/').next().unwrap_or_default()) =>
        {
            Some(&container.image)
        }
        Some(StepKind::Program | StepKind::Script(_))
            if server.is_some_and(|s| named(&s.name()) && !is_a_shell(&s.name())) =>
        {
            server.map(|s| &s.program)
        }
        _ if named(&entry.name.text) && entry.plan.is_some() => Some(&entry.name),
        _ => None,
    };
    if let Some(place) = place {
        let hit = out.hit(place);
        hit.word("name", &entry.name.text).sure(Confidence::Likely).because_if(contained, Circumstance::Weak);
        hit.because_if(matches!(entry.asks(), Asks::Never), Circumstance::Unasked);
    }
    for tool in &entry.unasked.tools {
        let words = crate::understand::credential::words_of(&tool.text);
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
                .word("name", format!("{} with the tool {}, which runs unasked,", entry.name.text, tool.text))
                .because(Circumstance::Unasked);
        }
    }
}

/// A script started by a shell is no server that hands out a shell.
fn is_a_shell(name: &str) -> bool {
    matches!(name, "sh" | "bash" | "zsh" | "dash" | "ksh" | "fish" | "cmd" | "powershell" | "pwsh")
}
