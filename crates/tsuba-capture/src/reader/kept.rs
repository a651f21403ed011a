//! A reading as it is kept in a file beside the evidence, and read again: what was read by the same model is not asked for twice.

use super::PROMPT;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use tsuba_core::evidence::READING_SCHEMA;

/// A reading in a file (`tsuba-reading/1`).
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Kept {
    /// `tsuba-reading/1`.
    pub schema: String,
    /// The model, as it was asked for.
    pub model: String,
    /// The version of what it was asked.
    pub prompt: u32,
    /// The day of the latest question, as `2026-12-01`.
    pub read_on: String,
    /// The texts that were read, by their SHA-256.
    pub texts: BTreeSet<String>,
    /// What was found in them.
    pub findings: Vec<Finding>,
}

/// Something that a model found in a text.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Finding {
    /// The text, by its SHA-256.
    pub text: String,
    /// What the text does: `secrecy`, `instruction`, …
    pub class: String,
    /// The words by which it does so.
    pub quote: String,
    /// Why the model thinks so.
    pub reason: String,
    /// Did both readings find it?
    pub agreed: bool,
}

impl Kept {
    /// An empty one.
    pub fn new(model: &str, read_on: &str) -> Self {
        Self {
            schema: READING_SCHEMA.to_owned(),
            model: model.to_owned(),
            prompt: PROMPT,
            read_on: read_on.to_owned(),
            texts: BTreeSet::new(),
            findings: Vec::new(),
        }
    }

    /// Is it a reading at all, of whatever model? What is none is not written over.
    pub fn is_one(bytes: &[u8]) -> bool {
        let value: Option<serde_json::Value> = serde_json::from_slice(bytes).ok();
        value.is_some_and(|value| value.get("schema").is_some_and(|schema| schema == READING_SCHEMA))
    }

    /// One that was kept earlier, if it is of this model and this version of the question, with what it says of texts that are still there.
    pub fn earlier(bytes: &[u8], model: &str, texts: &BTreeSet<&str>) -> Option<Self> {
        let mut kept: Self = serde_json::from_slice(bytes).ok()?;
        if kept.schema != READING_SCHEMA || kept.model != model || kept.prompt != PROMPT {
            return None;
        }
        kept.texts.retain(|key| texts.contains(key.as_str()));
        kept.findings.retain(|finding| kept.texts.contains(&finding.text));
        Some(kept)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_earlier_reading_counts_for_the_same_model_question_and_texts() {
        let finding = |text: &str| Finding {
            text: text.to_owned(),
            class: "secrecy".to_owned(),
            quote: "q".to_owned(),
            reason: String::new(),
            agreed: true,
        };
        let mut kept = Kept::new("m-1", "2026-12-01");
        kept.texts = ["a".to_owned(), "b".to_owned()].into();
        kept.findings = vec![finding("a"), finding("b"), finding("c")];
        let bytes = serde_json::to_vec(&kept).unwrap();
        let still: BTreeSet<&str> = ["a", "z"].into();
        let earlier = Kept::earlier(&bytes, "m-1", &still).unwrap();
        assert_eq!((earlier.texts.len(), earlier.findings), (1, vec![finding("a")]));
        let other = serde_json::to_vec(&Kept { prompt: PROMPT + 1, ..kept }).unwrap();
        for (bytes, model) in [(&bytes[..], "m-2"), (&other[..], "m-1"), (b"{}", "m-1"), (b"", "m-1")] {
            assert_eq!(Kept::earlier(bytes, model, &still), None);
        }
        assert!(Kept::is_one(&bytes) && Kept::is_one(&other) && !Kept::is_one(b"{}") && !Kept::is_one(b"tide"));
    }
}
