//! Writing a decision as a table.

use super::{Decision, Scope};
use crate::prelude::*;
use core::fmt::Write as _;

/// Where the remarks begin that stand directly above a line.
pub(super) fn above_remarks(text: &str, line: usize) -> usize {
    let mut at = line;
    while let Some(before) = text.get(..at.saturating_sub(1)).filter(|_| at > 0) {
        let start = before.rfind('\n').map_or(0, |at| at + 1);
        if !text.get(start..at).is_some_and(|line| line.trim_start().starts_with('#')) {
            break;
        }
        at = start;
    }
    at
}

/// A decision as a table.
pub(super) fn written(decision: &Decision) -> String {
    let id = decision.id();
    let mut out = format!("[decision.{id}]\nkind = {}\n", quoted(decision.kind.name()));
    let mut line = |key: &str, value: &str| {
        let _ = writeln!(out, "{key} = {value}");
    };
    match &decision.scope {
        Scope::Entry { setup, entry } => {
            line("setup", &quoted(setup));
            line("entry", &quoted(entry));
        }
        Scope::Package { source, package, version } => {
            line("source", &quoted(source));
            line("package", &quoted(package));
            version.iter().for_each(|version| line("version", &quoted(version)));
        }
        Scope::Host { host } => line("host", &quoted(host)),
        Scope::Finding { rule, finding } => {
            line("rule", &quoted(rule));
            line("finding", &quoted(finding));
        }
    }
    if let Some(place) = &decision.place {
        line("setup", &quoted(&place.setup));
        place.entry.iter().for_each(|entry| line("entry", &quoted(entry)));
        line("place", &quoted(&place.pointer));
    }
    decision.team.iter().for_each(|team| line("team", &quoted(team)));
    line("by", &quoted(&decision.by));
    line("on", &decision.on.to_string());
    line("reason", &quoted(&decision.reason));
    decision.until.iter().for_each(|until| line("until", &until.to_string()));
    if !decision.conditions.is_empty() {
        let all: Vec<String> = decision.conditions.iter().map(|condition| quoted(condition)).collect();
        line("conditions", &format!("[{}]", all.join(", ")));
    }
    decision.launch.iter().for_each(|launch| line("launch", &quoted(launch)));
    if !decision.history.is_empty() {
        let past: Vec<String> = decision.history.iter().map(|past| past.written(quoted)).collect();
        line("history", &format!("[\n{}\n]", past.join("\n")));
    }
    if let Some(prints) = &decision.prints {
        prints.server.iter().for_each(|server| line("server", &quoted(server)));
        let _ = writeln!(out, "[decision.{id}.listed]");
        for (item, forms) in &prints.items {
            let forms: Vec<String> = forms.iter().map(|form| quoted(form)).collect();
            let _ = writeln!(out, "{} = [{}]", quoted(item), forms.join(", "));
        }
    }
    out
}

/// A basic string of TOML (1.1): what is not seen is written as its number.
fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            c if c.is_control() || crate::text::is_unseen(c) => {
                let _ = write!(out, "\\U{:08X}", u32::from(c));
            }
            c => out.push(c),
        }
    }
    out.push('"');
    out
}
