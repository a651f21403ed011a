//! What a tool does, by its name and the first words of its description: reads, changes, destroys, sends.

use super::listing::Item;
use crate::prelude::*;
use crate::text::words_of;

/// What a tool does to the world.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Effect {
    /// It says nothing of it, or only reads.
    Reads,
    /// It changes something.
    Changes,
    /// It hands something on to others.
    Sends,
    /// It runs what it is given.
    Runs,
    /// It removes something for good.
    Destroys,
}

/// What stands for an effect: the verb, the effect, and whether the verb leaves no other reading. `create` may make a drawing,
/// `delete` deletes.
const VERBS: &[(&str, Effect, bool)] = &[
    ("add", Effect::Changes, false),
    ("append", Effect::Changes, true),
    ("approve", Effect::Changes, true),
    ("assign", Effect::Changes, true),
    ("book", Effect::Changes, true),
    ("buy", Effect::Sends, true),
    ("cancel", Effect::Destroys, true),
    ("change", Effect::Changes, true),
    ("clear", Effect::Destroys, false),
    ("commit", Effect::Changes, true),
    ("copy", Effect::Changes, false),
    ("create", Effect::Changes, false),
    ("delete", Effect::Destroys, true),
    ("deploy", Effect::Changes, true),
    ("destroy", Effect::Destroys, true),
    ("disable", Effect::Changes, true),
    ("drop", Effect::Destroys, true),
    ("edit", Effect::Changes, true),
    ("email", Effect::Sends, false),
    ("enable", Effect::Changes, false),
    ("erase", Effect::Destroys, true),
    ("exec", Effect::Runs, true),
    ("execute", Effect::Runs, false),
    ("forward", Effect::Sends, true),
    ("grant", Effect::Changes, true),
    ("insert", Effect::Changes, true),
    ("install", Effect::Runs, true),
    ("kill", Effect::Destroys, true),
    ("merge", Effect::Changes, true),
    ("modify", Effect::Changes, true),
    ("move", Effect::Changes, true),
    ("order", Effect::Sends, false),
    ("overwrite", Effect::Destroys, true),
    ("patch", Effect::Changes, true),
    ("pay", Effect::Sends, true),
    ("post", Effect::Sends, false),
    ("publish", Effect::Sends, true),
    ("purge", Effect::Destroys, true),
    ("push", Effect::Sends, true),
    ("put", Effect::Changes, false),
    ("refund", Effect::Sends, true),
    ("remove", Effect::Destroys, true),
    ("rename", Effect::Changes, true),
    ("replace", Effect::Changes, true),
    ("reply", Effect::Sends, true),
    ("reset", Effect::Destroys, false),
    ("revoke", Effect::Destroys, true),
    ("run", Effect::Runs, false),
    ("save", Effect::Changes, false),
    ("schedule", Effect::Changes, false),
    ("send", Effect::Sends, true),
    ("set", Effect::Changes, false),
    ("share", Effect::Sends, true),
    ("start", Effect::Changes, false),
    ("stop", Effect::Changes, false),
    ("store", Effect::Changes, false),
    ("submit", Effect::Sends, false),
    ("terminate", Effect::Destroys, true),
    ("transfer", Effect::Sends, true),
    ("truncate", Effect::Destroys, true),
    ("uninstall", Effect::Destroys, true),
    ("update", Effect::Changes, true),
    ("upload", Effect::Sends, true),
    ("wipe", Effect::Destroys, true),
    ("write", Effect::Changes, true),
];

/// Words at the end of a name after which its verb is a thing.
const NOUNS: &[&str] = &[
    "count", "details", "get", "history", "info", "list", "preview", "reader", "results", "search", "state", "status",
    "types",
];

/// Verbs after which another is a thing: `get_merge_request`, `list_commits`.
const READERS: &[&str] = &[
    "analyze",
    "check",
    "compare",
    "count",
    "describe",
    "explain",
    "fetch",
    "find",
    "get",
    "inspect",
    "list",
    "load",
    "lookup",
    "preview",
    "query",
    "read",
    "retrieve",
    "review",
    "search",
    "show",
    "summarize",
    "view",
    "watch",
];

/// Words of a name that come before its verb and say nothing of it.
const LEADS: usize = 3;

impl Item {
    /// The verb that says what the tool does, its effect, and whether it leaves no other reading: the first verb of its name, or the
    /// first word of its description where that is stronger.
    pub(crate) fn effect(&self) -> Option<(String, Effect, bool)> {
        let words = words_of(&self.name.text);
        // `refund_status` tells how a refund stands.
        let message = words.len() > 1 && words.last().is_some_and(|word| NOUNS.contains(&word.as_str()));
        let by_name = words
            .iter()
            .take(if message { 0 } else { LEADS })
            .take_while(|word| !reads(&words, word))
            .find_map(|word| verb(word));
        let description = self.description.as_ref().map(|d| d.text.as_str()).unwrap_or_default();
        let first = description.split(|c: char| !c.is_alphanumeric()).find(|word| !word.is_empty()).unwrap_or_default();
        let lower = first.to_lowercase();
        let plain = lower.strip_suffix('s').unwrap_or(&lower);
        // A tool that is called `get_…` may read by deleting; one that begins `Set of …` is no verb.
        let by_text = verb(plain).or_else(|| verb(&lower)).filter(|(_, _, sure)| *sure);
        match (by_name, by_text) {
            (Some(name), Some(text)) if text.1 > name.1 && text.2 => Some(text),
            (Some(name), _) => Some(name),
            (None, text) => text,
        }
    }
}

/// Does a name say by this word that its tool reads? `get_or_create_berth` does not.
fn reads(name: &[String], word: &str) -> bool {
    let either = name.iter().any(|word| matches!(word.as_str(), "or" | "and"));
    READERS.contains(&word) && !either
}

/// Does a name say that its tool reads, and nothing else?
pub(super) fn only_reads(name: &str) -> bool {
    let words = words_of(name);
    words.iter().take(LEADS).any(|word| reads(&words, word))
        || words.last().is_some_and(|w| NOUNS.contains(&w.as_str()))
}

fn verb(word: &str) -> Option<(String, Effect, bool)> {
    let index = VERBS.binary_search_by(|(verb, ..)| (*verb).cmp(word)).ok()?;
    VERBS.get(index).map(|(verb, effect, sure)| ((*verb).to_owned(), *effect, *sure))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::evidence::{Hints, ItemKind};
    use crate::text::Located;

    fn effect(name: &str, description: &str) -> Option<(String, Effect, bool)> {
        let text = |text: &str| Located { text: text.to_owned(), ..Located::default() };
        let item = Item {
            kind: ItemKind::Tool,
            name: text(name),
            title: None,
            description: Some(text(description)),
            hints: Hints::default(),
            parameters: Vec::new(),
            open: None,
            passages: 0..0,
            print: String::new(),
        };
        item.effect()
    }

    #[test]
    fn verbs_tell_the_effect() {
        assert!(VERBS.is_sorted_by(|a, b| a.0 < b.0) && READERS.is_sorted());
        for (name, description, want) in [
            ("delete_tray", "", Some(("delete", Effect::Destroys, true))),
            ("sendMail", "", Some(("send", Effect::Sends, true))),
            ("harbour-update-berth", "", Some(("update", Effect::Changes, true))),
            ("get_tray", "Deletes a tray and returns it.", Some(("delete", Effect::Destroys, true))),
            ("create_chart", "Draws a chart.", Some(("create", Effect::Changes, false))),
            ("get_tray", "Returns a tray.", None),
            ("list_updates", "Lists updates.", None),
            ("refund_status", "Tells how far a refund is.", None),
            ("settings", "Set of values.", None),
            ("quay_file_share_list", "Lists shared files.", None),
            ("get_merge_request", "Returns a merge request.", None),
            ("harbour_list_commits", "Lists commits.", None),
            ("get_or_create_berth", "", Some(("create", Effect::Changes, false))),
            ("merge_request", "", Some(("merge", Effect::Changes, true))),
        ] {
            assert_eq!(effect(name, description), want.map(|(v, e, s)| (v.to_owned(), e, s)), "{name}");
        }
    }
}
