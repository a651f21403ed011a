use crate::evidence::oauth::Ask;
use crate::judge::{All, Check, Circumstance, EntryRef, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::text::{Remote, words_of};
use crate::understand::{Analysis, Entry};

pub(super) static RULE: Rule = Rule {
    id: "exposure/open-origin",
    title: "any web page may call the server",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{setting} lets every web page call {it}",
    why: "Any page a person opens can then talk to the server on their machine, with their rights.",
    fix: "Name the origins that may call it.",
    before: r#"{ "mcpServers": { "berth-board": { "command": "berth-board", "args": ["--cors", "*"] } } }"#,
    after: r#"{ "mcpServers": { "berth-board": { "command": "berth-board", "args": ["--cors", "https://board.saltmarsh-line.example"] } } }"#,
    references: &["CWE-942", "Fetch standard, 3.2", "protocol 2025-11-25, transports"],
    ways: Ways::OF_CALLERS,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (entry_ref, analysis, entry) in all.entries() {
        set_up(entry_ref, entry, out);
        if analysis.listing_of(entry).is_some_and(|listing| listing.captured.is_some()) {
            answered(entry_ref, analysis, out);
        }
    }
}

/// A server that answers a call in a foreign page's name. The protocol has servers check the origin (2025-11-25, transports).
fn answered(entry_ref: EntryRef, analysis: &Analysis, out: &mut Out<'_>) {
    credentials(entry_ref, analysis, out);
    let message = |ask: Ask| analysis.oauth_documents.answers_to(ask).find(|answer| answer.status() == 200);
    let Some((answer, url)) = message(Ask::ForeignOrigin).and_then(|answer| Some((answer, answer.url.as_ref()?)))
    else {
        return;
    };
    let remote = Remote::parse(url);
    // What the whole network may call, a page may call as well; it matters where a page reaches what strangers do not.
    let inside = remote.loopback || remote.is_private();
    out.hit_in(entry_ref, answer.status.as_ref().unwrap_or(&answer.start))
        .arg("setting", "an answer to a call from a foreign origin")
        .arg("it", format!("the server at {}", url.text))
        .circumstance_if(!inside, Circumstance::Faint)
        .confidence(Confidence::Likely);
}

/// A server that lets the page of any origin use what its person's browser holds, whatever the page asks (Fetch standard, 3.2.5).
fn credentials(entry_ref: EntryRef, analysis: &Analysis, out: &mut Out<'_>) {
    for answer in analysis.oauth_documents.answers_to(Ask::ForeignOrigin) {
        let Some(origin) = answer.allowed_origin.as_ref().filter(|_| answer.allows_credentials) else { continue };
        // Browsers take `*` for no origin where credentials are meant.
        if origin.text != "*" {
            out.hit_in(entry_ref, origin)
                .arg("setting", format!("an answer that allows the foreign origin {} with credentials", origin.text))
                .arg("it", "the server as the person");
        }
    }
}

/// A setting by which a server allows every origin.
fn set_up(entry_ref: EntryRef, entry: &Entry, out: &mut Out<'_>) {
    let names_origin = |name: &str| words_of(name).iter().any(|w| matches!(w.as_str(), "cors" | "origin" | "origins"));
    for variable in entry.variables.iter().filter(|v| !v.header && v.value.text.trim() == "*" && names_origin(&v.name))
    {
        out.hit_in(entry_ref, &variable.value).arg("setting", format!("{}=*", variable.name)).arg("it", "it");
    }
    for step in entry.plan.iter().flat_map(|plan| &plan.steps) {
        for (at, word) in step.args.iter().enumerate().filter(|(_, w)| w.text.starts_with('-') && names_origin(&w.text))
        {
            let value = word
                .text
                .split_once('=')
                .map(|(_, value)| value.to_owned())
                .or_else(|| step.args.get(at + 1).map(|w| w.text.clone()));
            // `--cors` alone means every origin to the bridges that have it.
            let bare = word.text == "--cors" && value.as_deref().is_none_or(|v| v.starts_with('-'));
            if bare || value.as_deref() == Some("*") {
                let setting = if bare { word.text.clone() } else { format!("{} *", word.text.trim_end_matches("=*")) };
                out.hit_in(entry_ref, word).arg("setting", setting).arg("it", "it");
            }
        }
    }
}
