use crate::evidence::{Listing, Passage, Place, tools};
use crate::judge::{All, Check, Circumstance, Confidence, Out, Rule, Severity, Verdict};
use crate::prelude::*;
use crate::wording::Strength;

pub(super) static RULE: Rule = Rule {
    id: "combine/foreign-tool",
    title: "a server's text names a tool of another server of the same client",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    says: "{where} of {server} names {tool}, a tool of {other}",
    why: "A server that knows which tools stand beside it, by name, was written for this client or against it: its text reaches the \
          calls of the other.",
    fix: "Read the text, and refuse the server unless it has good reason to speak of the other's tool.",
    before: r#"--- client.json
{ "mcpServers": { "tide-table": { "command": "tide-table" }, "crew-mail": { "command": "crew-mail" } } }
--- tide-table.tools.json
{ "tools": [{ "name": "get_tide", "description": "Gives the tide. See post_crew_mail for how it is told.", "inputSchema": { "type": "object" } }] }
--- crew-mail.tools.json
{ "tools": [{ "name": "post_crew_mail", "description": "Sends a mail.", "inputSchema": { "type": "object" } }] }
"#,
    after: r#"--- client.json
{ "mcpServers": { "tide-table": { "command": "tide-table" }, "crew-mail": { "command": "crew-mail" } } }
--- tide-table.tools.json
{ "tools": [{ "name": "get_tide", "description": "Gives the tide.", "inputSchema": { "type": "object" } }] }
--- crew-mail.tools.json
{ "tools": [{ "name": "post_crew_mail", "description": "Sends a mail.", "inputSchema": { "type": "object" } }] }
"#,
    references: &["CWE-441", "CWE-1427"],
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    let mut told = BTreeSet::new();
    for client in all.clients() {
        // Only names that no ordinary word could be, by the servers that offer them.
        let mut offered: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
        for (_, entry) in &client.entries {
            for tool in all.listing_of(entry).into_iter().flat_map(tools).filter(|tool| is_telling(&tool.name.text)) {
                offered.entry(&tool.name.text).or_default().insert(&entry.name.text);
            }
        }
        for (stands, entry) in &client.entries {
            let Some(listing) = all.listing_of(entry) else { continue };
            for (index, passage) in listing.passages.iter().enumerate().filter(|(_, p)| p.place != Place::Name) {
                let named = words(&passage.at.text)
                    .filter_map(|word| Some((word, offered.get(word)?)))
                    .find(|(_, servers)| !servers.contains(entry.name.text.as_str()));
                let Some((tool, other)) = named.and_then(|(tool, servers)| Some((tool, *servers.first()?))) else {
                    continue;
                };
                if !told.insert((entry.name.text.clone(), tool.to_owned())) {
                    continue;
                }
                let asks = listing.remarks.iter().any(|r| r.passage == index && r.strength > Strength::Faint);
                out.hit_in(*stands, &entry.name)
                    .word("where", place(listing, passage))
                    .word("server", entry.name.text.clone())
                    .word("tool", tool.to_owned())
                    .word("other", other.to_owned())
                    .because_if(asks, Circumstance::Grave)
                    .sure(Confidence::Likely)
                    .shows(passage.at.text.clone(), None);
            }
        }
    }
}

fn place(listing: &Listing, passage: &Passage) -> String {
    match listing.item_of(passage) {
        Some(item) => format!("{} of the {} {}", passage.place.name(), item.kind.name(), item.name.text),
        None => passage.place.name().to_owned(),
    }
}

/// Is a name two words or more?
fn is_telling(name: &str) -> bool {
    name.len() >= 6 && words(name).count() == 1 && name.contains(['_', '-'])
}

fn words(text: &str) -> impl Iterator<Item = &str> {
    text.split(|c: char| !(c.is_alphanumeric() || c == '_' || c == '-')).filter(|word| word.len() >= 6)
}
