use crate::evidence::{Parts, Power, parts_of, tools};
use crate::judge::{All, Check, Circumstance, Client, EntryRef, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::understand::Entry;

pub(super) static RULE: Rule = Rule {
    id: "combine/leak-path",
    title: "leak path: untrusted text, private data and a way out in one client",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{who}: {reads} (text from strangers) → {holds} (private data) → {sends} (a way out)",
    why: "Each server may be fine alone. Together, a page or a mail can ask the model to fetch what is private and to send it away.",
    fix: "Split the servers over two clients, or have {last} ask before every call.",
    before: r#"--- client.json
{ "mcpServers": { "harbour-web": { "command": "harbour-web" }, "manifest-db": { "command": "manifest-db" }, "crew-mail": { "command": "crew-mail" } } }
--- harbour-web.tools.json
{ "tools": [{ "name": "fetch_page", "inputSchema": { "type": "object" } }] }
--- manifest-db.tools.json
{ "tools": [{ "name": "query_table", "inputSchema": { "type": "object" } }] }
--- crew-mail.tools.json
{ "tools": [{ "name": "send_mail", "inputSchema": { "type": "object" } }] }
"#,
    after: r#"--- client.json
{ "mcpServers": { "harbour-web": { "command": "harbour-web" }, "crew-mail": { "command": "crew-mail" } } }
--- harbour-web.tools.json
{ "tools": [{ "name": "fetch_page", "inputSchema": { "type": "object" } }] }
--- crew-mail.tools.json
{ "tools": [{ "name": "send_mail", "inputSchema": { "type": "object" } }] }
"#,
    references: &["CWE-200", "CWE-441"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

/// A tool, or a server of which only the power is known, that can play a part.
struct Step<'a> {
    entry_ref: EntryRef,
    entry: &'a Entry,
    /// `crew-mail.send_mail`, or the server alone.
    name: String,
    /// Does its listing show it, or only its name?
    shown: bool,
    parts: Parts,
}

fn check(all: &All<'_>, out: &mut Out<'_>) {
    let mut message: BTreeSet<usize> = BTreeSet::new();
    for client in all.clients() {
        let steps = steps(all, &client);
        let Some([reads, holds, sends]) = path(&steps) else { continue };
        let setups = [reads.entry_ref.analysis, holds.entry_ref.analysis, sends.entry_ref.analysis];
        // A person's setups together are worth telling where none of them has the path alone.
        if client.person.is_some() && client.entries.iter().any(|(entry_ref, _)| message.contains(&entry_ref.analysis))
        {
            continue;
        }
        message.extend(setups);
        let shown = reads.shown && holds.shown && sends.shown;
        let who = match client.person {
            Some(person) => format!("the setups of {person}"),
            None => "this setup".to_owned(),
        };
        out.hit_in(EntryRef { entry: None, ..sends.entry_ref }, &sends.entry.name)
            .arg("who", who)
            .arg("reads", reads.name.clone())
            .arg("holds", holds.name.clone())
            .arg("sends", sends.name.clone())
            .arg("last", sends.entry.name.text.clone())
            .steps([reads, holds, sends].map(|step| step.name.clone()))
            .circumstance_if(!shown, Circumstance::Weak)
            .confidence(if shown { Confidence::Likely } else { Confidence::Possible });
    }
}

fn steps<'a>(all: &All<'a>, client: &Client<'a>) -> Vec<Step<'a>> {
    let mut out = Vec::new();
    for (entry_ref, entry) in &client.entries {
        let server = &entry.name.text;
        match all.listing_of(entry) {
            Some(listing) => out.extend(tools(listing).map(|tool| Step {
                entry_ref: *entry_ref,
                entry,
                name: format!("{server}.{}", tool.name.text),
                shown: true,
                parts: parts_of(tool),
            })),
            None => out.push(Step {
                entry_ref: *entry_ref,
                entry,
                name: server.clone(),
                shown: false,
                parts: parts_by_power(entry),
            }),
        }
    }
    out
}

/// What a server probably does, where it has not been asked.
fn parts_by_power(entry: &Entry) -> Parts {
    let has = |powers: &[Power]| powers.iter().any(|power| entry.reach.powers.contains(power));
    Parts {
        reads: has(&[Power::Mail, Power::Messages, Power::Browser, Power::Web]),
        holds: has(&[Power::Database, Power::Files, Power::Mail]),
        sends: has(&[Power::Mail, Power::Messages, Power::Browser]),
    }
}

/// The path: over two servers at least, for one server that does all is no combination. What a listing shows goes before what a name
/// says, and three servers before two.
fn path<'s, 'a>(steps: &'s [Step<'a>]) -> Option<[&'s Step<'a>; 3]> {
    let first = |part: fn(&Parts) -> bool| -> Vec<&Step<'a>> {
        // One tool of each server is enough.
        let mut seen = BTreeSet::new();
        let mut found: Vec<&Step<'a>> = steps.iter().filter(|s| part(&s.parts) && seen.insert(s.entry_ref)).collect();
        found.sort_by_key(|step| !step.shown);
        found.truncate(8);
        found
    };
    let (reads, holds, sends) = (first(|p| p.reads), first(|p| p.holds), first(|p| p.sends));
    let mut best: Option<(usize, [&Step<'a>; 3])> = None;
    for read in &reads {
        for hold in &holds {
            for send in &sends {
                let servers = BTreeSet::from([read.entry_ref, hold.entry_ref, send.entry_ref]).len();
                let shown = [read, hold, send].iter().filter(|s| s.shown).count();
                let worth = servers + 3 * shown;
                if servers > 1 && best.as_ref().is_none_or(|(w, _)| worth > *w) {
                    best = Some((worth, [*read, *hold, *send]));
                }
            }
        }
    }
    best.map(|(_, path)| path)
}
