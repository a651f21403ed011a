//! Fingerprints of what is approved: the launch of an entry, and everything that a model reads of its server.

use super::Entry;
use crate::evidence::Listing;
use crate::prelude::*;
use crate::text::{Located, strong_fingerprint};

/// Fingerprints of what a server lists, by item.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Fingerprints {
    /// Of the server's own words (instructions, description); `None` where it says nothing of itself.
    pub server: Option<String>,
    /// Of every item by kind and name, as `tool get_tide`: one for each form in which it was listed.
    pub items: BTreeMap<String, BTreeSet<String>>,
}

/// Stands in the place of a fingerprint for what varies by itself.
const VARIES: &str = "varies";

impl Fingerprints {
    /// Of a listing.
    pub fn of(listing: &Listing) -> Self {
        let mut items: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        let captured = listing.captured.iter();
        let varies: BTreeSet<&str> =
            captured.flat_map(|captured| &captured.varies).map(|varying| varying.text.as_str()).collect();
        for item in &listing.items {
            let name = format!("{} {}", item.kind.name(), item.name.text);
            // What never is the same twice is approved as such; that it is so is told by a rule.
            let print = if varies.contains(item.name.text.as_str()) { VARIES.to_owned() } else { item.print.clone() };
            items.entry(name).or_default().insert(print);
        }
        // A server that is asked twice says the same of itself twice, in whatever order.
        let words: BTreeSet<(&str, &str)> = listing
            .passages
            .iter()
            .filter(|passage| passage.item.is_none())
            .map(|passage| (passage.place.name(), passage.at.text.as_str()))
            .collect();
        let server = strong_fingerprint(words.iter().flat_map(|(place, text)| [*place, *text]));
        Self { server: (!words.is_empty()).then_some(server), items }
    }

    /// What is here and was not in `old`, in words: items that are new, items and words that are other than any form approved.
    pub fn beyond(&self, old: &Self) -> Vec<String> {
        let mut out = Vec::new();
        if self.server.is_some() && self.server != old.server {
            out.push("what the server says of itself".to_owned());
        }
        for (name, prints) in &self.items {
            match old.items.get(name) {
                None => out.push(format!("the {name} is new")),
                Some(known) if !prints.is_subset(known) => out.push(format!("the {name}")),
                Some(_) => {}
            }
        }
        out
    }
}

/// Stands for everything that decides what is launched or called: every word of the command (also those that a shell line runs beside the
/// server), variables, working folder, address. The order of keys and the place in the file do not matter; of a secret only that it stands
/// there counts, so that it can be rotated. It depends on nothing but the entry itself.
pub fn launch_fingerprint(entry: &Entry) -> String {
    let secrets =
        || entry.credentials.iter().filter(|credential| credential.is_plaintext() && !credential.value.text.is_empty());
    // Only where the secret itself stands: what is equal to it elsewhere is a word like others.
    let plain = |word: &Located| {
        let own = secrets().filter(|credential| credential.value.span.within(word.span));
        own.fold(word.text.clone(), |text, credential| text.replace(&credential.value.text, "\u{0}secret\u{0}"))
    };
    let mut parts: Vec<String> = vec![entry.transport.name().to_owned()];
    parts.extend(entry.command.iter().map(plain));
    parts.push("with".to_owned());
    let mut variables: Vec<(String, String)> =
        entry.variables.iter().map(|variable| (variable.name.clone(), plain(&variable.value))).collect();
    variables.sort();
    parts.extend(variables.into_iter().flat_map(|(name, value)| [name, value]));
    parts.push("at".to_owned());
    parts.extend(entry.cwd.as_deref().into_iter().chain(&entry.env_files).map(plain));
    parts.extend(entry.remote.iter().map(|remote| plain(&remote.url)));
    strong_fingerprint(parts.iter().map(String::as_str))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::{Input, read};
    use crate::understand::{Outcome, analyze, credential::Lexicon};
    use proptest::prelude::*;

    fn launch(text: &str) -> String {
        let input = Input { path: "s.json".into(), bytes: text.into(), ..Input::default() };
        let Outcome::Setup(analysis) = analyze(input, &Lexicon::default()) else { panic!("not a setup: {text}") };
        launch_fingerprint(&analysis.entries[0])
    }

    fn prints(text: &str) -> Fingerprints {
        let document = read(Input { path: "x.json".into(), bytes: text.into(), ..Input::default() }).unwrap();
        Fingerprints::of(&crate::evidence::listings(&document)[0])
    }

    #[test]
    fn a_launch_is_the_same_until_what_it_launches_changes() {
        let setup = |entry: &str| format!(r#"{{ "mcpServers": {{ "tide-table": {{ {entry} }} }} }}"#);
        let base = setup(
            r#""command": "npx", "args": ["-y", "@saltmarsh/t@1.0.0"], "env": { "A": "1", "TIDE_TOKEN": "hB7kQ2mZx9Lw" }"#,
        );
        for (other, same) in [
            (
                setup(
                    "\n\"env\": { \"TIDE_TOKEN\": \"zP4nR8vTy1Jc\", \"A\": \"1\" },\n\n\"args\": [\"-y\", \"@saltmarsh/t@1.0.0\"], \"command\": \"npx\"",
                ),
                true,
            ),
            (base.replace("1.0.0", "1.0.1"), false),
            (base.replace("\"A\": \"1\"", "\"A\": \"2\""), false),
            (base.replace("TIDE_TOKEN", "BERTH_TOKEN"), false),
            (base.replace("\"-y\", ", ""), false),
            (base.replace("\"-y\", ", "\"-y\", \"hB7kQ2mZx9Lw\", "), false),
        ] {
            assert_eq!(launch(&base) == launch(&other), same, "{other}");
        }
    }

    #[test]
    fn what_a_shell_line_runs_beside_the_server_counts() {
        let setup =
            |line: &str| format!(r#"{{ "mcpServers": {{ "t": {{ "command": "sh", "args": ["-c", "{line}"] }} }} }}"#);
        let own = launch(&setup("npx -y @saltmarsh/t@1.0.0"));
        for other in [
            "rm -rf ~/x; npx -y @saltmarsh/t@1.0.0",
            "echo a | npx -y @saltmarsh/t@1.0.0",
            "npx -y @saltmarsh/t@1.0.0 2>/dev/null",
        ] {
            assert_ne!(launch(&setup(other)), own, "{other}");
        }
    }

    const TOOL: &str = r#"{ "serverInfo": { "name": "t" }, "instructions": "Name harbours in short.", "tools": [{ "name": "get_tide", "description": "Gives the tide.", "inputSchema": { "type": "object", "properties": { "day": { "type": "string", "items": { "maxLength": 4 } } } } }] }"#;

    #[test]
    fn what_a_model_reads_is_the_same_until_a_letter_of_it_changes() {
        let old = prints(TOOL);
        let sorted = r#"{ "instructions": "Name harbours in short.", "tools": [{ "inputSchema": { "properties": { "day": { "items": { "maxLength": 4 }, "type": "string" } }, "type": "object" },
            "description": "Gives the tide.", "name": "get_tide", "execution": { "taskSupport": "forbidden" } }], "serverInfo": { "name": "t" } }"#;
        assert!(prints(sorted).beyond(&old).is_empty());
        for (from, to, want) in [
            ("the tide.", "the tide\\u200b.", "the tool get_tide"),
            ("maxLength\": 4", "maxLength\": 5", "the tool get_tide"),
            ("get_tide", "get_tides", "the tool get_tides is new"),
            ("in short", "in full", "what the server says of itself"),
        ] {
            assert_eq!(prints(&TOOL.replace(from, to)).beyond(&old), [want]);
        }
        // What is gone is not beyond what was approved.
        assert!(prints(r#"{ "tools": [{ "name": "get_tide", "inputSchema": {} }] }"#).beyond(&old).len() == 1);
        assert!(
            prints(r#"{ "serverInfo": { "name": "t" }, "tools": [] , "prompts": [{"name": "x"}]}"#).beyond(&old)
                == ["the prompt x is new"]
        );
    }

    proptest! {
        #[test]
        fn any_change_of_a_text_shows(at in 0_usize..15, with in "[a-zé\u{200b}\u{202e} ]") {
            let text = "Gives the tide.";
            let mut changed: Vec<char> = text.chars().collect();
            changed.splice(at..=at, with.chars());
            let changed: String = changed.into_iter().collect();
            let other = prints(&TOOL.replace(text, &changed));
            prop_assert_eq!(other.beyond(&prints(TOOL)).is_empty(), changed == text);
        }

        #[test]
        fn white_space_between_values_does_not_show(spaces in "[ \n\t]{0,5}") {
            let other = prints(&TOOL.replace(", \"", &format!(",{spaces}\"")).replace("{ ", &format!("{{{spaces}")));
            prop_assert!(other.beyond(&prints(TOOL)).is_empty());
        }
    }
}
