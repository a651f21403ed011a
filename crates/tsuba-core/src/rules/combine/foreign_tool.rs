use crate::evidence::{Listing, Place, tools};
use crate::judge::{All, Check, Circumstance, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::text::head;
use crate::understand::Listed;
use crate::wording::Strength;

pub(super) static RULE: Rule = Rule {
    id: "combine/foreign-tool",
    title: "text names another server's tool",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{where} of {server} names {tool}, a tool of {other}",
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
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    let mut message = BTreeSet::new();
    // By listing: a server that many clients have is read once.
    let mut read: BTreeMap<Listed, Named<'_>> = BTreeMap::new();
    for client in all.clients() {
        // Only names that no ordinary word could be, by the servers that offer them.
        let mut offered: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
        for (_, entry) in &client.entries {
            for tool in all.listing_of(entry).into_iter().flat_map(tools).filter(|tool| is_telling(&tool.name.text)) {
                offered.entry(&tool.name.text).or_default().insert(&entry.name.text);
            }
        }
        for (entry_ref, entry) in &client.entries {
            let Some((listed, listing)) = entry.listed.zip(all.listing_of(entry)) else { continue };
            for (tool, index) in read.entry(listed).or_insert_with(|| named(listing)).iter() {
                let Some(servers) = offered.get(tool).filter(|servers| !servers.contains(entry.name.text.as_str()))
                else {
                    continue;
                };
                let Some((other, passage)) = servers.first().zip(listing.passages.get(*index)) else { continue };
                if !message.insert((entry.name.text.clone(), (*tool).to_owned())) {
                    continue;
                }
                let asks = all.remarks_of(entry).iter().any(|r| r.passage == *index && r.strength > Strength::Faint);
                out.hit_in(*entry_ref, &entry.name)
                    .arg("where", listing.whereabouts(passage))
                    .arg("server", entry.name.text.clone())
                    .arg("tool", (*tool).to_owned())
                    .arg("other", (*other).to_owned())
                    .circumstance_if(asks, Circumstance::Grave)
                    .confidence(Confidence::Likely)
                    .shows(beginning(&passage.at.text).to_owned(), None);
            }
        }
    }
}

/// So much of a text is shown at most (bytes): many times what is left of it when it has been cleaned.
const SHOWN: usize = 8000;

/// The beginning of a text, ending with a whole word: half a secret would not be masked.
fn beginning(text: &str) -> &str {
    let part = head(text, SHOWN);
    if part.len() == text.len() { part } else { part.rfind(char::is_whitespace).map_or("", |at| head(part, at)) }
}

/// What may be names of tools in the texts of a listing, and the first passage that holds each.
type Named<'l> = BTreeMap<&'l str, usize>;

fn named(listing: &Listing) -> Named<'_> {
    let mut out = BTreeMap::new();
    for (index, passage) in listing.passages.iter().enumerate().filter(|(_, p)| p.place != Place::Name) {
        for word in words(&passage.at.text).filter(|word| is_telling(word)) {
            out.entry(word).or_insert(index);
        }
    }
    out
}

/// Is a name two words or more?
fn is_telling(name: &str) -> bool {
    name.len() >= 6 && words(name).count() == 1 && name.contains(['_', '-'])
}

fn words(text: &str) -> impl Iterator<Item = &str> {
    text.split(|c: char| !(c.is_alphanumeric() || c == '_' || c == '-')).filter(|word| word.len() >= 6)
}
