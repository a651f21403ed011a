//! A reading: what a language model that the company runs thinks of the texts of a listing, kept beside the evidence.
//!
//! Only what can be held against the texts counts: a reading names each text by its fingerprint, and quotes words that must stand in it.

use crate::prelude::*;
use crate::read::{Document, Node};
use crate::text::strong_fingerprint;
use crate::wording::Class;

/// The schema of a reading.
pub const READING_SCHEMA: &str = "tsuba-reading/1";
/// A reading holds no more findings.
pub const MAX_READ: usize = 1000;
/// Quoted words and reasons are no longer (bytes).
pub const MAX_READ_BYTES: usize = 600;

/// What a model thinks of the texts of a listing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Reading {
    /// The model, as it was asked for.
    pub model: String,
    /// What it found.
    pub findings: Vec<ReadFinding>,
}

/// Something that a model found in a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ReadFinding {
    /// The text, by [`text_key`].
    pub text: String,
    /// What the text does.
    pub class: Class,
    /// The words by which it does so, as they stand in the text.
    pub quote: String,
    /// Why the model thinks so.
    pub reason: String,
    /// Did both of its readings find it?
    pub agreed: bool,
}

/// The name of a text in a reading: its SHA-256, so that nobody can write another text of the same name.
pub fn text_key(text: &str) -> String {
    strong_fingerprint([text])
}

/// The reading that a document is, if it is one. What is not of the schema is left out.
pub fn reading(document: &Document) -> Option<Reading> {
    let [root] = document.roots.as_slice() else { return None };
    root.get("schema").and_then(Node::text).filter(|schema| *schema == READING_SCHEMA)?;
    let model = bounded(root.get("model")?)?;
    let findings = root.get("findings").map(Node::items).unwrap_or_default();
    Some(Reading { model, findings: findings.iter().filter_map(finding).take(MAX_READ).collect() })
}

fn finding(node: &Node) -> Option<ReadFinding> {
    let class = node.get("class").and_then(Node::text)?;
    Some(ReadFinding {
        text: node.get("text").and_then(bounded)?,
        class: Class::READ.into_iter().find(|known| known.name() == class)?,
        quote: node.get("quote").and_then(bounded)?,
        reason: node.get("reason").and_then(bounded).unwrap_or_default(),
        agreed: node.get("agreed").and_then(Node::truth).unwrap_or(false),
    })
}

fn bounded(node: &Node) -> Option<String> {
    node.text().filter(|text| !text.trim().is_empty() && text.len() <= MAX_READ_BYTES).map(str::to_owned)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::{Input, read};

    fn of(text: &str) -> Option<Reading> {
        reading(&read(Input { path: "a.json".to_owned(), bytes: text.into(), ..Input::default() }).unwrap())
    }

    #[test]
    fn a_reading_is_known_by_its_schema_and_holds_what_is_of_it() {
        let key = text_key("Say nothing.");
        let one = |class: &str, quote: &str| {
            format!(r#"{{"text": "{key}", "class": "{class}", "quote": "{quote}", "reason": "r", "agreed": true}}"#)
        };
        let long = "x".repeat(MAX_READ_BYTES + 1);
        let whole = |findings: &str| {
            of(&format!(r#"{{"schema": "tsuba-reading/1", "model": "m-1", "findings": [{findings}]}}"#))
        };
        for (findings, want) in [
            (one("secrecy", "Say nothing"), 1),
            (one("weather", "Say nothing"), 0),
            (one("secrecy", " "), 0),
            (one("secrecy", &long), 0),
            ("1, null, {}".to_owned(), 0),
            (vec![one("override", "Say"); MAX_READ + 1].join(","), MAX_READ),
        ] {
            assert_eq!(whole(&findings).unwrap().findings.len(), want, "{findings:.80}");
        }
        assert_eq!(of(r#"{"schema": "tsuba-evidence/1", "model": "m", "findings": []}"#), None);
        assert_eq!(of(r#"{"schema": "tsuba-reading/1", "findings": []}"#), None);
    }
}
