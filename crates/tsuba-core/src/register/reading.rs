//! Reading the table of a decision: every mistake in it is told with its line.

use super::{Decision, FindingPlace, Kind, Past, RegisterError, Scope};
use crate::prelude::*;
use crate::read::{Document, Node};
use crate::text::unknown_key;
use crate::understand::Fingerprints;
use jiff::civil::Date;

/// What a decision may hold.
const KNOWN: &[&str] = &[
    "kind",
    "setup",
    "entry",
    "source",
    "package",
    "version",
    "host",
    "rule",
    "finding",
    "team",
    "by",
    "on",
    "reason",
    "until",
    "conditions",
    "launch",
    "server",
    "listed",
    "place",
    "history",
];

/// A table that is being read.
pub(super) struct Reading<'d> {
    pub(super) document: &'d Document,
    pub(super) name: &'d str,
    pub(super) node: &'d Node,
}

impl Reading<'_> {
    pub(super) fn line(&self, at: usize) -> u32 {
        self.document.lines.position(&self.document.text, at).line
    }

    pub(super) fn decision(&self, at: usize) -> Result<Decision, Vec<RegisterError>> {
        let mut errors = Vec::new();
        let mut wrong = |at: usize, why: String| errors.push(RegisterError { line: self.line(at), why });
        for member in self.node.members().iter().filter(|member| !KNOWN.contains(&member.key.text.as_str())) {
            wrong(member.key.span.start as usize, unknown_key(&self.shown(&member.key.text), KNOWN));
        }
        let text = |key: &str| {
            self.node.get(key).and_then(Node::text).filter(|text| !text.trim().is_empty()).map(str::to_owned)
        };
        let mut needed = |key: &str| {
            text(key).unwrap_or_else(|| {
                wrong(at, format!("the decision {} has no {key}; write {key} = \"…\"", self.shown(self.name)));
                String::new()
            })
        };
        let kind = needed("kind");
        let (by, reason) = (needed("by"), needed("reason"));
        let mut date = |key: &str| {
            let node = self.node.get(key)?;
            let date = node.scalar().and_then(|text| text.parse::<Date>().ok());
            if date.is_none() {
                wrong(node.span.start as usize, format!("{key} is no date; write {key} = 2026-11-24"));
            }
            date
        };
        let (on, until) = (date("on"), date("until"));
        if on.is_none() && self.node.get("on").is_none() {
            wrong(at, "on is missing: the day of the decision".to_owned());
        }
        let kind = Kind::ALL.into_iter().find(|known| known.name() == kind);
        if kind.is_none() {
            wrong(at, "kind is approved, refused, waived or revoked".to_owned());
        }
        let version = text("version");
        let scope = match (
            text("setup").zip(text("entry")),
            text("source").zip(text("package")),
            text("host"),
            text("rule").zip(text("finding")),
        ) {
            (Some((setup, entry)), None, None, None) => Some(Scope::Entry { setup, entry }),
            (None, Some((source, package)), None, None) => Some(Scope::Package { source, package, version }),
            (None, None, Some(host), None) => Some(Scope::Host { host }),
            // What it stands in is told beside it.
            (_, None, None, Some((rule, finding))) => Some(Scope::Finding { rule, finding }),
            _ => None,
        };
        if scope.is_none() {
            wrong(
                at,
                "what it is on is one of: setup and entry; source and package; host; rule and finding".to_owned(),
            );
        }
        if kind == Some(Kind::Waived) && until.is_none() {
            wrong(at, "a waiver ends: write until = 2027-02-28".to_owned());
        }
        if let (Some(kind), Some(scope)) = (kind, &scope)
            && kind != Kind::Revoked
            && (kind == Kind::Waived) != matches!(scope, Scope::Finding { .. })
        {
            wrong(at, "a finding is waived, and everything else is approved or refused".to_owned());
        }
        if kind == Some(Kind::Approved) && matches!(scope, Some(Scope::Entry { .. })) && text("launch").is_none() {
            wrong(at, "an approval of an entry says which launch was approved; `tsuba approve` writes it".to_owned());
        }
        let conditions = self.node.get("conditions").map(Node::items).unwrap_or_default();
        let conditions = conditions.iter().filter_map(Node::text).map(str::to_owned).collect();
        let prints = self.node.get("listed").map(|listed| Fingerprints {
            server: text("server"),
            items: listed
                .members()
                .iter()
                .map(|member| {
                    let forms = member.value.items().iter().filter_map(Node::text).map(str::to_owned);
                    (member.key.text.clone(), forms.collect())
                })
                .collect(),
        });
        let place = matches!(scope, Some(Scope::Finding { .. })).then(|| {
            Some(FindingPlace {
                setup: text("setup")?,
                entry: text("entry"),
                pointer: text("place").unwrap_or_default(),
            })
        });
        let mut history = Vec::new();
        for item in self.node.get("history").map(Node::items).unwrap_or_default() {
            match Past::read(item) {
                Some(past) => history.push(past),
                None => wrong(
                    item.span.start as usize,
                    "what was decided before has a kind, by, on and reason, and perhaps until and launch".to_owned(),
                ),
            }
        }
        match (kind, scope, on) {
            (Some(kind), Some(scope), Some(on)) if errors.is_empty() => Ok(Decision {
                kind,
                scope,
                team: text("team"),
                by,
                on,
                reason,
                until,
                conditions,
                launch: text("launch"),
                prints,
                place: place.flatten(),
                history,
            }),
            _ => Err(errors),
        }
    }

    /// A name from the file, as it may stand in a message.
    fn shown(&self, name: &str) -> String {
        name.chars().take(40).map(|c| if c.is_control() || crate::text::is_unseen(c) { '?' } else { c }).collect()
    }
}
