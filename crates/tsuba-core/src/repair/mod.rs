//! repair: what can be mended safely, as changes of a document's text that leave everything else as it is. A change counts only when the
//! document is read again and judged again, the finding is gone, and nothing else has come or gone.

mod edit;
mod known;

pub use known::{Known, LOCKFILES, Locked, installed, locked};

use crate::judge::{Audit, Finding, InTurn, Options, Rule, audit};
use crate::prelude::*;
use crate::read::{Input, Notation};
use crate::understand::credential::Lexicon;
use crate::understand::{Outcome, Study, packs_secrets, study};

/// How a finding can be mended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Repair {
    /// Write this in the place of the value.
    Write(String),
    /// Take the value out of its list.
    TakeOut,
    /// Write the reference to a new prompt in the place of the value, and the prompt into the list of the document's inputs.
    Prompt(Prompt),
}

/// A prompt by which a client asks its user for a secret.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Prompt {
    /// Its name, by which it is referred to.
    pub id: String,
    /// What the user reads.
    pub description: String,
}

/// A finding, as a repair tells of it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Mended {
    /// The line it stands on, in the text as it was before this change.
    pub line: u32,
    /// The rule.
    pub rule: &'static str,
    /// What was wrong. It may be printed.
    pub message: String,
}

/// A document after its repair.
#[derive(Clone, Debug, Default)]
pub struct Repaired {
    /// Its text, without a byte order mark.
    pub text: String,
    /// What is mended, in the order done.
    pub done: Vec<Mended>,
    /// What is not, though its rule knows how: it could not be done safely here.
    pub left: Vec<Mended>,
}

/// More changes than this are not tried in one document.
const MOST: usize = 500;
/// Each change is read and judged: in a long document fewer are tried (bytes in all).
const WORK: usize = 256 << 20;

/// Mends a document; `others` are studied documents that say something about it: evidence, above all.
pub fn repair(document: &Study, others: &[Study], rules: &[&'static Rule], options: &Options) -> Repaired {
    let lexicon = Lexicon::with(options.policy.vocabulary.clone());
    let workshop = Workshop { document, others, rules, options, lexicon };
    let mut out = Repaired { text: document.document.text.clone(), ..Repaired::default() };
    // A dotenv file is where secrets are kept, and a table is a report of somebody else.
    if matches!(document.document.notation, Notation::Dotenv | Notation::Csv) {
        return out;
    }
    // A secret that a link, an entity or a cluster's manifest carries in another form could not be masked in the lines of a diff.
    let stands = |secret: &str| document.document.text.contains(secret);
    let hidden = document.document.notation == Notation::Prose
        && document.all_handed().any(|(_, handed)| handed.is_plaintext() && !stands(&handed.value.text));
    if hidden || packs_secrets(&document.document) {
        return out;
    }
    let Some(mut now) = workshop.judge(&out.text) else { return out };
    let mut given_up: BTreeSet<(String, String)> = BTreeSet::new();
    let is_open = |finding: &&Finding, given_up: &BTreeSet<(String, String)>| {
        finding.repair.is_some() && finding.waived.is_none() && !given_up.contains(&key(finding))
    };
    for _ in 0..MOST.min(1 + WORK / out.text.len().max(1)) {
        let open = now.own().find(|finding| is_open(finding, &given_up));
        let Some(finding) = open else { break };
        let told = mended(finding);
        match workshop.mend(&now, finding) {
            Some((text, next)) => {
                out.done.push(told);
                (out.text, now) = (text, next);
            }
            None => {
                given_up.insert(key(finding));
                out.left.push(told);
            }
        }
    }
    out.left.extend(now.own().filter(|finding| is_open(finding, &given_up)).map(mended));
    out
}

fn key(finding: &Finding) -> (String, String) {
    (finding.rule.id.to_owned(), finding.pointer.as_str().to_owned() + finding.message.as_str())
}

fn mended(finding: &Finding) -> Mended {
    Mended { line: finding.start.line, rule: finding.rule.id, message: finding.message.as_str().to_owned() }
}

/// What a repair works with.
struct Workshop<'w> {
    document: &'w Study,
    others: &'w [Study],
    rules: &'w [&'static Rule],
    options: &'w Options,
    lexicon: Lexicon,
}

/// A text, judged.
struct Judged {
    audit: Audit,
    at: usize,
}

impl Judged {
    /// The findings of the document itself.
    fn own(&self) -> impl Iterator<Item = &Finding> {
        self.audit.findings.iter().filter(|finding| finding.stands.study == self.at)
    }

    fn study(&self) -> Option<&Study> {
        self.audit.studies.get(self.at)
    }
}

impl Workshop<'_> {
    fn judge(&self, text: &str) -> Option<Judged> {
        let own = &self.document.document;
        let input = Input { path: own.path.clone(), bytes: text.as_bytes().to_vec(), facts: own.facts.clone() };
        let Outcome::Setup(study) = study(input, &self.lexicon) else { return None };
        let studies = self.others.iter().cloned().chain([*study]).collect();
        let audit = audit(studies, Vec::new(), self.rules, self.options, &InTurn);
        let at = audit.studies.iter().position(|study| study.document.path == own.path)?;
        Some(Judged { audit, at })
    }

    /// The text and its judgement with one finding mended; `None` where that would change anything else.
    fn mend(&self, now: &Judged, finding: &Finding) -> Option<(String, Judged)> {
        let study = now.study()?;
        let text = edit::edited(&study.document, finding.span(), finding.repair.as_ref()?)?;
        let next = self.judge(&text)?;
        let names = |judged: &Judged| -> Option<Vec<String>> {
            Some(judged.study()?.entries.iter().map(|entry| entry.name.text.clone()).collect())
        };
        let open = |judged: &Judged| {
            let mut count: BTreeMap<(&'static str, String), usize> = BTreeMap::new();
            for finding in judged.own() {
                *count.entry((finding.rule.id, finding.message.as_str().to_owned())).or_default() += 1;
            }
            count
        };
        let (before, after) = (open(now), open(&next));
        let gone = |count: &BTreeMap<(&'static str, String), usize>| {
            count.get(&(finding.rule.id, finding.message.as_str().to_owned())).copied().unwrap_or_default()
        };
        // What was written may still stand in a message of another rule; nothing may be worse than it was.
        let total = |count: &BTreeMap<(&'static str, String), usize>, rule: &str| -> usize {
            count.iter().filter(|((id, _), _)| *id == rule).map(|(_, count)| count).sum()
        };
        let worse = after.keys().any(|(rule, _)| total(&after, rule) > total(&before, rule));
        let better = gone(&after) < gone(&before);
        (better && !worse && names(now) == names(&next)).then_some((text, next))
    }
}

#[cfg(test)]
mod tests;
