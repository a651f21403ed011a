//! From the core's audit to the rows of the report model. Every text goes through the audit's cleaner here.

use crate::model::{
    Credential, EntryRow, FindingRow, Launch, ListingRow, Place, ReachRow, RemoteRow, Setup, Text, Via,
};
use tsuba_core::evidence::{ItemKind, Listing};
use tsuba_core::judge::{Audit, Finding, Stands};
use tsuba_core::text::{Clean, fingerprint, strong_fingerprint};
use tsuba_core::understand::launch::{Plan, Step, StepKind};
use tsuba_core::understand::{Entry, Handed, Study};

pub(crate) fn setup_row(audit: &Audit, study: &Study) -> Setup {
    let facts = &study.document.facts;
    let clean = |text: &String| Text(audit.cleaner.clean(text));
    Setup {
        path: clean(&study.document.path),
        kind: study.kind.name(),
        owner: facts.owner.as_ref().map(clean),
        team: facts.team.as_ref().map(clean),
        tracked: facts.tracked,
    }
}

fn entry_id(study: &Study, entry: &Entry) -> String {
    fingerprint([study.document.path.as_str(), entry.pointer.as_str()])
}

pub(crate) fn entry_row(audit: &Audit, stands: Stands, study: &Study, entry: &Entry) -> EntryRow {
    let clean = |text: &str| Text(audit.cleaner.clean(text));
    let judgement = audit.judgements.get(stands.study).zip(stands.entry).and_then(|(list, e)| list.get(e));
    let document = &study.document;
    let (start, end) = (
        document.lines.position(&document.text, entry.name.span.start as usize),
        document.lines.position(&document.text, entry.name.span.end as usize),
    );
    let reach = ReachRow {
        folders: entry.reach.folders.iter().map(|f| clean(&f.path.text)).collect(),
        hosts: entry.reach.hosts.iter().map(|h| clean(h)).collect(),
        powers: entry.reach.powers.iter().map(|p| p.name()).collect(),
    };
    EntryRow {
        id: entry_id(study, entry),
        setup: clean(&document.path),
        name: clean(&entry.name.text),
        place: Place {
            line: start.line,
            column: start.column,
            end_line: end.line,
            end_column: end.column,
            pointer: clean(entry.pointer.as_str()),
        },
        transport: entry.transport.name(),
        fingerprint: match study.listing_of(entry) {
            Some(listing) => listing_fingerprint(audit, listing),
            None => launch_fingerprint(audit, entry),
        },
        launch: entry.plan.as_ref().map(|plan| launch_row(audit, plan)),
        remote: entry.remote.as_ref().map(|r| RemoteRow {
            url: clean(&r.url.text),
            host: clean(&r.host),
            loopback: r.loopback,
        }),
        credentials: entry.handed.iter().map(|handed| credential_row(audit, handed)).collect(),
        reach,
        listing: listing_row(audit, study, entry),
        asks: entry.asks().name(),
        disabled: entry.disabled,
        verdict: judgement.map(|j| j.verdict),
        reasons: judgement
            .map(|j| j.reasons.iter().filter_map(|i| audit.findings.get(*i)).map(|f| f.rule.id).collect())
            .unwrap_or_default(),
    }
}

fn credential_row(audit: &Audit, handed: &Handed) -> Credential {
    let plaintext = handed.is_plaintext();
    Credential {
        place: handed.place.name(),
        name: Text(audit.cleaner.clean(&handed.name)),
        kind: handed.kind.name(),
        masked: plaintext.then(|| Text(audit.cleaner.clean(&tsuba_core::text::mask(&handed.value.text)))),
        fingerprint: if plaintext { audit.credential_name(handed).map(str::to_owned) } else { None },
    }
}

/// What a step is, in the terms of the contract: runner, source, name, version, pin.
fn via(audit: &Audit, step: &Step) -> Via {
    let clean = |text: &str| Text(audit.cleaner.clean(text));
    match &step.kind {
        StepKind::Package(p) => Via {
            runner: clean(&p.runner),
            source: p.source.name(),
            package: clean(&p.name),
            version: p.version.as_deref().map(clean),
            pin: p.pin.name(),
        },
        StepKind::Container(c) => Via {
            runner: clean(&c.engine),
            source: "image",
            package: clean(&c.reference.name()),
            version: c.reference.digest.as_deref().or(c.reference.tag.as_deref()).map(clean),
            pin: c.reference.pin().name(),
        },
        StepKind::RemoteScript(address) => Via {
            runner: clean(&step.name()),
            source: "url",
            package: clean(&address.text),
            version: None,
            pin: "not-a-package",
        },
        StepKind::Script(script) => Via {
            runner: clean(&step.name()),
            source: "path",
            package: clean(&script.text),
            version: None,
            pin: "local",
        },
        StepKind::Inline(_) => Via {
            runner: clean(&step.name()),
            source: "path",
            package: Text(Clean::constant("a program text in an argument")),
            version: None,
            pin: "not-a-package",
        },
        StepKind::Program | StepKind::Wrapper => Via {
            runner: clean(&step.name()),
            source: "path",
            package: clean(&step.program.text),
            version: None,
            pin: "local",
        },
    }
}

fn launch_row(audit: &Audit, plan: &Plan) -> Launch {
    let clean = |text: &str| Text(audit.cleaner.clean(text));
    let wrappers = plan.steps.iter().filter(|s| s.kind == StepKind::Wrapper).map(|s| clean(&s.name())).collect();
    let mut launch = Launch {
        wrappers,
        bridge: plan.is_bridged(),
        via: plan.via().map(|step| via(audit, step)).collect(),
        not_understood: plan.not_understood,
        ..Launch::default()
    };
    let Some(step) = plan.server() else { return launch };
    let told = via(audit, step);
    launch.args = step.args.iter().map(|word| clean(&word.text)).collect();
    launch.source = Some(told.source);
    launch.pin = Some(told.pin);
    launch.runner = Some(told.runner);
    match &step.kind {
        StepKind::Package(_) => (launch.package, launch.version) = (Some(told.package), told.version),
        StepKind::Container(container) => {
            launch.image = Some(told.package);
            launch.tag = container.reference.tag.as_deref().map(clean);
            launch.digest = container.reference.digest.as_deref().map(clean);
        }
        StepKind::Wrapper
        | StepKind::Script(_)
        | StepKind::RemoteScript(_)
        | StepKind::Inline(_)
        | StepKind::Program => launch.script = Some(told.package),
    }
    launch
}

/// Stands for everything a model reads of a server: every text with its place.
fn listing_fingerprint(audit: &Audit, listing: &Listing) -> String {
    let texts =
        listing.passages.iter().flat_map(|p| [audit.cleaner.clean(p.place.name()), audit.cleaner.clean(&p.at.text)]);
    let parts: Vec<Clean> = texts.collect();
    strong_fingerprint(parts.iter().map(Clean::as_str))
}

/// Stands for everything that decides what is launched or called: programs, options, arguments, variables, working folder,
/// address. The order of keys and the place in the file do not matter; of a secret only its name counts, so that it can be
/// rotated.
pub fn launch_fingerprint(audit: &Audit, entry: &Entry) -> String {
    let clean = |text: &str| audit.cleaner.clean(text);
    let mut parts: Vec<Clean> = vec![Clean::constant(entry.transport.name())];
    for step in entry.plan.iter().flat_map(|plan| &plan.steps) {
        parts.push(clean(&step.program.text));
        parts.extend(step.options.iter().chain(step.target()).chain(&step.args).map(|word| clean(&word.text)));
        parts.push(Clean::constant("then"));
    }
    let mut variables: Vec<(Clean, Clean)> = entry
        .variables
        .iter()
        .map(|variable| {
            let holds_secret =
                entry.handed.iter().any(|h| h.is_plaintext() && h.value.span.within(variable.value.span));
            let value = if holds_secret { Clean::constant("a secret") } else { clean(&variable.value.text) };
            (clean(&variable.name), value)
        })
        .collect();
    variables.sort();
    parts.extend(variables.into_iter().flat_map(|(name, value)| [name, value]));
    parts.push(Clean::constant("at"));
    parts.extend(entry.cwd.iter().chain(&entry.env_files).map(|path| clean(&path.text)));
    parts.extend(entry.remote.iter().map(|remote| clean(&remote.url.text)));
    strong_fingerprint(parts.iter().map(Clean::as_str))
}

/// What the server of an entry lists: in the entry's own document, or in another that belongs to it.
fn listing_row(audit: &Audit, study: &Study, entry: &Entry) -> Option<ListingRow> {
    let (study, listing) = match entry.listed {
        Some(listed) => {
            let study = audit.studies.get(listed.study)?;
            (study, study.listing_of(study.entries.get(listed.entry)?)?)
        }
        None => (study, study.listing_of(entry)?),
    };
    let count = |kinds: &[ItemKind]| listing.items.iter().filter(|item| kinds.contains(&item.kind)).count();
    Some(ListingRow {
        path: Text(audit.cleaner.clean(&study.document.path)),
        tools: count(&[ItemKind::Tool, ItemKind::Skill]),
        prompts: count(&[ItemKind::Prompt]),
        resources: count(&[ItemKind::Resource, ItemKind::Template]),
        of: Vec::new(),
    })
}

pub(crate) fn finding_row(audit: &Audit, finding: &Finding) -> Option<FindingRow> {
    let study = audit.studies.get(finding.stands.study)?;
    let entry = finding.stands.entry.and_then(|e| study.entries.get(e));
    let excerpt = &finding.excerpt;
    let width = |text: &str| text.chars().count();
    let lead = width(excerpt.before.as_str()) + usize::from(excerpt.cut.0);
    Some(FindingRow {
        rule: finding.rule.id,
        severity: finding.severity,
        confidence: finding.confidence,
        setup: Text(audit.cleaner.clean(&study.document.path)),
        entry: entry.map(|entry| entry_id(study, entry)),
        place: Place {
            line: finding.start.line,
            column: finding.start.column,
            end_line: finding.end.line,
            end_column: finding.end.column,
            pointer: Text(finding.pointer.clone()),
        },
        message: Text(finding.message.clone()),
        excerpt: excerpt.text(),
        marked: (lead, lead + width(excerpt.marked.as_str())),
        reads: finding.reads.clone().map(Text),
        sees: finding.sees.clone().map(Text),
        fix: Text(finding.fix.clone()),
        references: finding.rule.references,
        fingerprint: finding.fingerprint.clone(),
        waived: None,
    })
}
