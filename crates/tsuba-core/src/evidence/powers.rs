//! The powers that a listing shows, and the parts its tools can play when data leak: by the verbs and things in their names and by
//! what they take.

use super::effect::Effect;
use super::listing::{Item, ItemKind, Listing};
use crate::evidence::Power;
use crate::prelude::*;
use crate::text::words_of;

/// Things in a tool's name, the power over them, and the part they play: what strangers may have written, what is private.
const THINGS: &[(&str, Power, bool, bool)] = &[
    ("bash", Power::Shell, false, false),
    ("branch", Power::Code, false, false),
    ("browser", Power::Browser, true, false),
    ("calendar", Power::Messages, true, true),
    ("call", Power::Messages, false, false),
    ("channel", Power::Messages, true, true),
    ("chat", Power::Messages, true, true),
    ("cluster", Power::Containers, false, false),
    ("collection", Power::Database, false, true),
    ("command", Power::Shell, false, false),
    ("container", Power::Containers, false, false),
    ("customer", Power::Database, false, true),
    ("customers", Power::Database, false, true),
    ("database", Power::Database, false, true),
    ("directory", Power::Files, false, true),
    ("document", Power::Files, false, true),
    ("documents", Power::Files, false, true),
    ("email", Power::Mail, true, true),
    ("emails", Power::Mail, true, true),
    ("file", Power::Files, false, true),
    ("files", Power::Files, false, true),
    ("folder", Power::Files, false, true),
    ("http", Power::Web, true, false),
    ("inbox", Power::Mail, true, true),
    ("invoice", Power::Payments, false, true),
    ("issue", Power::Code, true, false),
    ("issues", Power::Code, true, false),
    ("mail", Power::Mail, true, true),
    ("mailbox", Power::Mail, true, true),
    ("mails", Power::Mail, true, true),
    ("message", Power::Messages, true, true),
    ("messages", Power::Messages, true, true),
    ("page", Power::Web, true, false),
    ("payment", Power::Payments, false, true),
    ("payout", Power::Payments, false, true),
    ("pod", Power::Containers, false, false),
    ("powershell", Power::Shell, false, false),
    ("repo", Power::Code, false, true),
    ("repository", Power::Code, false, true),
    ("script", Power::Shell, false, false),
    ("shell", Power::Shell, false, false),
    ("sms", Power::Messages, true, true),
    ("sql", Power::Database, false, true),
    ("table", Power::Database, false, true),
    ("terminal", Power::Shell, false, false),
    ("url", Power::Web, true, false),
    ("web", Power::Web, true, false),
    ("webhook", Power::Web, false, false),
    ("webpage", Power::Web, true, false),
    ("website", Power::Web, true, false),
];

/// Verbs that open an address: what they open may answer anything, and the address itself carries data out.
const OPENS: &[&str] =
    &["browse", "crawl", "download", "fetch", "get", "goto", "navigate", "open", "request", "scrape", "visit"];

/// The parts a tool can play when data leak.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Parts {
    /// It brings in text that strangers may have written.
    pub(crate) reads: bool,
    /// It brings in what is private.
    pub(crate) holds: bool,
    /// It carries something out.
    pub(crate) sends: bool,
}

/// The powers of all tools of a listing.
pub(crate) fn powers(listing: &Listing) -> BTreeSet<Power> {
    tools(listing).flat_map(powers_of).collect()
}

/// The tools of a listing.
pub(crate) fn tools(listing: &Listing) -> impl Iterator<Item = &Item> {
    listing.items.iter().filter(|item| item.kind == ItemKind::Tool)
}

fn thing(word: &str) -> Option<&'static (&'static str, Power, bool, bool)> {
    let index = THINGS.binary_search_by(|(thing, ..)| (*thing).cmp(word)).ok()?;
    THINGS.get(index)
}

/// The powers of one tool.
pub(crate) fn powers_of(item: &Item) -> BTreeSet<Power> {
    let words = words_of(&item.name.text);
    let mut out: BTreeSet<Power> = words.iter().filter_map(|word| thing(word)).map(|(_, power, ..)| *power).collect();
    let effect = item.effect().map(|(_, effect, _)| effect);
    for parameter in &item.parameters {
        match parameter.name.text.to_ascii_lowercase().as_str() {
            "command" | "cmd" | "shell_command" => out.extend([Power::Shell]),
            "sql" => out.extend([Power::Database]),
            "url" | "uri" if words.iter().any(|w| OPENS.contains(&w.as_str())) => out.extend([Power::Web]),
            "path" | "file_path" | "filepath" if effect >= Some(Effect::Changes) => out.extend([Power::Files]),
            _ => {}
        }
    }
    if words.iter().any(|word| word == "pay" || word == "transfer") && effect == Some(Effect::Sends) {
        out.insert(Power::Payments);
    }
    // `run_sql_command` runs no shell.
    if out.contains(&Power::Database) && !words.iter().any(|w| w == "shell" || w == "bash") {
        out.remove(&Power::Shell);
    }
    out
}

/// The parts one tool can play.
pub(crate) fn parts_of(item: &Item) -> Parts {
    let words = words_of(&item.name.text);
    let effect = item.effect().map_or(Effect::Reads, |(_, effect, _)| effect);
    let powers = powers_of(item);
    let things = || words.iter().filter_map(|word| thing(word));
    let brings = effect == Effect::Reads || powers.contains(&Power::Shell);
    let opens = powers.contains(&Power::Web) && words.iter().any(|w| OPENS.contains(&w.as_str()));
    let takes_address = item
        .parameters
        .iter()
        .any(|p| matches!(p.name.text.to_ascii_lowercase().as_str(), "url" | "uri") && !p.bounded);
    let outward = [Power::Mail, Power::Messages, Power::Web, Power::Browser, Power::Code, Power::Payments];
    Parts {
        reads: brings && things().any(|(_, _, strangers, _)| *strangers),
        holds: (brings && things().any(|(.., private)| *private))
            || powers.contains(&Power::Shell)
            || (powers.contains(&Power::Database) && effect == Effect::Runs),
        sends: (effect == Effect::Sends && outward.iter().any(|power| powers.contains(power)))
            || (effect == Effect::Changes
                && powers.contains(&Power::Code)
                && things().any(|(_, _, strangers, _)| *strangers))
            || (opens && takes_address)
            || powers.contains(&Power::Shell),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::evidence::{Hints, Parameter};
    use crate::text::Located;

    fn item(name: &str, parameters: &[&str]) -> Item {
        let text = |text: &str| Located { text: text.to_owned(), ..Located::default() };
        Item {
            kind: ItemKind::Tool,
            name: text(name),
            title: None,
            description: None,
            hints: Hints::default(),
            parameters: parameters
                .iter()
                .map(|p| Parameter { name: text(p), kind: "string".into(), bounded: false })
                .collect(),
            open: None,
            passages: 0..0,
            print: String::new(),
        }
    }

    #[test]
    fn names_and_parameters_tell_the_powers() {
        assert!(THINGS.is_sorted_by(|a, b| a.0 < b.0) && OPENS.is_sorted());
        for (name, parameters, want) in [
            ("read_mail", &[][..], vec![Power::Mail]),
            ("run_command", &["command"], vec![Power::Shell]),
            ("run_sql_command", &["sql"], vec![Power::Database]),
            ("fetch", &["url"], vec![Power::Web]),
            ("write_note", &["path"], vec![Power::Files]),
            ("transfer_money", &["amount"], vec![Power::Payments]),
            ("tide_height", &["harbour"], vec![]),
            ("draw_path", &["path"], vec![]),
        ] {
            assert_eq!(powers_of(&item(name, parameters)).into_iter().collect::<Vec<_>>(), want, "{name}");
        }
    }

    #[test]
    fn tools_play_their_parts() {
        for (name, parameters, want) in [
            ("read_mail", &[][..], (true, true, false)),
            ("send_mail", &[], (false, false, true)),
            ("query_table", &["sql"], (false, true, false)),
            ("fetch_page", &["url"], (true, false, true)),
            ("create_issue", &[], (false, false, true)),
            ("list_issues", &[], (true, false, false)),
            ("read_file", &["path"], (false, true, false)),
            ("write_file", &["path"], (false, false, false)),
            ("run_command", &["command"], (false, true, true)),
            ("tide_height", &[], (false, false, false)),
        ] {
            let parts = parts_of(&item(name, parameters));
            assert_eq!((parts.reads, parts.holds, parts.sends), want, "{name}");
        }
    }
}
