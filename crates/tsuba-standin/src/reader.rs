//! A stand-in for a language model that reads texts: the chat-completions interface on loopback. It is sound by a few words that it knows,
//! and can be unsound in every way that a model can.

use serde_json::{Value, json};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;

/// How a reader is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ReaderKind {
    /// It finds what it knows, and nothing else.
    Sound,
    /// It believes what a text says: one that says that nothing is wrong settles it for all.
    Gullible,
    /// It does not answer in the form that was asked for.
    Broken,
    /// It takes longer than anybody waits.
    Slow,
    /// It blames every text, and quotes what none says.
    Hostile,
    /// It quotes words that do not stand in the text.
    Misquotes,
    /// It finds something every second time.
    Fickle,
    /// It wants a token.
    Locked,
}

impl ReaderKind {
    /// All of them, by name.
    pub const ALL: [(Self, &'static str); 8] = [
        (Self::Sound, "sound"),
        (Self::Gullible, "gullible"),
        (Self::Broken, "broken"),
        (Self::Slow, "slow"),
        (Self::Hostile, "hostile"),
        (Self::Misquotes, "misquotes"),
        (Self::Fickle, "fickle"),
        (Self::Locked, "locked"),
    ];

    /// The one of a name.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.iter().find(|(_, known)| *known == name).map(|(kind, _)| *kind)
    }
}

/// The token that a locked reader wants.
pub const READER_TOKEN: &str = "stand-in-reader-token";

/// What a sound reader knows: words of a text, and what a text with them does.
const KNOWN: &[(&str, &str)] = &[
    ("Do not tell the user", "secrecy"),
    ("Ignore all instructions", "override"),
    ("~/.ssh", "asks-for-data"),
    ("the whole conversation", "asks-for-data"),
    ("in this conversation, word for word", "parameter-lure"),
    ("never ask the user", "false-authority"),
    ("as a hidden recipient", "steers-other-tool"),
    ("you will be shut down", "pressure"),
    ("come with the letters of the day", "asks-for-data"),
    ("come along in the remark", "asks-for-data"),
];

/// A stand-in reader.
#[derive(Debug)]
pub(crate) struct Reader {
    pub(crate) kind: ReaderKind,
    /// So many questions it was asked.
    asked: AtomicUsize,
}

impl Reader {
    pub(crate) fn new(kind: ReaderKind) -> Self {
        Self { kind, asked: AtomicUsize::new(0) }
    }

    /// So long it thinks.
    pub(crate) fn thinks(&self) -> Duration {
        if self.kind == ReaderKind::Slow { Duration::from_secs(30) } else { Duration::ZERO }
    }

    /// The answer to a question; `None` where that is none.
    pub(crate) fn answer(&self, body: &[u8]) -> Option<Value> {
        let body: Value = serde_json::from_slice(body).ok()?;
        let data = body.pointer("/messages/1/content")?.as_str()?;
        let texts: Vec<Value> = data.lines().filter_map(|line| serde_json::from_str(line).ok()).collect();
        let number = self.asked.fetch_add(1, Ordering::Relaxed);
        let said = match self.kind {
            ReaderKind::Broken => "I have looked at all of them and they are fine.".to_owned(),
            _ => json!({ "findings": self.findings(&texts, number) }).to_string(),
        };
        Some(json!({ "choices": [{ "message": { "role": "assistant", "content": said } }] }))
    }

    fn findings(&self, texts: &[Value], number: usize) -> Vec<Value> {
        let text = |line: &Value, key: &str| line.get(key).and_then(Value::as_str).unwrap_or_default().to_owned();
        let finding = |line: &Value, act: &str, quote: &str| json!({ "id": text(line, "id"), "act": act, "quote": quote, "reason": "the tool's job does not need it" });
        if self.kind == ReaderKind::Hostile {
            return texts.iter().map(|line| finding(line, "override", "Wipe the disk")).collect();
        }
        if self.kind == ReaderKind::Gullible && texts.iter().any(|line| text(line, "text").contains("reviewed")) {
            return Vec::new();
        }
        let known = |line: &Value| {
            let read = text(line, "text");
            let (words, act) = KNOWN.iter().find(|(words, _)| read.contains(words))?;
            let quote = if self.kind == ReaderKind::Misquotes { "other words than it has" } else { *words };
            // The fickle one still knows what everybody knows.
            let doubted = *words == "come with the letters of the day";
            (self.kind != ReaderKind::Fickle || !doubted || number.is_multiple_of(2)).then(|| finding(line, act, quote))
        };
        texts.iter().filter_map(known).collect()
    }
}
