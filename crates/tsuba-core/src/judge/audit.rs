//! The driver: runs the rules once over everything and turns their hits into findings.

use super::connect::{connect, receivers};
use super::excerpt::{Excerpt, excerpt};
use super::rule::{All, Check, Entries, Hit, Listings, OAuth, Out, Rule, Stands};
use super::spread::Spread;
use super::verdict::{self, Judgement};
use super::weight::{Circumstance, weigh};
use super::{Confidence, Severity};
use crate::decide::{Policy, Register, Scope, Standing, approved_versions, standings};
use crate::prelude::*;
use crate::repair::{Known, Repair};
use crate::text::{Clean, Cleaner, Key, Located, Position, Span, fingerprint, keyed};
use crate::understand::credential::next_token;
use crate::understand::launch::{Container, Package};
use crate::understand::{Handed, SetupKind, Study};
use jiff::civil::Date;

/// What an audit needs besides the setups.
#[derive(Clone, Debug)]
pub struct Options {
    /// The date of the audit; deadlines and lifetimes are counted from it.
    pub today: Date,
    /// Only these families; empty means all.
    pub families: Vec<String>,
    /// The company's key for naming credentials by value.
    pub key: Option<Key>,
    /// What was decided, where a register is kept.
    pub register: Option<Register>,
    /// What the company has decided for all.
    pub policy: Policy,
    /// What is known beside the documents.
    pub known: Known,
}

impl Options {
    /// On a date, with nothing else.
    pub fn on(today: Date) -> Self {
        Self {
            today,
            families: Vec::new(),
            key: None,
            register: None,
            policy: Policy::default(),
            known: Known::default(),
        }
    }
}

/// A file that looks like a setup and could not be read.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct UnreadFile {
    /// Its path.
    pub path: String,
    /// The line, where known.
    pub line: Option<u32>,
    /// Why.
    pub why: String,
}

/// Something wrong, with its place. Every text in it may be printed.
#[derive(Clone, Debug)]
pub struct Finding {
    /// The rule that found it.
    pub rule: &'static Rule,
    /// How bad it is here.
    pub severity: Severity,
    /// How bad it would be if the policy said nothing of it.
    pub unruled: Severity,
    /// How sure it is.
    pub confidence: Confidence,
    /// Which setup and entry.
    pub stands: Stands,
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
    /// The same finding has the same fingerprint after lines have moved.
    pub fingerprint: String,
    /// What the register calls it: its fingerprint with the path that the register has.
    pub known_as: String,
    /// How it can be mended, where that is safe.
    pub repair: Option<Repair>,
    /// The decision by which it is accepted, as an index into the register's.
    pub waived: Option<usize>,
    span: Span,
}

impl Finding {
    /// The place in the document's text.
    pub fn span(&self) -> Span {
        self.span
    }
}

/// The outcome of an audit.
#[derive(Debug)]
pub struct Audit {
    /// The setups, sorted by path.
    pub studies: Vec<Study>,
    /// The findings, worst first.
    pub findings: Vec<Finding>,
    /// The judgement on each entry, by setup.
    pub judgements: Vec<Vec<Judgement>>,
    /// What could not be read, sorted by path.
    pub unread: Vec<UnreadFile>,
    /// What was decided, where a register is kept.
    pub register: Option<Register>,
    /// Where each entry stands with it, by setup; empty without a register.
    pub standings: Vec<Vec<Option<Standing>>>,
    /// The gate for every text that goes out.
    pub cleaner: Cleaner,
    /// Documents of evidence that were left out: they are of entries that are not judged here.
    pub of_others: usize,
    names: BTreeMap<String, String>,
}

impl Audit {
    /// The name of a credential: equal for equal secrets, and telling nothing of the value.
    pub fn credential_name(&self, handed: &Handed) -> Option<&str> {
        self.names.get(&handed.value.text).map(String::as_str)
    }

    /// The findings that count for an entry: its own, then those of what its server lists, then those of the gateway that it is behind; of each
    /// the worst first.
    pub fn findings_for(&self, stands: Stands) -> Vec<&Finding> {
        let of = |place: Stands| self.findings.iter().filter(move |finding| finding.stands == place);
        counting(&self.studies, stands).flat_map(of).filter(|finding| counts(finding, stands)).collect()
    }
}

/// Judges every setup. The outcome does not depend on how the work is spread.
pub fn audit(
    mut studies: Vec<Study>,
    mut unread: Vec<UnreadFile>,
    rules: &[&'static Rule],
    options: &Options,
    spread: &impl Spread,
) -> Audit {
    studies.sort_by(|a, b| a.document.path.cmp(&b.document.path));
    unread.sort();
    connect(&mut studies);
    let of_others = leave_out_others(&mut studies);
    receivers(&mut studies);
    if let Some(register) = &options.register {
        approved_versions(&mut studies, register, options.today);
    }
    note_known(&mut studies, &options.known);
    let cleaner = cleaner(&studies, &options.policy);
    let rules: Vec<&'static Rule> = rules
        .iter()
        .copied()
        .filter(|r| options.families.is_empty() || options.families.iter().any(|f| f == r.family()))
        .collect();
    let mut hits = spread.spread(&studies, |index, study| local(index, study, &rules, options));
    let standings = options.register.as_ref().map(|r| standings(&studies, r, options.today)).unwrap_or_default();
    let all = All {
        studies: &studies,
        today: options.today,
        register: options.register.as_ref(),
        policy: &options.policy,
        standings: &standings,
    };
    hits.extend(global(&all, &rules));
    let secrets = spread.spread(&studies, |_, study| vec![secret_spans(study)]);
    let mut findings = spread.spread(&hits, |_, (rule, hit)| {
        finding(rule, hit, &studies, &secrets, (&cleaner, &options.policy)).into_iter().collect()
    });
    number_twins(&mut findings);
    if let Some(register) = &options.register {
        waive(&mut findings, register, options.today);
    }
    let path = |f: &Finding| studies.get(f.stands.study).map(|s| s.document.path.as_str()).unwrap_or_default();
    findings.sort_by(|a, b| {
        let worst = |f: &Finding| core::cmp::Reverse((f.severity, f.confidence));
        worst(a)
            .cmp(&worst(b))
            .then_with(|| path(a).cmp(path(b)))
            .then_with(|| (a.span, a.rule.id, &a.fingerprint).cmp(&(b.span, b.rule.id, &b.fingerprint)))
    });
    let mut own: BTreeMap<Stands, Vec<usize>> = BTreeMap::new();
    for (index, finding) in findings.iter().enumerate() {
        own.entry(finding.stands).or_default().push(index);
    }
    let judgements = studies
        .iter()
        .enumerate()
        .map(|(study, s)| {
            (0..)
                .zip(&s.entries)
                .map(|(index, _)| {
                    let stands = Stands { study, entry: Some(index) };
                    let all = counting(&studies, stands).filter_map(|place| own.get(&place)).flatten().copied();
                    let counts = |index: &usize| findings.get(*index).is_some_and(|finding| counts(finding, stands));
                    verdict::judge(&findings, &all.filter(counts).collect::<Vec<_>>())
                })
                .collect()
        })
        .collect();
    let names = names(&studies, options.key.as_ref());
    let register = options.register.clone();
    Audit { studies, findings, judgements, unread, register, standings, cleaner, of_others, names }
}

/// Where findings stand that count for an entry: at itself, at what its server lists, and at the gateway that it is behind.
fn counting(studies: &[Study], stands: Stands) -> impl Iterator<Item = Stands> + use<> {
    let study = studies.get(stands.study);
    let listed = study.zip(stands.entry).and_then(|(study, entry)| study.entries.get(entry)?.listed);
    let listed = listed.map(|listed| Stands { study: listed.study, entry: Some(listed.entry) });
    let gateway = study.filter(|study| stands.entry.is_some() && study.beside.gateway.is_some());
    let gateway = gateway.map(|_| Stands { entry: None, ..stands });
    [Some(stands), listed, gateway].into_iter().flatten()
}

/// Of what is found of a gateway only how callers come to what is behind it counts for that.
fn counts(finding: &Finding, stands: Stands) -> bool {
    finding.stands.entry.is_some() || stands.entry.is_none() || matches!(finding.rule.family(), "exposure" | "oauth")
}

/// Leaves out what was captured of entries that are not judged, where it was handed over beside what is; answers how many documents that are.
fn leave_out_others(studies: &mut Vec<Study>) -> usize {
    let linked: BTreeSet<usize> = studies
        .iter()
        .flat_map(|study| &study.entries)
        .filter_map(|entry| entry.listed)
        .map(|listed| listed.study)
        .collect();
    let is_of_other = |index: usize, study: &Study| {
        let captured = study.listings.iter().any(|listing| listing.captured.is_some());
        study.document.facts.beside && captured && !linked.contains(&index)
    };
    let before = studies.len();
    let mut index = 0;
    studies.retain(|study| {
        let keep = !is_of_other(index, study);
        index += 1;
        keep
    });
    if studies.len() < before {
        // The others stand elsewhere now.
        connect(studies);
    }
    before - studies.len()
}

/// Notes at every entry what is known of it beside the documents: a version, where neither a capture nor the register names one, and a digest.
fn note_known(studies: &mut [Study], known: &Known) {
    for study in studies {
        let path = study.document.path.as_str();
        for entry in &mut study.entries {
            let Some(plan) = &entry.plan else { continue };
            let version = |package: &Package| Some((package.name.clone(), known.version(path, package)?.clone()));
            let version = plan.packages().find_map(|(_, package)| version(package));
            let digest = |container: &Container| Some((container.image.text.clone(), known.digest(container)?.clone()));
            entry.known_digest = plan.containers().find_map(|(_, container)| digest(container));
            if entry.known_version.is_none() {
                entry.known_version = version;
            }
        }
    }
}

/// A gate for texts of which no secret is known: what has the form of one is masked all the same.
pub fn wary_cleaner() -> Cleaner {
    Cleaner::new([], [], |text, from| next_token(text, from).map(|(range, ..)| range))
}

/// Knows every secret of every setup. Well-known defaults are told apart: `postgres` is also a word.
fn cleaner(studies: &[Study], policy: &Policy) -> Cleaner {
    let secrets = || studies.iter().flat_map(Study::all_handed).map(|(_, handed)| handed);
    let kept = secrets().filter(|h| h.is_plaintext() && !h.trivial).map(|h| h.value.text.as_str());
    let common = secrets().filter(|h| h.trivial).map(|h| h.value.text.as_str());
    let vocabulary = policy.vocabulary.clone();
    Cleaner::new(kept, common, move |text, from| {
        let known = next_token(text, from).map(|(range, ..)| range);
        let own = vocabulary.next_secret(text, from);
        known.into_iter().chain(own).min_by_key(|range| (range.start, core::cmp::Reverse(range.end)))
    })
}

/// Names credentials: by value with a key, else by the first place each stands in.
fn names(studies: &[Study], key: Option<&Key>) -> BTreeMap<String, String> {
    let mut names = BTreeMap::new();
    for study in studies {
        for (_, handed) in study.all_handed().filter(|(_, h)| h.is_plaintext()) {
            names.entry(handed.value.text.clone()).or_insert_with(|| match key {
                Some(key) => keyed(key, &handed.value.text),
                None => fingerprint([study.document.path.as_str(), handed.value.pointer.as_str(), &handed.name]),
            });
        }
    }
    names
}

/// The hits of the rules that look at one setup or entry at a time.
fn local(study: usize, s: &Study, rules: &[&'static Rule], options: &Options) -> Vec<(&'static Rule, Hit)> {
    let (today, policy) = (options.today, &options.policy);
    let mut found = Vec::new();
    for rule in rules {
        let mut hits = Vec::new();
        match rule.check {
            Check::All(_) => {}
            Check::Setup(check) => check(s, &mut Out { stands: Stands { study, entry: None }, hits: &mut hits }),
            Check::Listing(check) => {
                for (index, entry) in s.entries.iter().enumerate() {
                    let Some(listing) = s.listing_of(entry) else { continue };
                    let stands = Stands { study, entry: Some(index) };
                    check(&Listings { listing, entry, study: s, today }, &mut Out { stands, hits: &mut hits });
                }
            }
            Check::OAuth(check) => {
                // What was captured of a server is told of the server.
                let captured = !s.papers.answers.is_empty();
                let entry = s.entries.iter().position(|entry| captured && entry.listing.is_some());
                if !s.papers.is_empty() {
                    let stands = Stands { study, entry };
                    check(&OAuth { papers: &s.papers, today, policy }, &mut Out { stands, hits: &mut hits });
                }
            }
            Check::Entry(check) => {
                for (index, entry) in s.entries.iter().enumerate() {
                    let stands = Stands { study, entry: Some(index) };
                    check(&Entries { entry, study: s, today }, &mut Out { stands, hits: &mut hits });
                }
            }
        }
        found.extend(hits.into_iter().map(|hit| (*rule, hit)));
    }
    found
}

/// The hits of the rules that look at everything at once.
fn global(all: &All<'_>, rules: &[&'static Rule]) -> Vec<(&'static Rule, Hit)> {
    let mut found = Vec::new();
    for rule in rules {
        if let Check::All(check) = rule.check {
            let mut hits = Vec::new();
            check(all, &mut Out { stands: Stands { study: 0, entry: None }, hits: &mut hits });
            found.extend(hits.into_iter().map(|hit| (*rule, hit)));
        }
    }
    found
}

/// A word of a message is shown up to this many characters.
const WORD: usize = 400;
/// A text as the model reads it, likewise.
const TEXT: usize = 280;

fn finding(
    rule: &'static Rule,
    hit: &Hit,
    studies: &[Study],
    secrets: &[Vec<Span>],
    (cleaner, policy): (&Cleaner, &Policy),
) -> Option<Finding> {
    let study = studies.get(hit.stands.study)?;
    let document = &study.document;
    let secrets = secrets.get(hit.stands.study).map(Vec::as_slice).unwrap_or_default();
    let entry = hit.stands.entry.and_then(|e| study.entries.get(e));
    let words: Vec<(&str, Clean)> = hit.words.iter().map(|(name, value)| (*name, cleaner.clean(value))).collect();
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
    let print = |path: &str| {
        let parts = [rule.id, path, name, hit.at.pointer.as_str()];
        fingerprint(parts.into_iter().chain(words.iter().map(|(_, word)| word.as_str())))
    };
    let own = hit.weighs.unwrap_or(rule.severity);
    // What a text shows is not set up yet; a secret in it is out all the same.
    let only_shown = study.kind == SetupKind::Snippet && rule.family() != "secret";
    let circumstances: Vec<_> =
        hit.circumstances.iter().copied().chain(only_shown.then_some(Circumstance::Shown)).collect();
    let weighed = weigh(own, &circumstances, entry.is_some_and(|e| e.disabled));
    let Located { span, pointer, .. } = &hit.at;
    Some(Finding {
        rule,
        unruled: weighed,
        severity: policy.severity(rule.id, &document.path, weighed).severity,
        confidence: hit.confidence,
        stands: hit.stands,
        start: document.lines.position(&document.text, span.start as usize),
        end: document.lines.position(&document.text, span.end as usize),
        pointer: cleaner.clean(pointer.as_str()),
        message: cleaner.clean(&fill(rule.says, &shown)),
        excerpt: excerpt(document, *span, secrets, cleaner),
        fix: cleaner.clean(&fix),
        reads: hit.shown.reads.as_deref().map(|text| cleaner.clean(text).cut(TEXT)),
        sees: hit.shown.sees.as_deref().map(|text| cleaner.clean(text).cut(TEXT)),
        fingerprint: print(&document.path),
        known_as: print(document.known_as()),
        repair: hit.repair.clone().filter(|_| stands_so),
        waived: None,
        span: *span,
    })
}

/// The places of the secrets in a setup, sorted, overlapping ones joined.
fn secret_spans(study: &Study) -> Vec<Span> {
    let mut spans: Vec<Span> =
        study.all_handed().filter(|(_, h)| h.is_plaintext()).map(|(_, h)| h.value.span).collect();
    spans.sort();
    spans.dedup_by(|next, kept| {
        let overlaps = next.start < kept.end;
        if overlaps {
            kept.end = kept.end.max(next.end);
        }
        overlaps
    });
    spans
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

/// Marks the findings that are accepted.
fn waive(findings: &mut [Finding], register: &Register, today: Date) {
    let mut waivers: BTreeMap<(&str, &str), usize> = BTreeMap::new();
    for (at, decision) in register.decisions.iter().enumerate().filter(|(_, decision)| decision.holds(today)) {
        if let Scope::Finding { rule, finding } = &decision.scope {
            waivers.insert((rule, finding), at);
        }
    }
    for finding in findings {
        finding.waived = waivers.get(&(finding.rule.id, finding.known_as.as_str())).copied();
    }
}

/// Two findings that are alike in all that a fingerprint holds get a number.
fn number_twins(findings: &mut [Finding]) {
    let mut seen: BTreeMap<String, u32> = BTreeMap::new();
    findings.sort_by_key(|f| (f.stands, f.span));
    for finding in findings {
        let count = seen.entry(finding.fingerprint.clone()).or_default();
        *count += 1;
        if *count > 1 {
            let number = count.to_string();
            finding.fingerprint = fingerprint([finding.fingerprint.as_str(), &number]);
            finding.known_as = fingerprint([finding.known_as.as_str(), &number]);
        }
    }
}
