use crate::judge::{Check, Circumstance, Entries, Fix, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "power/wide-path",
    title: "whole disk or home folder within reach",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{path} is {what}",
    why: "Everything in it is the model's to read, and often to write: keys, mail, other people's projects. Text from outside only has to ask for it.",
    fix: "Give the folder the server is about.",
    before: r#"{ "mcpServers": { "quay-files": { "command": "quay-files", "args": ["/"] } } }"#,
    after: r#"{ "mcpServers": { "quay-files": { "command": "quay-files", "args": ["/srv/quay/manifests"] } } }"#,
    references: &["CWE-732", "CWE-22"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    for folder in &entries.entry.reach.folders {
        let Some((what, whole)) = width(&folder.path.text) else { continue };
        let hit = out.hit(&folder.path);
        hit.arg("path", &folder.path.text)
            .arg("what", what)
            .circumstance_if(whole && folder.writable == Some(true), Circumstance::Writable);
        hit.circumstance_if(folder.writable == Some(false), Circumstance::ReadOnly);
        // In a project the project's own folder is meant; a mount needs an address that the engine understands.
        let text = entries.source();
        if entries.analysis.document.facts.tracked.is_some() && !folder.mounted {
            let own = if text.contains("${workspaceFolder}") { "${workspaceFolder}" } else { "." };
            hit.fix(Fix::Write(own.to_owned()));
        }
    }
}

/// What a wide folder is, and whether it is the whole disk.
fn width(path: &str) -> Option<(&'static str, bool)> {
    let lower = path.replace('\\', "/").to_ascii_lowercase();
    // `\\?\C:\` and `\\.\C:\` are `C:\`, and `\\?\UNC\host` is `\\host`.
    let (device, rest) = match lower.strip_prefix("//?/").or_else(|| lower.strip_prefix("//./")) {
        Some(rest) => (true, rest),
        None => (false, lower.as_str()),
    };
    let share = rest.strip_prefix(if device { "unc/" } else { "//" });
    match share.and_then(|share| width_of_share(share, device || path.starts_with('\\'))) {
        Some(width) => width,
        None => width_here(rest),
    }
}

/// The same for what lies on another machine or in another system: `host/share/…`. `None` where it is a path with a slash too many. `plain`: it can
/// be nothing else.
fn width_of_share(path: &str, plain: bool) -> Option<Option<(&'static str, bool)>> {
    let mut parts = path.splitn(3, '/');
    let (host, share, rest) = (parts.next()?, parts.next().unwrap_or_default(), parts.next().unwrap_or_default());
    if matches!(host, "wsl$" | "wsl.localhost") {
        return Some(width_here(&format!("/{rest}")));
    }
    let administers = share.strip_suffix('$');
    Some(match administers.unwrap_or(share) {
        _ if !plain && administers.is_none() => return None,
        drive if administers.is_some() && matches!(drive.as_bytes(), [letter] if letter.is_ascii_alphabetic()) => {
            match width_here(&format!("{drive}:/{rest}")) {
                Some(("the whole disk", whole)) => Some(("the whole disk of another machine", whole)),
                other => other,
            }
        }
        "admin" if administers.is_some() && rest.is_empty() => Some(("a folder of another machine's system", true)),
        "" => Some(("every share of another machine", true)),
        "home" | "homes" | "users" | "profiles" if rest.is_empty() => Some(("the home folders of everybody", true)),
        "home" | "homes" | "users" | "profiles" if !rest.trim_end_matches('/').contains('/') => {
            Some(("a whole home folder", false))
        }
        _ => None,
    })
}

/// The same for a path of this machine, in lower case and with slashes.
fn width_here(path: &str) -> Option<(&'static str, bool)> {
    let trimmed = if path.len() > 1 { path.trim_end_matches('/') } else { path };
    let drive = matches!(trimmed.as_bytes(), [letter, b':'] if letter.is_ascii_alphabetic());
    if trimmed == "/" || trimmed.is_empty() || drive || matches!(trimmed, "/mnt/c" | "/host" | "/rootfs") {
        return Some(("the whole disk", true));
    }
    let variables = [
        "~",
        "$home",
        "${home}",
        "%userprofile%",
        "${userhome}",
        "${env:home}",
        "$env:userprofile",
        "${env:userprofile}",
        "{env:home}",
    ];
    let parts: Vec<&str> = trimmed.split('/').filter(|p| !p.is_empty()).collect();
    let home = match parts.as_slice() {
        ["home" | "users"] => return Some(("the home folders of everybody", true)),
        ["home" | "users", _] | ["root"] => true,
        [drive, "users"] if drive.ends_with(':') => return Some(("the home folders of everybody", true)),
        [drive, "users", _] if drive.ends_with(':') => true,
        ["etc" | "var" | "usr" | "opt" | "srv" | "volumes" | "mnt" | "library" | "system"] => {
            return Some(("a folder of the whole system", true));
        }
        _ => variables.contains(&trimmed),
    };
    home.then_some(("a whole home folder", false))
}
