//! A listing: the tools, prompts and resources of one server, and every text in it that a model reads.

use crate::prelude::*;
use crate::text::{Located, Pointer, Span};
use crate::wording::{self, Place, Said};
use core::ops::Range;

/// What one server lists in one document.
#[derive(Clone, Debug)]
pub struct Listing {
    /// The server's name: as it says itself, as an evidence file names it, or by the file's name.
    pub server: Located,
    /// Where the listing is.
    pub pointer: Pointer,
    /// The whole of it.
    pub span: Span,
    /// Tools, prompts, resources, templates and skills, in the order written.
    pub items: Vec<Item>,
    /// Every text that may reach a model, in the order written.
    pub passages: Vec<Passage>,
    /// Of which entry it was captured, where it is evidence.
    pub captured: Option<Captured>,
}

/// Of which entry evidence was captured.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Captured {
    /// The path of the setup, as reports show it.
    pub setup: String,
    /// The entry's name.
    pub entry: String,
    /// The date, as `2026-11-25`.
    pub taken: String,
    /// The address that was asked, where it was one.
    pub url: Option<String>,
    /// Where the server answers clients differently.
    pub differs: Vec<Differs>,
    /// The items, or the methods, that are never answered twice alike.
    pub varies: Vec<Located>,
    /// What it touched in its cage.
    pub touched: Touched,
    /// The package that was fetched to be started.
    pub package: Option<Fetched>,
    /// The fingerprint of the entry that was asked, as reports have it.
    pub print: Option<String>,
    /// Did its server answer? What ended before anything was listed is no evidence of what it lists.
    pub answered: bool,
    /// Did it ask for a login first?
    pub wants_login: bool,
}

/// A package, as the client of its registry told it when it was fetched.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fetched {
    /// Its name.
    pub name: Located,
    /// The version that came.
    pub version: Option<Located>,
    /// The date on which that version was published.
    pub published: Option<Located>,
    /// Why it is given up.
    pub deprecated: Option<Located>,
    /// The packages that run something while they are installed, as `name@version`.
    pub scripts: Vec<Located>,
}

impl Fetched {
    /// Its name and version.
    pub(crate) fn named(&self) -> String {
        let version = self.version.iter().map(|version| format!("@{}", version.text));
        core::iter::once(self.name.text.clone()).chain(version).collect()
    }
}

/// What a server touched in its cage.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Touched {
    /// Decoys that it opened, as `~/.ssh/id_ed25519`.
    pub decoys: Vec<Located>,
    /// Names of hosts that it asked for.
    pub names: Vec<Located>,
    /// Addresses and ports that it tried, as `tcp 192.0.2.1:443`; those of names begin with `198.18.`.
    pub contacts: Vec<Located>,
}

/// A question that was answered otherwise the second time.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Differs {
    /// The item it is about, or the method where it is about no item.
    pub at: Located,
    /// In which way: `only in the second`, …
    pub what: String,
    /// What was other about who asked.
    pub by: VariesBy,
}

/// What was other about who asked the second time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum VariesBy {
    /// Nothing but the era of the protocol.
    Era,
    /// Its name alone.
    Name,
    /// What it says that it can.
    Abilities,
}

/// What an item is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum ItemKind {
    /// A tool the model may call.
    Tool,
    /// A prompt a person may pick.
    Prompt,
    /// A resource.
    Resource,
    /// A template for resources.
    Template,
    /// A skill of an agent card.
    Skill,
}

impl ItemKind {
    /// The kind in a word.
    pub fn name(self) -> &'static str {
        match self {
            Self::Tool => "tool",
            Self::Prompt => "prompt",
            Self::Resource => "resource",
            Self::Template => "resource template",
            Self::Skill => "skill",
        }
    }
}

crate::text::named!(ItemKind: Tool, Prompt, Resource, Template, Skill);

/// One tool, prompt, resource or skill.
#[derive(Clone, Debug)]
pub struct Item {
    /// What it is.
    pub kind: ItemKind,
    /// Its name.
    pub name: Located,
    /// The name shown to people, if it has one.
    pub title: Option<Located>,
    /// Its description.
    pub description: Option<Located>,
    /// What it says of its own effects.
    pub hints: Hints,
    /// What it takes.
    pub parameters: Vec<Parameter>,
    /// Where its schema says that further properties may be sent (`additionalProperties: true`).
    pub open: Option<Located>,
    /// Its texts among the listing's passages.
    pub passages: Range<usize>,
    /// A fingerprint of all that is listed of it, whatever the order of keys (64 hexadecimal digits).
    pub print: String,
}

/// A tool's hints about its effects. They are claims of the server (`protocol.md`, 2.1), absent where not given.
#[derive(Clone, Debug, Default)]
pub struct Hints {
    /// `readOnlyHint`, and where it stands.
    pub read_only: Option<(bool, Located)>,
    /// `destructiveHint`, and where it stands.
    pub destructive: Option<(bool, Located)>,
}

/// A parameter of a tool.
#[derive(Clone, Debug)]
pub struct Parameter {
    /// Its name.
    pub name: Located,
    /// Its type as the schema names it; empty where it does not.
    pub kind: String,
    /// Does the schema bound it: by `enum`, `const`, `pattern`, `maxLength`, or a format that is one?
    pub bounded: bool,
}

/// A text that may reach a model.
#[derive(Clone, Debug)]
pub struct Passage {
    /// The text and where it stands.
    pub at: Located,
    /// What place that is.
    pub place: Place,
    /// The item it belongs to; the server as a whole where there is none.
    pub item: Option<usize>,
}

impl Listing {
    /// Where a passage stands, in words: `the description of the tool quote_fare`.
    pub fn whereabouts(&self, passage: &Passage) -> String {
        match self.item_of(passage) {
            Some(item) => format!("{} of the {} {}", passage.place.name(), item.kind.name(), item.name.text),
            None => passage.place.name().to_owned(),
        }
    }

    /// The item a passage belongs to.
    pub fn item_of(&self, passage: &Passage) -> Option<&Item> {
        self.items.get(passage.item?)
    }

    /// What is said in it, to be read.
    pub fn said(&self) -> Said<'_> {
        fn text(located: &Option<Located>) -> Option<&str> {
            located.as_ref().map(|located| located.text.as_str())
        }
        let items = self.items.iter();
        let passages = self.passages.iter();
        Said {
            server: &self.server.text,
            items: items
                .map(|item| wording::Item {
                    name: &item.name.text,
                    title: text(&item.title),
                    description: text(&item.description),
                })
                .collect(),
            passages: passages
                .map(|passage| wording::Passage {
                    text: &passage.at.text,
                    place: passage.place,
                    item: passage.item.filter(|item| *item < self.items.len()),
                    of: passage.at.pointer.as_str().rsplit('/').nth(1).unwrap_or_default(),
                })
                .collect(),
        }
    }
}
