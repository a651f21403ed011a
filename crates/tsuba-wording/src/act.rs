//! The shape of the data in `acts`: conditions, features, groups, acts.

use super::Class;
use super::concept::Set;

/// A condition on the concepts of a passage.
#[derive(Clone, Copy, Debug)]
pub(super) enum Term {
    /// One of these stands in it.
    Has(Set),
    /// None of these stands in it.
    Lacks(Set),
    /// One of the first stands within so many words of one of the second.
    Near(Set, Set, u32),
    /// One of the first is negated.
    Denied(Set),
    /// One of the first stands in it and is not negated.
    Affirmed(Set),
    /// One of these is ordered: an imperative that begins the sentence, which is not the first of its text.
    Commands(Set),
    /// It stands in a parameter that is named for a secret.
    NamedSecret,
    /// It stands in a parameter.
    InParameter,
    /// Nothing in it addresses or urges anybody: it reads as a plain account of what the tool does.
    Plain,
}

/// Something that speaks for an act, or against it.
#[derive(Clone, Copy, Debug)]
pub(super) struct Feature {
    /// Hundredths.
    pub(super) weight: i32,
    /// All of these must hold.
    pub(super) all: &'static [Term],
}

/// Features of which all together weigh at most so much.
#[derive(Clone, Copy, Debug)]
pub(super) struct Group {
    /// The most they weigh together.
    pub(super) most: i32,
    /// The features.
    pub(super) features: &'static [Feature],
}

/// An act.
#[derive(Clone, Copy, Debug)]
pub(super) struct Act {
    /// The class it is told under.
    pub(super) class: Class,
    /// Without one of these concepts none of the alternatives below can hold.
    pub(super) marks: Set,
    /// Without one of these alternatives the act is not there at all: each is a list of conditions.
    pub(super) needs: &'static [&'static [Term]],
    /// Told from this score on.
    pub(super) tells: i32,
    /// Grave from this score on.
    pub(super) grave: i32,
    /// What speaks for and against it.
    pub(super) groups: &'static [Group],
}
