use crate::evidence::{Effect, Item, tools};
use crate::judge::{All, Check, Circumstance, EntryRef, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::Entry;

pub(super) static RULE: Rule = Rule {
    id: "combine/name-clash",
    title: "two servers offer a tool of the same name",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "{servers} of {who} both offer {tools}",
    why: "Which of the two answers is up to the client. A server can so take the calls, and the arguments, that were meant for another.",
    fix: "Have the client put the server's name before each tool, or switch one of them off.",
    before: r#"--- client.json
{ "mcpServers": { "berth-board": { "command": "berth-board" }, "quay-files": { "command": "quay-files" } } }
--- berth-board.tools.json
{ "tools": [{ "name": "delete_entry", "inputSchema": { "type": "object" } }] }
--- quay-files.tools.json
{ "tools": [{ "name": "delete_entry", "inputSchema": { "type": "object" } }] }
"#,
    after: r#"--- client.json
{ "mcpServers": { "berth-board": { "command": "berth-board" }, "quay-files": { "command": "quay-files" } } }
--- berth-board.tools.json
{ "tools": [{ "name": "delete_berth", "inputSchema": { "type": "object" } }] }
--- quay-files.tools.json
{ "tools": [{ "name": "delete_file", "inputSchema": { "type": "object" } }] }
"#,
    references: &["protocol 2025-11-25, Tools: tool names", "CWE-694"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

/// A tool of one entry that another entry offers as well.
type Clash<'a> = (&'a Entry, &'a Entry, &'a Item);

/// So many names are told.
const NAMED: usize = 4;

fn check(all: &All<'_>, out: &mut Out<'_>) {
    let mut message: BTreeSet<(String, String)> = BTreeSet::new();
    for client in all.clients() {
        // By tool: the entries that offer it.
        let mut offered: BTreeMap<&str, Vec<(EntryRef, &Entry, &Item)>> = BTreeMap::new();
        for (entry_ref, entry) in &client.entries {
            for tool in all.listing_of(entry).into_iter().flat_map(tools) {
                offered.entry(&tool.name.text).or_default().push((*entry_ref, entry, tool));
            }
        }
        let mut pairs: BTreeMap<(EntryRef, EntryRef), Vec<Clash<'_>>> = BTreeMap::new();
        for places in offered.values() {
            let mut distinct = places.clone();
            // The same server set up twice is no clash.
            distinct.dedup_by(|next, first| next.1.listed == first.1.listed);
            if let [first, second, ..] = distinct.as_slice() {
                pairs.entry((first.0, second.0)).or_default().push((first.1, second.1, first.2));
            }
        }
        for ((_, second), clashes) in pairs {
            let Some((one, other, _)) = clashes.first() else { continue };
            if !message.insert((one.name.text.clone(), other.name.text.clone())) {
                continue;
            }
            let acts =
                clashes.iter().any(|(.., tool)| tool.effect().is_some_and(|(_, effect, _)| effect > Effect::Reads));
            let names: Vec<&str> = clashes.iter().take(NAMED).map(|(.., tool)| tool.name.text.as_str()).collect();
            let more = clashes.len().saturating_sub(NAMED);
            let rest = if more > 0 { format!(" and {more} more") } else { String::new() };
            out.hit_in(second, &other.name)
                .arg("servers", format!("{} and {}", one.name.text, other.name.text))
                .arg("who", client.person.map_or("this setup".to_owned(), |person| format!("the setups of {person}")))
                .arg("tools", format!("{}{rest}", names.join(", ")))
                .circumstance_if(acts, Circumstance::Writable);
        }
    }
}
