use crate::judge::{Check, Entries, Out, Rule, Verdict, Ways};
use crate::severity::{Confidence, Severity};
use crate::text::Located;
use crate::understand::launch::{Step, StepKind};

pub(super) static RULE: Rule = Rule {
    id: "supply/writable-program",
    title: "local program that others can change",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{program} is started from {place}",
    why: "Programs and people without any right of this person can put another program there, and it will be started with this person's rights and secrets.",
    fix: "Install it into a folder that only administrators or its owner can write, and name it by its full path.",
    before: r#"{ "mcpServers": { "berth-board": { "command": "/tmp/berth-board/server" } } }"#,
    after: r#"{ "mcpServers": { "berth-board": { "command": "/opt/saltmarsh/bin/berth-board" } } }"#,
    references: &["CWE-427", "CWE-732"],
    ways: Ways::PLAIN.formerly("supply/loose-local"),
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    for step in entries.entry.plan.iter().flat_map(|plan| &plan.steps) {
        let Some(program) = file(step) else { continue };
        if let Some(place) = place(&program.text) {
            out.hit(program).arg("program", &program.text).arg("place", place).confidence(Confidence::Likely);
        }
    }
}

fn file(step: &Step) -> Option<&Located> {
    match &step.kind {
        StepKind::Script(script) => Some(script),
        StepKind::Program | StepKind::Wrapper => Some(&step.program),
        StepKind::Package(_) | StepKind::Container(_) | StepKind::RemoteScript(_) | StepKind::Inline(_) => None,
    }
}

fn place(path: &str) -> Option<&'static str> {
    let lower = path.to_ascii_lowercase().replace('\\', "/");
    let shared = [
        "/tmp/",
        "/var/tmp/",
        "/dev/shm/",
        "/private/tmp/",
        "/users/public/",
        "c:/temp/",
        "c:/windows/temp/",
        "c:/users/public/",
        "$tmpdir",
        "%temp%",
        "%tmp%",
        "${tmpdir",
        "$env:temp",
    ];
    if shared.iter().any(|s| lower.starts_with(s)) {
        return Some("a folder that everybody can write to");
    }
    if lower.contains("/downloads/") || lower.starts_with("downloads/") {
        return Some("a download folder, where every web page can put files");
    }
    if lower.starts_with("//") {
        return Some("a network share");
    }
    None
}
