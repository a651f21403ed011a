use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "power/sensitive-path",
    title: "folder of keys or settings within reach",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{path} holds {what}",
    why: "Whoever reads it can act as this person; whoever writes it runs code at the next login.",
    fix: "Leave it out; hand over single values instead, through the environment.",
    before: r#"{ "mcpServers": { "quay-files": { "command": "docker", "args": ["run", "-i", "-v", "/home/mira/.ssh:/keys:ro", "saltmarsh/quay-files:1.4.2"] } } }"#,
    after: r#"{ "mcpServers": { "quay-files": { "command": "docker", "args": ["run", "-i", "-v", "/home/mira/quay:/data:ro", "saltmarsh/quay-files:1.4.2"] } } }"#,
    references: &["CWE-522", "CWE-732"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

/// Parts of paths, and what lies there.
const SENSITIVE: &[(&str, &str)] = &[
    (".ssh", "login keys"),
    (".aws", "cloud credentials"),
    (".azure", "cloud credentials"),
    (".gnupg", "private keys"),
    (".kube", "cluster credentials"),
    (".docker", "registry credentials"),
    (".netrc", "logins"),
    (".npmrc", "registry tokens"),
    (".pypirc", "registry tokens"),
    (".git-credentials", "logins"),
    (".config/gcloud", "cloud credentials"),
    (".password-store", "passwords"),
    (".mozilla", "browser logins"),
    (".config/google-chrome", "browser logins"),
    ("library/keychains", "passwords"),
    (".bashrc", "commands run at each login"),
    (".zshrc", "commands run at each login"),
    (".profile", "commands run at each login"),
    ("/etc/shadow", "password hashes"),
    ("/etc/passwd", "accounts"),
    ("/etc/kubernetes", "cluster credentials"),
    ("/var/run/secrets", "service credentials"),
    ("/proc", "every process and its environment"),
    ("/sys/fs", "kernel settings"),
];

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    for folder in &entries.entry.reach.folders {
        let lower = folder.path.text.replace('\\', "/").to_ascii_lowercase();
        let found = SENSITIVE.iter().find(|(part, _)| {
            let inside = if part.starts_with('/') {
                lower.starts_with(part)
            } else {
                lower.contains(&format!("/{part}")) || lower.starts_with(part)
            };
            let ends = lower
                .find(part)
                .and_then(|at| lower.get(at + part.len()..))
                .is_some_and(|rest| rest.is_empty() || rest.starts_with('/'));
            inside && ends
        });
        if let Some((_, what)) = found {
            out.hit(&folder.path)
                .arg("path", &folder.path.text)
                .arg("what", *what)
                .circumstance_if(folder.writable == Some(true), Circumstance::Writable);
        }
    }
}
