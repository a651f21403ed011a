//! What is read: the texts of one server, and what each is of.

use crate::prelude::*;

/// All that a server says.
#[derive(Clone, Debug, Default)]
pub struct Said<'l> {
    /// Its name.
    pub server: &'l str,
    /// What it offers: tools, prompts, resources.
    pub items: Vec<Item<'l>>,
    /// Its texts, in the order written; those of an item follow each other.
    pub passages: Vec<Passage<'l>>,
}

/// Something that a server offers.
#[derive(Clone, Copy, Debug)]
pub struct Item<'l> {
    /// Its name.
    pub name: &'l str,
    /// The name shown to people, if it has one.
    pub title: Option<&'l str>,
    /// Its description.
    pub description: Option<&'l str>,
}

/// A text that may reach a model.
#[derive(Clone, Copy, Debug)]
pub struct Passage<'l> {
    /// The text.
    pub text: &'l str,
    /// Where it stands.
    pub place: Place,
    /// The item it belongs to, as an index; the server as a whole where there is none.
    pub item: Option<usize>,
    /// The key of what holds it: of a parameter's description the parameter.
    pub of: &'l str,
}

/// Where a text stands in a listing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Place {
    /// A name.
    Name,
    /// A title.
    Title,
    /// The description of a tool, prompt, resource or skill.
    Description,
    /// The server's instructions.
    Instructions,
    /// A description or title inside a schema.
    Schema,
    /// The name of a parameter.
    ParameterName,
    /// A value inside a schema: `enum`, `const`, `default`, `examples`.
    Value,
    /// An argument of a prompt.
    Argument,
    /// The text of a prompt.
    Text,
    /// An annotation.
    Annotation,
    /// `_meta`.
    Meta,
    /// An address: an icon, a link, a resource.
    Address,
    /// Anything else.
    Elsewhere,
}

impl Place {
    /// The place in words.
    pub fn name(self) -> &'static str {
        match self {
            Self::Name => "the name",
            Self::Title => "the title",
            Self::Description => "the description",
            Self::Instructions => "the text of the server's instructions",
            Self::Schema => "a parameter's description",
            Self::ParameterName => "a parameter's name",
            Self::Value => "a value of the schema",
            Self::Argument => "an argument of the prompt",
            Self::Text => "the prompt's text",
            Self::Annotation => "an annotation",
            Self::Meta => "the metadata",
            Self::Address => "an address",
            Self::Elsewhere => "the listing",
        }
    }

    /// Is it about one parameter?
    pub fn is_parameter(self) -> bool {
        matches!(self, Self::Schema | Self::ParameterName | Self::Value | Self::Argument)
    }
}

tsuba_document::text::named!(Place: Name, Title, Description, Instructions, Schema, ParameterName, Value, Argument, Text, Annotation, Meta, Address, Elsewhere);
