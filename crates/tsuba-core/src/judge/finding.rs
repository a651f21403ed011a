//! From what a rule has hit to a finding: severity, message, excerpt, fingerprint, all that is the same for every rule.

use super::excerpt::{Excerpt, excerpt};
use super::fix::{Fix, rewritten};
use super::rule::{EntryRef, Hit, Rule};
use super::weight::{Circumstance, weigh};
use crate::policy::Policy;
use crate::prelude::*;
use crate::read::{Document, Notation};
use crate::register::{Register, Scope};
use crate::severity::{Confidence, Severity};
use crate::text::{Clean, Located, Position, Redactor, Span, fingerprint, joined};
use crate::understand::launch::Plan;
use crate::understand::{Analysis, Entry, SetupKind};
use jiff::civil::Date;

/// Something wrong, with its place. Every text in it may be printed.
#[derive(Clone, Debug)]
pub struct Finding {
    /// The rule that found it.
    pub rule: &'static Rule,
    /// How bad it is here.
    pub severity: Severity,
    /// How bad it would be if the policy said nothing of it.
    pub severity_without_policy: Severity,
    /// How sure it is.
    pub confidence: Confidence,
    /// Which setup and entry.
    pub entry_ref: EntryRef,
    /// First character.
    pub start: Position,
    /// One past the last character.
    pub end: Position,
    /// The value it is about, as a pointer.
    pub pointer: Clean,
    /// What is wrong.
    pub message: Clean,
    /// The line it stands on.
    pub excerpt: Excerpt,
    /// What to do.
    pub fix: Clean,
    /// The text as the model reads it, where the finding is about a text.
    pub reads: Option<Clean>,
    /// The text as a person sees it, where that differs.
    pub sees: Option<Clean>,
    /// What is passed through, in order, where the finding is about a way through several tools.
    pub steps: Vec<Clean>,
    /// The same finding has the same fingerprint after lines have moved.
    pub fingerprint: String,
    /// Its fingerprint with the path that the register has, where that is another path.
    renamed: Option<String>,
    /// How it can be mended, where that is safe.
    pub repair: Option<Fix>,
    /// What to write in the place of the characters that it is about, as it is written there, where that alone mends it and is safe.
    pub replacement: Option<Clean>,
    /// The decision by which it is accepted, as an index into the register's.
    pub waived: Option<usize>,
    /// Is it of what a text only shows? The same shown again has the same fingerprint.
    pub only_shown: bool,
    span: Span,
}

impl Finding {
    /// The place in the document's text.
    pub fn span(&self) -> Span {
        self.span
    }

    /// What the register calls it: its fingerprint with the path that the register has.
    pub fn register_fingerprint(&self) -> &str {
        self.renamed.as_deref().unwrap_or(&self.fingerprint)
    }
}

/// A word of a message is shown up to this many characters.
const WORD: usize = 400;
/// A text as the model reads it, likewise.
const TEXT: usize = 280;

pub(super) fn finding(
    rule: &'static Rule,
    hit: &Hit,
    analyses: &[Analysis],
    secrets: &[Vec<Span>],
    (cleaner, policy): (&Redactor, &Policy),
) -> Option<Finding> {
    let analysis = analyses.get(hit.entry_ref.analysis)?;
    let document = &analysis.document;
    let secrets = secrets.get(hit.entry_ref.analysis).map(Vec::as_slice).unwrap_or_default();
    let entry = hit.entry_ref.entry.and_then(|e| analysis.entries.get(e));
    let words: Vec<(&str, Clean)> = hit.args.iter().map(|(name, value)| (*name, cleaner.clean(value))).collect();
    // A hostile name may be as long as its file; the fingerprint still tells two of them apart.
    let shown: Vec<(&str, Clean)> = words.iter().map(|(name, word)| (*name, word.cut(WORD))).collect();
    // What is put together from several places cannot be written in one of them.
    let written = document.written(hit.at.span);
    let stands_so = written.contains(hit.at.text.as_str()) || written.contains('\\');
    let mut fix = fill(hit.advice.as_deref().unwrap_or(rule.fix), &shown);
    if let Some(corrected) = hit.corrected.as_ref().filter(|_| stands_so) {
        fix = format!("{fix} Write {corrected}");
    }
    let name = entry.map(|e| e.name.text.as_str()).unwrap_or_default();
    // What a text shows is not set up yet; a secret in it is out all the same.
    let only_shown = analysis.kind == SetupKind::Snippet && !rule.ways.counts_where_shown;
    let target = entry.and_then(target).unwrap_or_default();
    let print = |path: &str| {
        // What was found before is the same still under the rule's new name.
        let id = rule.ways.formerly.unwrap_or(rule.id);
        // A text that shows the same server again says nothing new, whatever it calls it there.
        let parts = if only_shown { [id, path, target, ""] } else { [id, path, name, hit.at.pointer.as_str()] };
        fingerprint(parts.into_iter().chain(words.iter().map(|(_, word)| word.as_str())))
    };
    let own = hit.base_severity.unwrap_or(rule.severity);
    let circumstances: Vec<_> =
        hit.circumstances.iter().copied().chain(only_shown.then_some(Circumstance::Shown)).collect();
    let weighed = weigh(own, &circumstances, entry.is_some_and(|e| e.disabled) && !rule.ways.counts_where_shown);
    let Located { span, pointer, .. } = &hit.at;
    let fingerprint = print(document.identity());
    // In a register beside the setup it has the same path.
    let other = document.register_path() != document.identity();
    let renamed = other.then(|| print(document.register_path()));
    Some(Finding {
        rule,
        severity_without_policy: weighed,
        severity: policy.severity((&rule.names(), rule.ways.required), document.policy_path(), weighed).severity,
        confidence: hit.confidence,
        entry_ref: hit.entry_ref,
        start: document.lines.position(&document.text, span.start as usize),
        end: document.lines.position(&document.text, span.end as usize),
        pointer: cleaner.clean(pointer.as_str()),
        message: cleaner.clean(&besides(fill(rule.message, &shown), &hit.besides)),
        excerpt: excerpt(document, *span, secrets, cleaner),
        // A text of the program itself has nothing to hide.
        fix: if fix == rule.fix { Clean::constant(rule.fix) } else { cleaner.clean(&fix) },
        reads: hit.shown.reads.as_deref().map(|text| cleaner.clean(text).cut(TEXT)),
        sees: hit.shown.sees.as_deref().map(|text| cleaner.clean(text).cut(TEXT)),
        steps: hit.steps.iter().map(|step| cleaner.clean(step).cut(WORD)).collect(),
        fingerprint,
        renamed,
        replacement: replacement(hit, document, cleaner).filter(|_| stands_so),
        repair: hit.repair.clone().filter(|_| stands_so),
        waived: None,
        only_shown,
        span: *span,
    })
}

/// What to write, where nothing else has to be changed. What is packed can only be packed anew.
fn replacement(hit: &Hit, document: &Document, cleaner: &Redactor) -> Option<Clean> {
    let Some(Fix::Write(text)) = &hit.repair else { return None };
    // A dotenv file is where secrets are kept, and a table is a report of somebody else.
    if document.facts.packed || matches!(document.notation, Notation::Dotenv | Notation::Csv) {
        return None;
    }
    let text = rewritten(document.notation, document.written(hit.at.span), text)?;
    // It is given to the letter, or not at all.
    Some(cleaner.clean(&text)).filter(|clean| clean.as_str() == text)
}

/// What an entry starts or calls.
fn target(entry: &Entry) -> Option<&str> {
    let server = entry.plan.as_ref().and_then(Plan::server);
    let started = server.map(|step| step.target().unwrap_or(&step.program));
    started.or(entry.remote.as_ref().map(|remote| &remote.url)).map(|target| target.text.as_str())
}

/// The places of the secrets in a setup, sorted, overlapping ones joined.
pub fn secret_spans(analysis: &Analysis) -> Vec<Span> {
    let plain = analysis.all_credentials().filter(|(_, credential)| credential.is_plaintext());
    let places = plain.map(|(_, credential)| credential.value.span.range()).collect();
    joined(places).into_iter().map(|place| Span::new(place.start, place.end)).collect()
}

/// Fills the words into a template: `{name}` becomes its word. A word is not searched for further names.
fn fill(template: &str, words: &[(&str, Clean)]) -> String {
    let mut out = String::with_capacity(template.len() + 32);
    let mut rest = template;
    while let Some((before, tail)) = rest.split_once('{') {
        out.push_str(before);
        match tail
            .split_once('}')
            .and_then(|(name, after)| words.iter().find(|(n, _)| *n == name).map(|(_, word)| (word, after)))
        {
            Some((word, after)) => {
                out.push_str(word.as_str());
                rest = after;
            }
            None => {
                out.push('{');
                rest = tail;
            }
        }
    }
    out.push_str(rest);
    out
}

/// A message with what is so today.
fn besides(message: String, more: &[Cow<'static, str>]) -> String {
    core::iter::once(message.as_str()).chain(more.iter().map(AsRef::as_ref)).collect::<Vec<_>>().join("; ")
}

/// Marks the findings that are accepted.
pub(super) fn waive(findings: &mut [Box<Finding>], register: &Register, today: Date) {
    let mut waivers: BTreeMap<(&str, &str), usize> = BTreeMap::new();
    for (at, decision) in register.decisions.iter().enumerate().filter(|(_, decision)| decision.holds(today)) {
        if let Scope::Finding { rule, finding } = &decision.scope {
            waivers.insert((rule, finding), at);
        }
    }
    for finding in findings {
        let mut names = finding.rule.names().into_iter();
        finding.waived = names.find_map(|name| waivers.get(&(name, finding.register_fingerprint())).copied());
    }
}

/// Two findings that are alike in all that a fingerprint holds get a number, in the order of their places.
pub(super) fn disambiguate_fingerprints(findings: &mut [Box<Finding>]) {
    let numbered = |at: &usize| findings.get(*at).is_some_and(|finding| !finding.only_shown);
    let mut order: Vec<usize> = (0..findings.len()).filter(numbered).collect();
    let place = |at: &usize| findings.get(*at).map(|f| (&f.fingerprint, f.entry_ref, f.span));
    order.sort_by(|a, b| place(a).cmp(&place(b)));
    // The first of those that are alike keeps its own.
    let mut first: Option<usize> = None;
    let mut count = 0_u32;
    for at in order {
        let print = |at: usize| findings.get(at).map(|f| f.fingerprint.as_str());
        if first.is_none_or(|first| print(first) != print(at)) {
            (first, count) = (Some(at), 1);
            continue;
        }
        let Some(finding) = findings.get_mut(at) else { continue };
        count += 1;
        let number = count.to_string();
        finding.fingerprint = fingerprint([finding.fingerprint.as_str(), &number]);
        finding.renamed = finding.renamed.as_deref().map(|renamed| fingerprint([renamed, &number]));
    }
}
