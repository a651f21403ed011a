//! What the tools of a server need of an account, and which scopes go beyond it.

use super::effect::{Effect, only_reads};
use super::listing::{Item, ItemKind, Listing};
use crate::evidence::{Access, Scope};
use crate::prelude::*;
use crate::text::{singular, words_of};

/// What a listing needs.
#[derive(Debug)]
pub(crate) struct Needs {
    uses: Vec<Use>,
}

/// What one tool, prompt or resource needs.
#[derive(Debug)]
struct Use {
    /// What it is about: the words of its name, description and parameters, in the singular.
    words: BTreeSet<String>,
    /// What it does; `None` where nobody can tell.
    does: Option<Effect>,
}

/// What could go from a grant.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct Spare {
    /// Scopes of which the tools need nothing so strong.
    pub(crate) too_strong: Vec<String>,
    /// Scopes about things that no tool is about.
    pub(crate) foreign: Vec<String>,
    /// What is left.
    pub(crate) kept: Vec<String>,
}

/// Words for one thing: an issuer and a server may each have their own.
const ALIKE: &[&[&str]] = &[
    &["calendar", "event", "meeting", "appointment"],
    &["channel", "chat", "conversation", "dm", "group", "im", "message", "thread"],
    &["contact", "directory", "people", "person", "profile", "user"],
    &["content", "document", "doc", "drive", "file", "folder", "page", "site", "storage", "blob", "object", "bucket"],
    &["draft", "email", "inbox", "label", "mail", "mailbox", "message"],
    &["branch", "code", "commit", "issue", "merge", "project", "pull", "repo", "repository", "request", "tag"],
    &["action", "build", "job", "pipeline", "workflow"],
    &["database", "db", "query", "record", "row", "sql", "table"],
    &["board", "card", "issue", "project", "task", "ticket", "todo", "work"],
];

/// Parameters with which a tool can be told to do anything that its account may.
const ANYTHING: &[&str] =
    &["cmd", "code", "command", "endpoint", "graphql", "method", "mutation", "script", "shell", "sql", "statement"];

impl Needs {
    /// What the tools of several servers need; `None` where that of one cannot be told.
    pub(crate) fn of_all(listings: &[&Listing]) -> Option<Self> {
        let all: Option<Vec<Self>> = listings.iter().map(|listing| Self::of(listing)).collect();
        Some(Self { uses: all?.into_iter().flat_map(|needs| needs.uses).collect() })
    }

    /// What the tools of a listing need; `None` where that cannot be told: there are no tools, or one does whatever it is told.
    fn of(listing: &Listing) -> Option<Self> {
        let tools = || super::tools(listing);
        let anything = |item: &Item| {
            item.effect().is_some_and(|(_, effect, _)| effect == Effect::Runs)
                || item.parameters.iter().any(|p| ANYTHING.contains(&p.name.text.to_ascii_lowercase().as_str()))
        };
        if tools().next().is_none() || tools().any(anything) {
            return None;
        }
        let server: BTreeSet<String> = words(&listing.server.text).collect();
        let uses = listing.items.iter().filter(|item| item.kind != ItemKind::Prompt).map(|item| Use::of(item, &server));
        Some(Self { uses: uses.collect() })
    }

    /// Which of these scopes the tools do not need.
    pub(crate) fn spare(&self, scopes: &[String]) -> Spare {
        let mut spare = Spare::default();
        let mut known = false;
        for written in scopes {
            let Some(scope) = Scope::read(written) else {
                spare.kept.push(written.clone());
                continue;
            };
            let about: Vec<&Use> = self.uses.iter().filter(|usage| usage.is_about(&scope.subject)).collect();
            known |= !about.is_empty() && !scope.subject.is_empty();
            if about.is_empty() {
                spare.foreign.push(written.clone());
            } else if scope.access.is_none_or(|access| about.iter().any(|usage| usage.may_need(access))) {
                spare.kept.push(written.clone());
            } else {
                spare.too_strong.push(written.clone());
            }
        }
        // Where no scope speaks of what the tools are about, the issuer has words of its own.
        if !known {
            spare.kept.append(&mut spare.foreign);
        }
        spare
    }
}

impl Use {
    fn of(item: &Item, server: &BTreeSet<String>) -> Self {
        let texts = [Some(&item.name), item.title.as_ref(), item.description.as_ref()].into_iter().flatten();
        let parameters = item.parameters.iter().map(|parameter| &parameter.name);
        let words = texts.chain(parameters).flat_map(|text| words(&text.text)).chain(server.iter().cloned()).collect();
        let does = if item.kind == ItemKind::Tool { does(item) } else { Some(Effect::Reads) };
        Self { words, does }
    }

    fn is_about(&self, subject: &[String]) -> bool {
        let alike = |group: &&[&str], word: &str| {
            group.contains(&word) && group.iter().any(|other| self.words.contains(*other))
        };
        let meets = |word: &String| self.words.contains(word) || ALIKE.iter().any(|group| alike(group, word));
        subject.is_empty() || subject.iter().any(meets)
    }

    /// Might it need this much? Who cannot tell says yes.
    fn may_need(&self, access: Access) -> bool {
        let Some(does) = self.does else { return access != Access::Administer };
        match access {
            Access::Read => true,
            Access::Change => does > Effect::Reads,
            Access::Send => matches!(does, Effect::Changes | Effect::Sends),
            Access::Destroy => does == Effect::Destroys,
            Access::Run => does > Effect::Reads,
            Access::Administer => {
                does > Effect::Reads && ["admin", "permission", "role"].iter().any(|word| self.words.contains(*word))
            }
        }
    }
}

/// What a tool does; `None` where its name does not tell and it does not say that it only reads.
fn does(item: &Item) -> Option<Effect> {
    let hint = |hint: &Option<(bool, _)>| hint.as_ref().map(|(yes, _)| *yes);
    let hints = &item.hints;
    match item.effect() {
        Some((_, effect, _)) => Some(effect),
        None if hint(&hints.read_only) == Some(true) => Some(Effect::Reads),
        None if hint(&hints.read_only) == Some(false) || hint(&hints.destructive) == Some(true) => None,
        None => only_reads(&item.name.text).then_some(Effect::Reads),
    }
}

fn words(text: &str) -> impl Iterator<Item = String> {
    words_of(text).into_iter().map(|word| singular(&word))
}

#[cfg(test)]
mod tests {
    use crate::read::{Input, read};

    use super::*;

    fn spare(tools: &str, scopes: &str) -> Option<[String; 2]> {
        let text = format!(r#"{{"serverInfo": {{"name": "quay"}}, "tools": [{tools}]}}"#);
        let document = read(Input { path: "x.json".into(), bytes: text.into(), ..Input::default() }).unwrap();
        let listing = crate::evidence::listings(&document).remove(0);
        let scopes: Vec<String> = scopes.split(' ').map(ToOwned::to_owned).collect();
        let spare = Needs::of(&listing)?.spare(&scopes);
        assert_eq!(spare.too_strong.len() + spare.foreign.len() + spare.kept.len(), scopes.len());
        Some([spare.too_strong.join(" "), spare.foreign.join(" ")])
    }

    fn tool(name: &str, more: &str) -> String {
        format!(r#"{{"name": "{name}", "inputSchema": {{"type": "object"}}{more}}}"#)
    }

    #[test]
    fn what_tools_need_is_told_from_what_they_do() {
        let read = tool("list_tides", r#", "description": "Lists tides.""#);
        let change = tool("update_berth", "");
        let unclear = tool("berth_desk", "");
        let run = tool("call", "")
            .replace(r#"{"type": "object"}"#, r#"{"type": "object", "properties": {"sql": {"type": "string"}}}"#);
        let hinted = tool("berth_desk", r#", "annotations": {"readOnlyHint": true}"#);
        for (tools, scopes, too_strong, foreign) in [
            (vec![&read], "tides.read tides.write", "tides.write", ""),
            (vec![&read], "tides.read crew.read openid", "", "crew.read"),
            (vec![&read], "tides:admin", "tides:admin", ""),
            (vec![&read], "read write", "write", ""),
            (vec![&read, &change], "tides.write berths.write", "tides.write", ""),
            (vec![&read, &change], "berths.delete berths.write", "berths.delete", ""),
            (vec![&hinted], "berths.write berths.read", "berths.write", ""),
            // What is needed, what nobody can tell, what the issuer has its own words for.
            (vec![&read, &change], "tides.read berths.write offline_access", "", ""),
            (vec![&unclear], "berths.write berths.delete", "", ""),
            (vec![&read], "marine_data.read hydro", "", ""),
            (vec![&read], "tides", "", ""),
            (vec![&read], "quay.read", "", ""),
            (vec![&read, &change], "write", "", ""),
        ] {
            let tools: Vec<&str> = tools.into_iter().map(String::as_str).collect();
            let found = spare(&tools.join(","), scopes).unwrap();
            assert_eq!(found, [too_strong.to_owned(), foreign.to_owned()], "{tools:?} {scopes}");
        }
        assert_eq!(spare(&format!("{read},{run}"), "tides.write crew.read"), None);
        assert_eq!(spare(&tool("run_task", ""), "tides.write"), None);
    }

    #[test]
    fn one_thing_has_many_names() {
        let inbox = tool("search_inbox", "");
        assert_eq!(spare(&inbox, "mail.read crew.read"), Some([String::new(), "crew.read".into()]));
        assert_eq!(spare(&inbox, "mail.send"), Some(["mail.send".into(), String::new()]));
        let sends = tool("send_message", "");
        assert_eq!(spare(&sends, "mail.send"), Some([String::new(), String::new()]));
    }
}
