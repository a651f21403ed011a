//! What a rule is: metadata, and a check that says "here".

use super::{Circumstance, Fix, Verdict, Ways};
use crate::evidence::Listing;
use crate::evidence::oauth::OAuthDocuments;
use crate::policy::Policy;
use crate::prelude::*;
use crate::register::{Decision, Register, ReviewStatus};
use crate::severity::{Confidence, Severity};
use crate::text::Located;
use crate::understand::{Analysis, Entry, Logins, SetupKind, as_written, listing_of};
use crate::wording::Remark;
use jiff::civil::Date;

/// A rule. Its file is the only place that knows it; its cases lie beside that file.
#[derive(Debug)]
pub struct Rule {
    /// `family/name`, the path of its file.
    pub id: &'static str,
    /// What is wrong, in a few words.
    pub title: &'static str,
    /// How bad it is when nothing speaks for more or less.
    pub severity: Severity,
    /// What an entry with a finding of at least `high` gets: something its owner can mend, or no.
    pub verdict: Verdict,
    /// The message; words in braces are filled in by each finding.
    pub message: &'static str,
    /// Why it matters.
    pub why: &'static str,
    /// What to do; may hold the same words in braces.
    pub fix: &'static str,
    /// A setup in which it fires.
    pub before: &'static str,
    /// The same setup, mended.
    pub after: &'static str,
    /// Where it comes from.
    pub references: &'static [&'static str],
    /// How its findings are treated.
    pub ways: Ways,
    /// What it looks at.
    pub check: Check,
}

impl Rule {
    /// The part of the identifier before the slash.
    pub fn family(&self) -> &'static str {
        self.id.split('/').next().unwrap_or(self.id)
    }

    /// Its identifier, and what it was called before.
    pub fn names(&self) -> Vec<&'static str> {
        core::iter::once(self.id).chain(self.ways.formerly).collect()
    }
}

/// What a rule looks at; it gets exactly that.
#[derive(Clone, Copy, Debug)]
pub enum Check {
    /// One entry at a time.
    Entry(fn(&Entries<'_>, &mut Out<'_>)),
    /// One setup at a time.
    Setup(fn(&Analysis, &mut Out<'_>)),
    /// One listing at a time: what a server says of itself.
    Listing(fn(&Listings<'_>, &mut Out<'_>)),
    /// The OAuth evidence of one document at a time.
    OAuth(fn(&OAuth<'_>, &mut Out<'_>)),
    /// Everything at once.
    All(fn(&All<'_>, &mut Out<'_>)),
    /// Several of these: what is wrong may show in several places.
    Each(&'static [Check]),
}

impl Check {
    /// One by one.
    pub(super) fn each(&'static self) -> &'static [Self] {
        match self {
            Self::Each(all) => all,
            one => core::slice::from_ref(one),
        }
    }
}

/// An entry in its setup, on a date.
#[derive(Clone, Copy, Debug)]
pub struct Entries<'a> {
    /// The entry.
    pub entry: &'a Entry,
    /// The setup it stands in.
    pub analysis: &'a Analysis,
    /// The date of the audit.
    pub today: Date,
    /// What the company has decided for all.
    pub policy: &'a Policy,
}

impl Entries<'_> {
    /// The setup's text, to cut places in.
    pub fn source(&self) -> &str {
        &self.analysis.document.text
    }

    /// A setting as the file says it: where it is deployed by its key and value, else as the option of a command line.
    pub fn quoted(&self, setting: &Located, option: impl FnOnce() -> String) -> String {
        as_written(self.analysis.kind, self.source(), setting).unwrap_or_else(option)
    }
}

/// A listing in its document.
#[derive(Clone, Copy, Debug)]
pub struct Listings<'a> {
    /// The listing.
    pub listing: &'a Listing,
    /// What is thought of its words.
    pub remarks: &'a [Remark],
    /// The entry that stands for it.
    pub entry: &'a Entry,
    /// The document it stands in.
    pub analysis: &'a Analysis,
    /// The date of the audit.
    pub today: Date,
}

impl Listings<'_> {
    /// The document's text, to cut places in.
    pub fn source(&self) -> &str {
        &self.analysis.document.text
    }
}

/// What a document holds about how to log in, on a date.
#[derive(Clone, Copy, Debug)]
pub struct OAuth<'a> {
    /// The metadata, keys, clients and grants of the document.
    pub oauth_documents: &'a OAuthDocuments,
    /// The date of the audit.
    pub today: Date,
    /// What the company has decided for all.
    pub policy: &'a Policy,
}

/// Every setup of the audit.
#[derive(Clone, Copy, Debug)]
pub struct All<'a> {
    /// The setups in order.
    pub analyses: &'a [Analysis],
    /// The date of the audit.
    pub today: Date,
    /// What was decided, where a register is kept.
    pub register: Option<&'a Register>,
    /// What the company has decided for all.
    pub policy: &'a Policy,
    /// Where each entry stands with the register, by setup; empty without a register.
    pub standings: &'a [Vec<Option<ReviewStatus>>],
    /// The logins at servers.
    pub logins: &'a Logins,
}

impl<'a> All<'a> {
    /// Every entry that is switched on, with where it stands in the register and the decision that this rests on.
    pub fn standings(&self) -> impl Iterator<Item = (EntryRef, &'a Entry, &'a ReviewStatus, Option<&'a Decision>)> {
        self.entries().filter(|(_, _, entry)| !entry.disabled).filter_map(|(entry_ref, _, entry)| {
            let standing = self.standings.get(entry_ref.analysis)?.get(entry_ref.entry?)?.as_ref()?;
            let decision = standing.decision().zip(self.register).and_then(|(at, r)| r.decisions.get(at));
            Some((entry_ref, entry, standing, decision))
        })
    }

    /// Every entry with where it stands.
    pub fn entries(&self) -> impl Iterator<Item = (EntryRef, &'a Analysis, &'a Entry)> {
        self.analyses.iter().enumerate().flat_map(|(s, analysis)| {
            analysis
                .entries
                .iter()
                .enumerate()
                .map(move |(e, entry)| (EntryRef { analysis: s, entry: Some(e) }, analysis, entry))
        })
    }
}

/// The entries that one client gets: of one setup, or of all setups of one person.
#[derive(Clone, Debug)]
pub struct Client<'a> {
    /// The person, where the entries are those of several setups of theirs.
    pub person: Option<&'a str>,
    /// The entries that are switched on, with where they stand.
    pub entries: Vec<(EntryRef, &'a Entry)>,
}

impl<'a> All<'a> {
    /// What the server of an entry lists, if that is known.
    pub fn listing_of(&self, entry: &Entry) -> Option<&'a Listing> {
        listing_of(self.analyses, entry)
    }

    /// What is thought of its words.
    pub fn remarks_of(&self, entry: &Entry) -> &'a [Remark] {
        let listed = entry.listed.and_then(|listed| Some((self.analyses.get(listed.analysis)?, listed.entry)));
        listed.and_then(|(analysis, entry)| Some(analysis.remarks_of(analysis.entries.get(entry)?))).unwrap_or_default()
    }

    /// Every client: first those of one setup, then those of people with several setups.
    pub fn clients(&self) -> Vec<Client<'a>> {
        let mut setups = Vec::new();
        let mut people: BTreeMap<&'a str, Vec<(EntryRef, &'a Entry)>> = BTreeMap::new();
        // What is deployed, or only shown in a text, is in nobody's client; who calls a gateway gets all that is behind it.
        let of_clients =
            |(_, analysis): &(usize, &Analysis)| matches!(analysis.kind, SetupKind::Client | SetupKind::Gateway);
        for (s, analysis) in self.analyses.iter().enumerate().filter(of_clients) {
            let entries: Vec<(EntryRef, &'a Entry)> = analysis
                .entries
                .iter()
                .enumerate()
                .filter(|(_, entry)| entry.listing.is_none() && !entry.disabled)
                .map(|(e, entry)| (EntryRef { analysis: s, entry: Some(e) }, entry))
                .collect();
            if entries.is_empty() {
                continue;
            }
            let owner = analysis.document.facts.owner.as_ref().filter(|_| analysis.kind == SetupKind::Client);
            if let Some(owner) = owner {
                people.entry(owner).or_default().extend(entries.iter().copied());
            }
            setups.push(Client { person: None, entries });
        }
        let several = |entries: &[(EntryRef, &Entry)]| {
            let first = entries.first().map(|(entry_ref, _)| entry_ref.analysis);
            entries.iter().any(|(entry_ref, _)| Some(entry_ref.analysis) != first)
        };
        let people = people.into_iter().filter(|(_, entries)| several(entries));
        setups.extend(people.map(|(person, entries)| Client { person: Some(person), entries }));
        setups
    }
}

/// Which setup, and which entry of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct EntryRef {
    /// Index of the setup.
    pub analysis: usize,
    /// Index of the entry, if the finding belongs to one.
    pub entry: Option<usize>,
}

/// Something a rule found.
#[derive(Clone, Debug)]
pub struct Hit {
    pub(super) entry_ref: EntryRef,
    pub(super) at: Located,
    pub(super) args: Vec<(&'static str, String)>,
    pub(super) circumstances: Vec<Circumstance>,
    pub(super) confidence: Confidence,
    pub(super) repair: Option<Fix>,
    pub(super) corrected: Option<String>,
    pub(super) shown: Shown,
    pub(super) base_severity: Option<Severity>,
    pub(super) advice: Option<String>,
    pub(super) besides: Vec<Cow<'static, str>>,
    pub(super) steps: Vec<String>,
}

/// A text as the model reads it, and as a person sees it.
#[derive(Clone, Debug, Default)]
pub struct Shown {
    /// As the model reads it.
    pub reads: Option<String>,
    /// As a person sees it, where that differs.
    pub sees: Option<String>,
}

impl Hit {
    /// Fills in a word of the message.
    pub fn arg(&mut self, name: &'static str, value: impl Into<String>) -> &mut Self {
        self.args.push((name, value.into()));
        self
    }

    /// Notes a circumstance.
    pub fn circumstance(&mut self, circumstance: Circumstance) -> &mut Self {
        self.circumstances.push(circumstance);
        self
    }

    /// Notes a circumstance if it holds.
    pub fn circumstance_if(&mut self, holds: bool, circumstance: Circumstance) -> &mut Self {
        if holds { self.circumstance(circumstance) } else { self }
    }

    /// Says how sure it is; certain unless said otherwise.
    pub fn confidence(&mut self, confidence: Confidence) -> &mut Self {
        self.confidence = confidence;
        self
    }

    /// Shows the text as the model reads it, and as a person sees it where that differs.
    pub fn shows(&mut self, reads: impl Into<String>, sees: Option<String>) -> &mut Self {
        self.shown = Shown { reads: Some(reads.into()), sees };
        self
    }

    /// Says how it can be mended, where that is safe.
    pub fn fix(&mut self, repair: Fix) -> &mut Self {
        self.repair = Some(repair);
        self
    }

    /// Weighs so much before circumstances, in the place of what the rule weighs: for rules that the company has written.
    pub fn base_severity(&mut self, severity: Severity) -> &mut Self {
        self.base_severity = Some(severity);
        self
    }

    /// Adds to the message what is so today and is no part of what was found: its fingerprint stays when that changes.
    pub fn besides(&mut self, text: impl Into<Cow<'static, str>>) -> &mut Self {
        self.besides.push(text.into());
        self
    }

    /// Names what is passed through, in order, where the finding is about a way: tools, or servers.
    pub fn steps(&mut self, steps: impl IntoIterator<Item = String>) -> &mut Self {
        self.steps = steps.into_iter().collect();
        self
    }

    /// Says what to do, in the place of what the rule says.
    pub fn advice(&mut self, text: impl Into<String>) -> &mut Self {
        self.advice = Some(text.into());
        self
    }

    /// Gives the corrected text to write at the place.
    pub fn corrected(&mut self, text: impl Into<String>) -> &mut Self {
        self.corrected = Some(text.into());
        self
    }
}

/// Where a rule puts what it found.
#[derive(Debug)]
pub struct Out<'o> {
    pub(super) entry_ref: EntryRef,
    pub(super) hits: &'o mut Vec<Hit>,
}

impl Out<'_> {
    /// Reports a finding at a place of the entry, listing or setup that the rule was given.
    pub fn hit(&mut self, at: &Located) -> &mut Hit {
        self.hit_in(self.entry_ref, at)
    }

    /// Here, of one entry of the setup: for rules that look at the whole of one.
    pub fn hit_of(&mut self, entry: usize, at: &Located) -> &mut Hit {
        self.hit_in(EntryRef { entry: Some(entry), ..self.entry_ref }, at)
    }

    /// Here, in another setup: for rules that look at everything.
    pub fn hit_in(&mut self, entry_ref: EntryRef, at: &Located) -> &mut Hit {
        let hit = Hit {
            entry_ref,
            at: at.clone(),
            args: Vec::new(),
            circumstances: Vec::new(),
            confidence: Confidence::Certain,
            corrected: None,
            repair: None,
            shown: Shown::default(),
            base_severity: None,
            advice: None,
            besides: Vec::new(),
            steps: Vec::new(),
        };
        self.hits.push(hit);
        let last = self.hits.len() - 1;
        #[expect(clippy::indexing_slicing, reason = "pushed in the line above")]
        &mut self.hits[last]
    }
}
