//! The driver: runs the rules once over everything and turns their hits into findings.

use super::cluster::clusters;
use super::connect::{connect, receivers};
use super::counting::{Counting, Deciding};
use super::elsewhere::Elsewhere;
use super::finding::{Finding, disambiguate_fingerprints, finding, secret_spans, waive};
use super::options::Options;
use super::permitted::permitted;
use super::readings::readings;
use super::rule::{All, Check, Entries, EntryRef, Hit, Listings, OAuth, Out, Rule};
use super::spread::Parallel;
use super::unseen::unseen;
use super::verdict::{self, Judgement};
use crate::prelude::*;
use crate::register::{Register, ReviewStatus, approved_versions, standings};
use crate::text::{Key, Masker, Redactor, fingerprint, keyed, strong_fingerprint};
use crate::understand::credential::{Vocabulary, suspects};
use crate::understand::launch::{Container, Package};
use crate::understand::{Analysis, Credential, Known, Logins, logins};

/// A file that looks like a setup and could not be read.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct UnreadFile {
    /// Its path.
    pub path: String,
    /// The line, where known.
    pub line: Option<u32>,
    /// Why it could not be read, for people.
    pub why: String,
}

/// The outcome of an audit.
#[derive(Debug)]
pub struct Audit {
    /// The setups, sorted by path.
    pub analyses: Vec<Analysis>,
    /// The findings, worst first.
    pub findings: Vec<Box<Finding>>,
    /// The judgement on each entry, by setup.
    pub judgements: Vec<Vec<Judgement>>,
    /// What could not be read, sorted by path.
    pub unread: Vec<UnreadFile>,
    /// What was decided, where a register is kept.
    pub register: Option<Register>,
    /// Where each entry stands with it, by setup; empty without a register.
    pub standings: Vec<Vec<Option<ReviewStatus>>>,
    /// The logins at servers.
    pub logins: Logins,
    /// The gate for every text that goes out.
    pub cleaner: Redactor,
    /// Documents of evidence that were left out: they are of entries that are not judged here.
    pub of_others: usize,
    names: BTreeMap<String, String>,
    counting: Counting,
}

impl Audit {
    /// The name of a credential: equal for equal secrets, and telling nothing of the value.
    pub fn credential_name(&self, credential: &Credential) -> Option<&str> {
        self.names.get(&credential.value.text).map(String::as_str)
    }

    /// The findings that count for an entry: its own, then those of what its server lists, then those of the gateway that it is behind; of each
    /// the worst first.
    pub fn findings_for(&self, entry_ref: EntryRef) -> Vec<&Finding> {
        self.counting.findings_for((&self.findings, &self.analyses, &self.logins), entry_ref)
    }
}

/// Judges every setup. The outcome does not depend on how the work is spread.
pub fn audit(
    mut analyses: Vec<Analysis>,
    mut unread: Vec<UnreadFile>,
    rules: &[&'static Rule],
    options: &Options,
    spread: &impl Parallel,
) -> Audit {
    analyses.sort_by(|a, b| a.document.path.cmp(&b.document.path));
    unread.sort();
    connect(&mut analyses);
    let of_others = leave_out_others(&mut analyses);
    receivers(&mut analyses);
    readings(&mut analyses);
    if let Some(register) = &options.register {
        approved_versions(&mut analyses, register, options.today);
    }
    note_known(&mut analyses, &options.known);
    let mut elsewhere = Elsewhere::default();
    clusters(&mut analyses, &mut elsewhere);
    permitted(&mut analyses, &mut elsewhere);
    let logins = logins(&mut analyses);
    let rules: Vec<&'static Rule> = rules
        .iter()
        .copied()
        .filter(|r| options.families.is_empty() || options.families.iter().any(|f| f == r.family()))
        .collect();
    let (cleaner, (together, standings)) = spread.both(
        || cleaner(&analyses, options),
        || {
            let standings =
                options.register.as_ref().map(|r| standings(&analyses, r, options.today)).unwrap_or_default();
            let all = All {
                analyses: &analyses,
                today: options.today,
                register: options.register.as_ref(),
                policy: &options.policy,
                standings: &standings,
                logins: &logins,
            };
            (spread.each(&rules, |rule| global(&all, rule)), standings)
        },
    );
    let secrets = spread.spread(&analyses, |_, analysis| vec![secret_spans(analysis)]);
    let told = |(rule, hit): (&'static Rule, Hit)| {
        finding(rule, &hit, &analyses, &secrets, (&cleaner, &options.policy)).map(Box::new)
    };
    // Of a large company there are very many: they lie apart, so that they can be put in order without being moved. A hit becomes a finding while
    // its setup is at hand, and does not stay.
    let mut findings = spread.spread(&analyses, |index, analysis| {
        local(index, analysis, &rules, options).into_iter().filter_map(told).collect()
    });
    findings.extend(spread.consume(together, |hit| told(hit).into_iter().collect()));
    disambiguate_fingerprints(&mut findings);
    if let Some(register) = &options.register {
        waive(&mut findings, register, options.today);
    }
    sort_worst_first(&mut findings, &analyses);
    let counting = Counting::new(elsewhere, &findings);
    let deciding = Deciding::new(&counting, (&findings, &analyses, &logins));
    let judgements = analyses
        .iter()
        .enumerate()
        .map(|(analysis, s)| {
            (0..)
                .zip(&s.entries)
                .map(|(index, entry)| {
                    let entry_ref = EntryRef { analysis, entry: Some(index) };
                    let standing = standings.get(analysis).and_then(|own| own.get(index)?.as_ref());
                    let unseen = unseen(&analyses, (s, entry), standing, options);
                    verdict::judge(&findings, &deciding.of(entry_ref), unseen, entry.disabled)
                })
                .collect()
        })
        .collect();
    let names = names(&analyses, options.key.as_ref());
    let register = options.register.clone();
    Audit { analyses, findings, judgements, unread, register, standings, logins, cleaner, of_others, names, counting }
}

/// Puts the findings in the order in which they are told.
fn sort_worst_first(findings: &mut [Box<Finding>], analyses: &[Analysis]) {
    // Setups are sorted by path; two of the same path are told apart by what follows.
    let mut ranks: Vec<usize> = Vec::with_capacity(analyses.len());
    for (index, analysis) in analyses.iter().enumerate() {
        let before = index.checked_sub(1).and_then(|before| Some((analyses.get(before)?, *ranks.get(before)?)));
        let same = before.filter(|(before, _)| before.document.path == analysis.document.path);
        ranks.push(same.map_or(index, |(_, rank)| rank));
    }
    let rank = |f: &Finding| ranks.get(f.entry_ref.analysis).copied().unwrap_or_default();
    let worst = |f: &Finding| core::cmp::Reverse((f.severity, f.confidence));
    let compared = |f: &Finding| (worst(f), rank(f), f.span(), f.rule.id);
    findings.sort_by(|a, b| compared(a).cmp(&compared(b)).then_with(|| a.fingerprint.cmp(&b.fingerprint)));
}

/// Leaves out what tells of servers that are not judged, where it was handed over beside what is; answers how many documents that are.
fn leave_out_others(analyses: &mut Vec<Analysis>) -> usize {
    let linked: BTreeSet<usize> = analyses
        .iter()
        .flat_map(|analysis| &analysis.entries)
        .filter_map(|entry| entry.listed)
        .map(|listed| listed.analysis)
        .collect();
    let is_of_other = |index: usize, analysis: &Analysis| {
        // Evidence of a whole company is handed over to look at one repository: its other servers are no entries of that.
        let lists = !analysis.listings.is_empty() && analysis.entries.iter().all(|entry| entry.listing.is_some());
        analysis.document.facts.outside_inputs && lists && !linked.contains(&index)
    };
    let before = analyses.len();
    let mut index = 0;
    analyses.retain(|analysis| {
        let keep = !is_of_other(index, analysis);
        index += 1;
        keep
    });
    if analyses.len() < before {
        // The others stand elsewhere now.
        connect(analyses);
    }
    before - analyses.len()
}

/// Notes at every entry what is known of it beside the documents: a version, where neither a capture nor the register names one, and a digest.
fn note_known(analyses: &mut [Analysis], known: &Known) {
    for analysis in analyses {
        let path = analysis.document.path.as_str();
        for entry in &mut analysis.entries {
            let Some(plan) = &entry.plan else { continue };
            let version = |package: &Package| Some((package.name.clone(), known.version(path, package)?.clone()));
            let version = plan.packages().find_map(|(_, package)| version(package));
            let digest = |container: &Container| Some((container.image.text.clone(), known.digest(container)?.clone()));
            entry.known_digest = plan.containers().find_map(|(_, container)| digest(container)).map(Box::new);
            if entry.known_version.is_none() {
                entry.known_version = version.map(Box::new);
            }
        }
    }
}

/// A gate for texts of which no secret is known: what has the form of one is masked all the same.
pub fn pattern_redactor() -> Redactor {
    Redactor::new(Masker::new([], [], |text| suspects(text, &Vocabulary::default())))
}

/// Knows every secret of every setup. Well-known defaults are told apart: `postgres` is also a word.
fn cleaner(analyses: &[Analysis], options: &Options) -> Redactor {
    let secrets = || analyses.iter().flat_map(Analysis::all_credentials).map(|(_, credential)| credential);
    let kept = || secrets().filter(|h| h.is_plaintext() && !h.trivial).map(|h| h.value.text.as_str());
    let common = || secrets().filter(|h| h.trivial).map(|h| h.value.text.as_str());
    let vocabulary = options.policy.vocabulary.clone();
    let own = options.memory.is_some().then(|| format!("{vocabulary:?}"));
    let masker = Masker::new(kept(), common(), move |text| suspects(text, &vocabulary));
    Redactor::new(match options.memory.clone().zip(own) {
        Some((memory, own)) => {
            let name = strong_fingerprint(kept().chain(["and"]).chain(common()).chain([own.as_str()]));
            masker.remembering(memory, &name)
        }
        None => masker,
    })
}

/// Names credentials: by value with a key, else by the first place each stands in.
fn names(analyses: &[Analysis], key: Option<&Key>) -> BTreeMap<String, String> {
    let mut names = BTreeMap::new();
    for analysis in analyses {
        for (_, credential) in analysis.all_credentials().filter(|(_, h)| h.is_plaintext()) {
            names.entry(credential.value.text.clone()).or_insert_with(|| match key {
                Some(key) => keyed(key, &credential.value.text),
                None => {
                    fingerprint([analysis.document.identity(), credential.value.pointer.as_str(), &credential.name])
                }
            });
        }
    }
    names
}

/// The hits of the rules that look at one setup or entry at a time.
fn local(analysis: usize, s: &Analysis, rules: &[&'static Rule], options: &Options) -> Vec<(&'static Rule, Hit)> {
    let (today, policy) = (options.today, &options.policy);
    let mut found = Vec::new();
    for (rule, check) in rules.iter().flat_map(|rule| rule.check.each().iter().map(move |check| (rule, check))) {
        let mut hits = Vec::new();
        match check {
            Check::All(_) | Check::Each(_) => {}
            Check::Setup(check) => {
                check(s, &mut Out { entry_ref: EntryRef { analysis, entry: None }, hits: &mut hits })
            }
            Check::Listing(check) => {
                for (index, entry) in s.entries.iter().enumerate() {
                    let Some(listing) = s.listing_of(entry) else { continue };
                    let entry_ref = EntryRef { analysis, entry: Some(index) };
                    let remarks = s.remarks_of(entry);
                    check(
                        &Listings { listing, remarks, entry, analysis: s, today },
                        &mut Out { entry_ref, hits: &mut hits },
                    );
                }
            }
            Check::OAuth(check) => {
                // What was captured of a server is told of the server.
                let captured = !s.oauth_documents.answers.is_empty();
                let entry = s.entries.iter().position(|entry| captured && entry.listing.is_some());
                if !s.oauth_documents.is_empty() {
                    let entry_ref = EntryRef { analysis, entry };
                    check(
                        &OAuth { oauth_documents: &s.oauth_documents, today, policy },
                        &mut Out { entry_ref, hits: &mut hits },
                    );
                }
            }
            Check::Entry(check) => {
                for (index, entry) in s.entries.iter().enumerate() {
                    let entry_ref = EntryRef { analysis, entry: Some(index) };
                    check(&Entries { entry, analysis: s, today, policy }, &mut Out { entry_ref, hits: &mut hits });
                }
            }
        }
        found.extend(hits.into_iter().map(|hit| (*rule, hit)));
    }
    found
}

/// The hits of a rule that looks at everything at once.
fn global(all: &All<'_>, rule: &'static Rule) -> Vec<(&'static Rule, Hit)> {
    let mut hits = Vec::new();
    for check in rule.check.each() {
        if let Check::All(check) = check {
            check(all, &mut Out { entry_ref: EntryRef { analysis: 0, entry: None }, hits: &mut hits });
        }
    }
    hits.into_iter().map(|hit| (rule, hit)).collect()
}
