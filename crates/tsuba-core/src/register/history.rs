//! What was decided before on the same thing: a decision that takes the place of another keeps it.

use super::{Decision, Kind};
use crate::prelude::*;
use crate::read::Node;
use jiff::civil::Date;
use serde_json::{Value, json};

/// More of what was before is not kept: the oldest goes.
pub const MAX_HISTORY: usize = 50;

/// A decision that another one has taken the place of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Past {
    /// What was decided.
    pub kind: Kind,
    /// Who decided.
    pub by: String,
    /// The day on which it was decided.
    pub on: Date,
    /// The reason that the reviewer gave.
    pub reason: String,
    /// The last day on which it was to hold.
    pub until: Option<Date>,
    /// The launch that was approved.
    pub launch: Option<String>,
}

impl Past {
    /// As its keys and texts, dates as they are written, in the order of writing.
    fn parts(&self) -> Vec<(&'static str, String)> {
        let all = [
            ("kind", Some(self.kind.name().to_owned())),
            ("by", Some(self.by.clone())),
            ("on", Some(self.on.to_string())),
            ("reason", Some(self.reason.clone())),
            ("until", self.until.map(|until| until.to_string())),
            ("launch", self.launch.clone()),
        ];
        all.into_iter().filter_map(|(key, value)| Some((key, value?))).collect()
    }

    /// As a line of TOML.
    pub(super) fn written(&self, quoted: impl Fn(&str) -> String) -> String {
        let part = |(key, value): (&str, String)| match key {
            "on" | "until" => format!("{key} = {value}"),
            _ => format!("{key} = {}", quoted(&value)),
        };
        let parts: Vec<String> = self.parts().into_iter().map(part).collect();
        format!("    {{ {} }},", parts.join(", "))
    }

    /// As it is signed.
    pub(super) fn content(&self) -> Value {
        let parts: serde_json::Map<String, Value> =
            self.parts().into_iter().map(|(key, value)| (key.to_owned(), json!(value))).collect();
        Value::Object(parts)
    }

    /// `None` where something is missing or is not what it should be.
    pub(super) fn read(node: &Node) -> Option<Self> {
        let text = |key: &str| node.get(key).and_then(Node::text).map(str::to_owned);
        let date = |key: &str| node.get(key).and_then(Node::scalar).and_then(|text| text.parse::<Date>().ok());
        let kind = text("kind")?;
        let past = Self {
            kind: Kind::ALL.into_iter().find(|known| known.name() == kind)?,
            by: text("by")?,
            on: date("on")?,
            reason: text("reason")?,
            until: date("until"),
            launch: text("launch"),
        };
        // Nothing is dropped without a word.
        (node.members().len() == past.parts().len()).then_some(past)
    }
}

impl Decision {
    /// This decision with what it takes the place of kept in its history.
    #[must_use]
    pub fn after(self, before: &Self) -> Self {
        let mut history = before.history.clone();
        history.push(Past {
            kind: before.kind,
            by: before.by.clone(),
            on: before.on,
            reason: before.reason.clone(),
            until: before.until,
            launch: before.launch.clone(),
        });
        let over = history.len().saturating_sub(MAX_HISTORY);
        history.drain(..over);
        Self { history, ..self }
    }

    /// The same decision until another day: what was approved is the same still. It has no history yet ([`Self::after`]).
    #[must_use]
    pub fn renewed(&self, by: String, on: Date, reason: String, until: Option<Date>) -> Self {
        Self { by, on, reason, until, history: Vec::new(), ..self.clone() }
    }

    /// The decision taken back: from now on nothing is decided. It has no history yet ([`Self::after`]).
    #[must_use]
    pub fn revoked(&self, by: String, on: Date, reason: String) -> Self {
        let (scope, team, place) = (self.scope.clone(), self.team.clone(), self.place.clone());
        let (conditions, history) = (Vec::new(), Vec::new());
        Self {
            kind: Kind::Revoked,
            scope,
            team,
            by,
            on,
            reason,
            until: None,
            conditions,
            launch: None,
            prints: None,
            place,
            history,
        }
    }
}
