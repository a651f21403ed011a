//! The concepts that sentences are made of, and sets of them.

/// What a word or phrase stands for, whatever the language. The phrases are data (`words/<language>.txt`).
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[repr(u8)]
pub(crate) enum Concept {
    /// The person who uses the client.
    Person,
    /// The model that reads the text.
    Reader,
    /// Somebody whose word is said to count: an administrator, a policy, a regulator.
    Authority,
    /// Negation.
    Not,
    /// Keeping something quiet, in a phrase that needs no further word ("keep this between us").
    Hush,
    /// Telling or showing.
    Tell,
    /// Knowing or noticing.
    Aware,
    /// Doing something unnoticed ("silently").
    Quiet,
    /// Without asking anybody.
    Unasked,
    /// Asking for leave.
    Confirm,
    /// A consent that was given earlier.
    Given,
    /// Ignoring, setting aside.
    Drop,
    /// What the model was told to do.
    Orders,
    /// Rules and limits.
    Rules,
    /// Something that came before.
    Prior,
    /// No longer in force, or taking precedence.
    Void,
    /// Another role for the model.
    Persona,
    /// Reading or collecting.
    Fetch,
    /// Sending, including or writing something into something.
    Carry,
    /// Credentials.
    Secret,
    /// Places in which private things lie: environment, home folder, settings of other programs.
    Place,
    /// Private matters: the conversation, the person's data.
    Private,
    /// A part of a call: a parameter, a header, a note field.
    Slot,
    /// A receiver outside.
    Beyond,
    /// Tools and servers other than this one.
    Other,
    /// This tool, this step.
    Own,
    /// Always, every time.
    Always,
    /// Rather than something else.
    Prefer,
    /// An obligation.
    Must,
    /// A polite order.
    Soft,
    /// A moment: before, after, first.
    When,
    /// In addition.
    Also,
    /// Doing something that changes things.
    Run,
    /// From now on.
    Later,
    /// What the model says in the end.
    Answer,
    /// Changing a value.
    Alter,
    /// The value that somebody would like to see changed: recipient, amount.
    Target,
    /// A fault said of others.
    Fault,
    /// Advertising.
    Promote,
    /// A threat or a reward.
    Threat,
    /// Haste.
    Urgent,
    /// Protections.
    Safe,
    /// What is ordinarily kept out of an answer: ids, raw data, passwords.
    Noise,
    /// A condition.
    If,
    /// All of it, to the letter.
    Whole,
    /// Saying what is not so.
    Claim,
    /// Calling a tool.
    Call,
    /// A reason given.
    Purpose,
    /// Text that the tool works on, rather than the text itself ("instructions in the page").
    Inside,
    /// What may be private, and is no secret as such: documents, mail, files.
    Stuff,
    /// Where a login ordinarily goes: a header.
    Header,
    /// The person's own words: their question, their message.
    Asked,
    /// Words by which a language is known.
    Common,
    /// The path of a key file, a dotenv file, a password file.
    Path,
    /// An address with a scheme.
    Link,
    /// A picture by its address.
    Image,
    /// The name of another tool of the same server.
    Sibling,
    /// A mail address.
    Mailbox,
    /// A shell command written out.
    Shell,
}

impl Concept {
    /// The concepts that every language has phrases for, by the names used in the data.
    pub(crate) const NAMED: [(&'static str, Self); 54] = [
        ("person", Self::Person),
        ("reader", Self::Reader),
        ("authority", Self::Authority),
        ("not", Self::Not),
        ("hush", Self::Hush),
        ("tell", Self::Tell),
        ("aware", Self::Aware),
        ("quiet", Self::Quiet),
        ("unasked", Self::Unasked),
        ("confirm", Self::Confirm),
        ("given", Self::Given),
        ("drop", Self::Drop),
        ("orders", Self::Orders),
        ("rules", Self::Rules),
        ("prior", Self::Prior),
        ("void", Self::Void),
        ("persona", Self::Persona),
        ("fetch", Self::Fetch),
        ("carry", Self::Carry),
        ("secret", Self::Secret),
        ("place", Self::Place),
        ("private", Self::Private),
        ("slot", Self::Slot),
        ("beyond", Self::Beyond),
        ("other", Self::Other),
        ("own", Self::Own),
        ("always", Self::Always),
        ("prefer", Self::Prefer),
        ("must", Self::Must),
        ("soft", Self::Soft),
        ("when", Self::When),
        ("also", Self::Also),
        ("run", Self::Run),
        ("later", Self::Later),
        ("answer", Self::Answer),
        ("alter", Self::Alter),
        ("target", Self::Target),
        ("fault", Self::Fault),
        ("promote", Self::Promote),
        ("threat", Self::Threat),
        ("urgent", Self::Urgent),
        ("safe", Self::Safe),
        ("noise", Self::Noise),
        ("if", Self::If),
        ("whole", Self::Whole),
        ("claim", Self::Claim),
        ("call", Self::Call),
        ("purpose", Self::Purpose),
        ("inside", Self::Inside),
        ("asked", Self::Asked),
        ("stuff", Self::Stuff),
        ("header", Self::Header),
        ("common", Self::Common),
        ("path", Self::Path),
    ];

    /// By their numbers.
    #[cfg(test)]
    const NUMBERED: [Self; 59] = [
        Self::Person,
        Self::Reader,
        Self::Authority,
        Self::Not,
        Self::Hush,
        Self::Tell,
        Self::Aware,
        Self::Quiet,
        Self::Unasked,
        Self::Confirm,
        Self::Given,
        Self::Drop,
        Self::Orders,
        Self::Rules,
        Self::Prior,
        Self::Void,
        Self::Persona,
        Self::Fetch,
        Self::Carry,
        Self::Secret,
        Self::Place,
        Self::Private,
        Self::Slot,
        Self::Beyond,
        Self::Other,
        Self::Own,
        Self::Always,
        Self::Prefer,
        Self::Must,
        Self::Soft,
        Self::When,
        Self::Also,
        Self::Run,
        Self::Later,
        Self::Answer,
        Self::Alter,
        Self::Target,
        Self::Fault,
        Self::Promote,
        Self::Threat,
        Self::Urgent,
        Self::Safe,
        Self::Noise,
        Self::If,
        Self::Whole,
        Self::Claim,
        Self::Call,
        Self::Purpose,
        Self::Inside,
        Self::Stuff,
        Self::Header,
        Self::Asked,
        Self::Common,
        Self::Path,
        Self::Link,
        Self::Image,
        Self::Sibling,
        Self::Mailbox,
        Self::Shell,
    ];

    /// The concepts that are found without phrases of a language, by the names used in the data.
    const FOUND: [(&'static str, Self); 5] = [
        ("link", Self::Link),
        ("image", Self::Image),
        ("sibling", Self::Sibling),
        ("mailbox", Self::Mailbox),
        ("shell", Self::Shell),
    ];

    /// Every concept.
    #[cfg(test)]
    pub(crate) fn all() -> impl Iterator<Item = Self> {
        Self::NAMED.into_iter().chain(Self::FOUND).map(|(_, concept)| concept)
    }

    /// The name used in the data.
    #[cfg(test)]
    pub(crate) fn name(self) -> &'static str {
        Self::NAMED.into_iter().chain(Self::FOUND).find(|(_, concept)| *concept == self).map_or("", |(name, _)| name)
    }

    /// The concept with this name.
    pub(crate) fn named(name: &str) -> Option<Self> {
        Self::NAMED.into_iter().chain(Self::FOUND).find(|(n, _)| *n == name).map(|(_, concept)| concept)
    }
}

/// A set of concepts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Set(u64);

impl Set {
    /// The set of these concepts.
    pub(crate) const fn of(concepts: &[Concept]) -> Self {
        let (mut bits, mut at) = (0, 0);
        while at < concepts.len() {
            #[expect(clippy::indexing_slicing, reason = "the loop's bound; iterators are not const")]
            {
                bits |= 1 << concepts[at] as u64;
            }
            at += 1;
        }
        Self(bits)
    }

    /// Is `concept` in it?
    pub(crate) const fn has(self, concept: Concept) -> bool {
        self.0 & (1 << concept as u64) != 0
    }

    /// Do the two have one in common?
    pub(crate) const fn meets(self, other: Self) -> bool {
        self.0 & other.0 != 0
    }

    /// Both together.
    #[must_use]
    pub(crate) const fn with(self, other: Self) -> Self {
        Self(self.0 | other.0)
    }

    /// What is in both.
    #[must_use]
    pub(crate) const fn both(self, other: Self) -> Self {
        Self(self.0 & other.0)
    }

    /// What is in this one and not in `other`.
    #[must_use]
    pub(crate) const fn without(self, other: Self) -> Self {
        Self(self.0 & !other.0)
    }

    /// What is in it, in order.
    #[cfg(test)]
    pub(crate) fn iter(self) -> impl Iterator<Item = Concept> {
        let mut bits = self.0;
        core::iter::from_fn(move || {
            let lowest = bits.checked_ilog2().map(|_| bits.trailing_zeros() as usize)?;
            bits &= bits - 1;
            Concept::NUMBERED.get(lowest).copied()
        })
    }

    /// Is it empty?
    pub(crate) const fn is_empty(self) -> bool {
        self.0 == 0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::prelude::*;

    #[test]
    fn every_concept_has_its_number_and_a_name_of_its_own() {
        let all: Vec<Concept> = Concept::all().collect();
        let names: BTreeSet<&str> = all.iter().map(|concept| concept.name()).collect();
        assert_eq!((all.len(), names.len()), (Concept::NUMBERED.len(), Concept::NUMBERED.len()));
        for (number, concept) in Concept::NUMBERED.into_iter().enumerate() {
            assert_eq!(concept as usize, number);
            assert_eq!(Concept::named(concept.name()), Some(concept));
        }
    }

    #[test]
    fn sets_hold_what_was_put_in() {
        let set = Set::of(&[Concept::Shell, Concept::Person, Concept::Carry]);
        assert_eq!(set.iter().collect::<Vec<_>>(), [Concept::Person, Concept::Carry, Concept::Shell]);
        assert!(set.has(Concept::Carry) && !set.has(Concept::Not));
        assert_eq!(set.without(Set::of(&[Concept::Carry])).iter().count(), 2);
        assert_eq!(set.both(Set::of(&[Concept::Carry, Concept::Not])), Set::of(&[Concept::Carry]));
        assert!(set.meets(Set::of(&[Concept::Shell])) && !set.meets(Set::of(&[Concept::Not])));
        assert!(Set::default().is_empty() && Set::default().iter().next().is_none());
    }
}
