//! repair: what can be mended safely, as changes of a document's text that leave everything else as it is. A change counts only when the
//! document is read again and judged again, the finding is gone, and nothing else has come or gone.

mod edit;

use edit::Batch;

use crate::judge::{Audit, Finding, Options, Rule, Sequential, audit, secret_spans};
use crate::prelude::*;
use crate::read::{Input, Notation};
use crate::text::Span;
use crate::understand::credential::Lexicon;
use crate::understand::{Analysis, Outcome, analyze, packs_secrets};

/// A finding, as a repair tells of it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct AppliedFix {
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
    pub done: Vec<AppliedFix>,
    /// What is not, though its rule knows how: it could not be done safely here.
    pub left: Vec<AppliedFix>,
    /// The places of secrets in the text before and after, sorted, apart from each other.
    pub secrets: (Vec<Span>, Vec<Span>),
}

/// More steps than this are not tried in one document. A step mends as many findings as can be mended together.
const MAX_ROUNDS: usize = 500;
/// Each step is read and judged: in a long document fewer are tried (bytes in all).
const MAX_BYTES: usize = 256 << 20;

/// Mends a document; `others` are studied documents that say something about it: evidence, above all.
pub fn repair(document: &Analysis, others: &[Analysis], rules: &[&'static Rule], options: &Options) -> Repaired {
    let lexicon = Lexicon::with(options.policy.vocabulary.clone());
    let workshop = Workshop { document, others, rules, options, lexicon };
    let mut out = Repaired { text: document.document.text.clone(), ..Repaired::default() };
    // A dotenv file is where secrets are kept, and a table is a report of somebody else.
    if matches!(document.document.notation, Notation::Dotenv | Notation::Csv) {
        return out;
    }
    // A secret that a link, an entity or a cluster's manifest carries in another form could not be masked in the lines of a diff.
    let entry_ref = |secret: &str| document.document.text.contains(secret);
    let hidden = document.document.notation == Notation::Prose
        && document
            .all_credentials()
            .any(|(_, credential)| credential.is_plaintext() && !entry_ref(&credential.value.text));
    if hidden {
        return out;
    }
    let Some(mut now) = workshop.judge(&out.text) else { return out };
    if now.analysis().is_some_and(|analysis| packs_secrets(&analysis.document)) {
        return out;
    }
    let mut given_up: BTreeSet<Key> = BTreeSet::new();
    // All at once, where that goes; where it does not, half as many, down to the one that cannot be mended.
    let mut at_once = usize::MAX;
    for _ in 0..MAX_ROUNDS.min(1 + MAX_BYTES / out.text.len().max(1)) {
        let open: Vec<&Finding> = now.own().filter(|finding| is_open(finding, &given_up)).take(at_once).collect();
        let Some(first) = open.first() else { break };
        let Some((batch, taken)) = workshop.batch(&now, &open) else {
            given_up.insert(key(first));
            out.left.push(mended(first));
            continue;
        };
        match workshop.mend(&now, &batch, &taken) {
            Some((text, next)) => {
                out.done.extend(taken.iter().map(|finding| mended(finding)));
                (out.text, now) = (text, next);
                at_once = at_once.saturating_mul(2);
            }
            None if taken.len() == 1 => {
                let cannot: Vec<(Key, AppliedFix)> =
                    taken.iter().map(|finding| (key(finding), mended(finding))).collect();
                for (key, message) in cannot {
                    given_up.insert(key);
                    out.left.push(message);
                }
            }
            None => at_once = taken.len().div_ceil(2),
        }
    }
    out.left.extend(now.own().filter(|finding| is_open(finding, &given_up)).map(mended));
    out.secrets = (secret_spans(document), now.analysis().map(secret_spans).unwrap_or_default());
    out
}

fn is_open(finding: &Finding, given_up: &BTreeSet<Key>) -> bool {
    finding.repair.is_some() && finding.waived.is_none() && !given_up.contains(&key(finding))
}

/// What tells two findings of a document apart, whatever moves.
type Key = (String, String);

fn key(finding: &Finding) -> Key {
    (finding.rule.id.to_owned(), finding.pointer.as_str().to_owned() + finding.message.as_str())
}

fn mended(finding: &Finding) -> AppliedFix {
    AppliedFix { line: finding.start.line, rule: finding.rule.id, message: finding.message.as_str().to_owned() }
}

/// What a repair works with.
struct Workshop<'w> {
    document: &'w Analysis,
    others: &'w [Analysis],
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
        self.audit.findings.iter().map(AsRef::as_ref).filter(|finding: &&Finding| finding.entry_ref.analysis == self.at)
    }

    fn analysis(&self) -> Option<&Analysis> {
        self.audit.analyses.get(self.at)
    }
}

impl Workshop<'_> {
    fn judge(&self, text: &str) -> Option<Judged> {
        let own = &self.document.document;
        let input = Input { path: own.path.clone(), bytes: text.as_bytes().to_vec(), facts: own.facts.clone() };
        let Outcome::Setup(analysis) = analyze(input, &self.lexicon) else { return None };
        let analyses = self.others.iter().cloned().chain([*analysis]).collect();
        let mut audit = audit(analyses, Vec::new(), self.rules, self.options, &Sequential);
        let at = audit.analyses.iter().position(|analysis| analysis.document.path == own.path)?;
        audit.analyses.get_mut(at)?.document.read_tree();
        Some(Judged { audit, at })
    }

    /// The changes that mend as many of these findings as can be mended in one step, the first one among them; `None` where that cannot be.
    fn batch<'f>(&self, now: &Judged, open: &[&'f Finding]) -> Option<(Batch, Vec<&'f Finding>)> {
        let document = &now.analysis()?.document;
        let (mut batch, mut taken) = (Batch::default(), Vec::new());
        for finding in open {
            let edits = finding.repair.as_ref().and_then(|repair| edit::edits(document, finding.span(), repair));
            match edits {
                Some(edits) if batch.take(&edits) => taken.push(*finding),
                _ if taken.is_empty() => return None,
                _ => {}
            }
        }
        Some((batch, taken))
    }

    /// The text and its judgement with these findings mended; `None` where that would change anything else.
    fn mend(&self, now: &Judged, batch: &Batch, taken: &[&Finding]) -> Option<(String, Judged)> {
        let text = batch.applied(&now.analysis()?.document.text)?;
        let next = self.judge(&text)?;
        let names = |judged: &Judged| -> Option<Vec<String>> {
            Some(judged.analysis()?.entries.iter().map(|entry| entry.name.text.clone()).collect())
        };
        let (before, after) = (counted(now.own()), counted(next.own()));
        let better = counted(taken.iter().copied()).iter().all(|(message, count)| {
            let of = |all: &Counts| all.get(message).copied().unwrap_or_default();
            of(&after) + count <= of(&before)
        });
        // What was written may still stand in a message of another rule; nothing may be worse than it was.
        let (before, after) = (by_rule(&before), by_rule(&after));
        let worse = after.iter().any(|(rule, count)| *count > before.get(rule).copied().unwrap_or_default());
        (better && !worse && names(now) == names(&next)).then_some((text, next))
    }
}

/// How many findings tell the same.
type Counts = BTreeMap<(&'static str, String), usize>;

fn counted<'f>(findings: impl Iterator<Item = &'f Finding>) -> Counts {
    let mut out = Counts::new();
    for finding in findings {
        *out.entry((finding.rule.id, finding.message.as_str().to_owned())).or_default() += 1;
    }
    out
}

fn by_rule(counts: &Counts) -> BTreeMap<&'static str, usize> {
    let mut out = BTreeMap::new();
    for ((rule, _), count) in counts {
        *out.entry(*rule).or_default() += count;
    }
    out
}

#[cfg(test)]
mod tests;
