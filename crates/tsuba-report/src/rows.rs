//! From the core's audit to the rows of the report model. Every text goes through the audit's cleaner here.

use crate::login::login_row;
use crate::model::{
    CredentialRow, DecisionRow, ElsewhereRow, EntryRow, FindingRow, ItemRow, Launch, ListingRow, Named, OrderRow,
    Place, ReachRow, RemoteRow, Setup, Text, TextRow, Via, WaiverRow,
};
use tsuba_core::evidence::{ItemKind, Listing, Passage};
use tsuba_core::judge::{Audit, EntryRef, Finding, Verdict};
use tsuba_core::register::{Decision, ReviewStatus};
use tsuba_core::text::{fingerprint, strong_fingerprint};
use tsuba_core::understand::launch::{Plan, StepSummary};
use tsuba_core::understand::{Analysis, Credential, Entry, Fingerprints, SetupKind, launch_fingerprint};
use tsuba_core::wording::Order;

/// `path` is that of the document, cleaned.
pub(crate) fn setup_row(audit: &Audit, analysis: &Analysis, path: &Text) -> Setup {
    let facts = &analysis.document.facts;
    let clean = |text: &String| Text(audit.cleaner.clean(text));
    Setup {
        path: path.clone(),
        kind: Named(analysis.kind),
        owner: facts.owner.as_ref().map(clean),
        team: facts.team.as_ref().map(clean),
        code_owner: facts.code_owner.as_ref().map(clean),
        tracked: facts.tracked,
    }
}

/// What an entry is called in reports: the same wherever its tree lies.
pub fn entry_id(analysis: &Analysis, entry: &Entry) -> String {
    fingerprint([analysis.document.identity(), entry.pointer.as_str()])
}

/// `paths` are those of the documents, cleaned: they stand in many rows.
pub(crate) fn entry_row(
    audit: &Audit,
    entry_ref: EntryRef,
    (analysis, entry): (&Analysis, &Entry),
    paths: &[Text],
) -> EntryRow {
    let clean = |text: &str| Text(audit.cleaner.clean(text));
    let judgement = audit.judgements.get(entry_ref.analysis).zip(entry_ref.entry).and_then(|(list, e)| list.get(e));
    let shown = analysis.kind == SetupKind::Snippet;
    // Nobody has set up what a text shows: there is nothing to be used yet.
    let judgement = judgement.filter(|_| !shown);
    let document = &analysis.document;
    let (start, end) = (
        document.lines.position(&document.text, entry.name.span.start as usize),
        document.lines.position(&document.text, entry.name.span.end as usize),
    );
    let reach = ReachRow {
        folders: entry.reach.folders.iter().map(|f| clean(&f.path.text)).collect(),
        hosts: entry.reach.hosts.iter().map(|h| clean(h)).collect(),
        powers: entry.reach.powers.iter().map(|p| Named(*p)).collect(),
    };
    let reasons = judgement.into_iter().flat_map(|judgement| &judgement.reasons);
    let reasons: Vec<&Finding> = reasons.filter_map(|index| audit.findings.get(*index).map(AsRef::as_ref)).collect();
    let elsewhere = reasons.iter().filter(|finding| finding.entry_ref != entry_ref).map(|finding| ElsewhereRow {
        rule: Text::constant(finding.rule.id),
        setup: paths.get(finding.entry_ref.analysis).cloned().unwrap_or_default(),
        line: finding.start.line,
    });
    EntryRow {
        id: entry_id(analysis, entry),
        setup: paths.get(entry_ref.analysis).cloned().unwrap_or_default(),
        name: clean(&entry.name.text),
        place: Place {
            line: start.line,
            column: start.column,
            end_line: end.line,
            end_column: end.column,
            pointer: clean(entry.pointer.as_str()),
        },
        transport: Named(entry.transport),
        fingerprint: match analysis.listing_of(entry) {
            Some(listing) => listing_fingerprint(listing),
            None => launch_fingerprint(entry),
        },
        launch: entry.plan.as_ref().map(|plan| Box::new(launch_row(audit, plan))),
        remote: entry.remote.as_ref().map(|r| RemoteRow {
            url: clean(&r.url.text),
            host: clean(&r.host),
            loopback: r.loopback,
        }),
        credentials: entry.credentials.iter().map(|credential| credential_row(audit, credential)).collect(),
        reach,
        listing: listing_row(audit, entry_ref.analysis, entry, paths).map(Box::new),
        login: login_row(audit, entry_ref, paths).map(Box::new),
        asks: Named(entry.asks()),
        disabled: entry.disabled,
        decision: decision_row(audit, entry_ref).map(Box::new),
        document: shown,
        verdict: judgement.map(|j| j.verdict),
        because: judgement
            .map(|j| {
                let rules = reasons.iter().map(|finding| finding.rule.id);
                let decides = j.unseen.iter().filter(|_| j.verdict == Verdict::Unchecked);
                rules.chain(decides.map(|unseen| unseen.name())).map(Text::constant).collect()
            })
            .unwrap_or_default(),
        elsewhere: elsewhere.collect(),
    }
}

fn credential_row(audit: &Audit, credential: &Credential) -> CredentialRow {
    let plaintext = credential.is_plaintext();
    CredentialRow {
        place: Named(credential.place),
        name: Text(audit.cleaner.clean(&credential.name)),
        kind: Named(credential.kind),
        masked: plaintext.then(|| Text(audit.cleaner.clean(&tsuba_core::text::mask(&credential.value.text)))),
        fingerprint: if plaintext { audit.credential_name(credential).map(str::to_owned) } else { None },
    }
}

fn via(audit: &Audit, step: &StepSummary) -> Via {
    let clean = |text: &str| Text(audit.cleaner.clean(text));
    Via {
        runner: clean(&step.runner),
        source: Named(step.source),
        package: clean(&step.package),
        version: said(&step.version).map(clean),
        pin: Named(step.pin),
        aside: step.aside,
    }
}

/// What is empty does not apply.
fn said(text: &str) -> Option<&str> {
    Some(text).filter(|text| !text.is_empty())
}

fn launch_row(audit: &Audit, plan: &Plan) -> Launch {
    let clean = |text: &str| Text(audit.cleaner.clean(text));
    let summary = plan.describe();
    Launch {
        wrappers: summary.wrappers.iter().map(|name| clean(name)).collect(),
        runner: said(&summary.runner).map(clean),
        source: summary.source.map(Named),
        package: said(&summary.package).map(clean),
        version: said(&summary.version).map(clean),
        pin: summary.pin.map(Named),
        image: said(&summary.image).map(clean),
        tag: said(&summary.tag).map(clean),
        digest: said(&summary.digest).map(clean),
        script: said(&summary.script).map(clean),
        args: summary.args.iter().map(|word| clean(word)).collect(),
        bridge: summary.bridge,
        via: summary.via.iter().map(|step| via(audit, step)).collect(),
        not_understood: plan.not_understood.map(Text::constant),
    }
}

/// Stands for everything a model reads of a server.
fn listing_fingerprint(listing: &Listing) -> String {
    let prints = Fingerprints::of(listing);
    let items = prints.items.iter().flat_map(|(name, forms)| core::iter::once(name).chain(forms));
    strong_fingerprint(prints.server.iter().chain(items).map(String::as_str))
}

/// Where an entry stands with the register.
fn decision_row(audit: &Audit, entry_ref: EntryRef) -> Option<DecisionRow> {
    let standing = audit.standings.get(entry_ref.analysis)?.get(entry_ref.entry?)?.as_ref()?;
    let decision = standing.decision().and_then(|at| audit.register.as_ref()?.decisions.get(at));
    let clean = |text: &String| Text(audit.cleaner.clean(text));
    let changed = match standing {
        ReviewStatus::Changed(_, what) => what.iter().map(clean).collect(),
        _ => Vec::new(),
    };
    Some(DecisionRow {
        standing: Named(standing.stood()),
        id: decision.map(Decision::id),
        by: decision.map(|d| clean(&d.by)),
        on: decision.map(|d| d.on.to_string()),
        until: decision.and_then(|d| d.until).map(|until| until.to_string()),
        reason: decision.map(|d| clean(&d.reason)),
        conditions: decision.map(|d| d.conditions.iter().map(clean).collect()).unwrap_or_default(),
        changed,
    })
}

fn waiver_row(audit: &Audit, finding: &Finding) -> Option<WaiverRow> {
    let decision = audit.register.as_ref()?.decisions.get(finding.waived?)?;
    Some(WaiverRow {
        id: decision.id(),
        by: Text(audit.cleaner.clean(&decision.by)),
        until: decision.until.map(|until| until.to_string()).unwrap_or_default(),
        reason: Text(audit.cleaner.clean(&decision.reason)),
    })
}

/// What the server of an entry lists: in the entry's own document, or in another that belongs to it.
fn listing_row(audit: &Audit, own: usize, entry: &Entry, paths: &[Text]) -> Option<ListingRow> {
    let (at, entry_ref) = match entry.listed {
        Some(listed) => (listed.analysis, audit.analyses.get(listed.analysis)?.entries.get(listed.entry)?),
        None => (own, entry),
    };
    let analysis = audit.analyses.get(at)?;
    let listing = analysis.listing_of(entry_ref)?;
    let count = |kinds: &[ItemKind]| listing.items.iter().filter(|item| kinds.contains(&item.kind)).count();
    Some(ListingRow {
        path: paths.get(at).cloned().unwrap_or_default(),
        unanswered: listing.captured.as_ref().filter(|captured| !captured.answered).map(|captured| {
            Text::constant(if captured.wants_login { "it wants a login first" } else { "it did not answer" })
        }),
        tools: count(&[ItemKind::Tool, ItemKind::Skill]),
        prompts: count(&[ItemKind::Prompt]),
        resources: count(&[ItemKind::Resource, ItemKind::Template]),
        items: if entry.listed.is_none() { item_rows(audit, listing) } else { Vec::new() },
        texts: if entry.listed.is_none() {
            text_rows(audit, &listing.passages, |p| p.item.is_none())
        } else {
            Vec::new()
        },
        orders: if entry.listed.is_none() { order_rows(audit, analysis, entry, listing) } else { Vec::new() },
        more_orders: analysis.heard_of(entry).map_or(0, |heard| heard.more_orders),
        of: Vec::new(),
    })
}

/// What in a listing speaks to the model.
fn order_rows(audit: &Audit, analysis: &Analysis, entry: &Entry, listing: &Listing) -> Vec<OrderRow> {
    let document = &analysis.document;
    let clean = |text: &str| Text(audit.cleaner.clean(text));
    let row = |order: &Order| {
        let passage = listing.passages.get(order.passage)?;
        let at = passage.at.part(&document.text, order.range.clone());
        let position = |at: u32| document.lines.position(&document.text, at as usize);
        let (start, end) = (position(at.span.start), position(at.span.end));
        let speaks = order.speaks.iter().map(|(kind, words)| match words.as_str() {
            "" => Text::constant(kind.name()),
            words => clean(&format!("{}: {words}", kind.name())),
        });
        Some(OrderRow {
            whereabouts: clean(&listing.whereabouts(passage)),
            place: Place {
                line: start.line,
                column: start.column,
                end_line: end.line,
                end_column: end.column,
                pointer: clean(at.pointer.as_str()),
            },
            speaks: speaks.collect(),
            text: clean(&order.text),
            told: order.told,
        })
    };
    analysis.heard_of(entry).into_iter().flat_map(|heard| &heard.orders).filter_map(row).collect()
}

fn item_rows(audit: &Audit, listing: &Listing) -> Vec<ItemRow> {
    let rows = listing.items.iter().map(|item| ItemRow {
        kind: Named(item.kind),
        name: Text(audit.cleaner.clean(&item.name.text)),
        fingerprint: item.print.clone(),
        read_only: item.hints.read_only.as_ref().map(|hint| hint.0),
        destructive: item.hints.destructive.as_ref().map(|hint| hint.0),
        texts: text_rows(audit, listing.passages.get(item.passages.clone()).unwrap_or_default(), |_| true),
    });
    rows.collect()
}

fn text_rows(audit: &Audit, passages: &[Passage], wanted: impl Fn(&Passage) -> bool) -> Vec<TextRow> {
    let texts = passages.iter().filter(|passage| wanted(passage));
    texts.map(|p| TextRow { place: Named(p.place), text: Text(audit.cleaner.clean(&p.at.text)) }).collect()
}

/// `entry` is the id of the entry that it belongs to.
pub(crate) fn finding_row(
    audit: &Audit,
    finding: &Finding,
    entry: Option<&String>,
    paths: &[Text],
) -> Option<FindingRow> {
    let excerpt = &finding.excerpt;
    Some(FindingRow {
        rule: Text::constant(finding.rule.id),
        severity: finding.severity,
        without_policy: (finding.severity_without_policy != finding.severity)
            .then_some(finding.severity_without_policy),
        confidence: finding.confidence,
        setup: paths.get(finding.entry_ref.analysis)?.clone(),
        entry: entry.cloned(),
        place: Place {
            line: finding.start.line,
            column: finding.start.column,
            end_line: finding.end.line,
            end_column: finding.end.column,
            pointer: Text(finding.pointer.clone()),
        },
        message: Text(finding.message.clone()),
        excerpt: Text(excerpt.text.clone()),
        marked: (excerpt.marked.start, excerpt.marked.end),
        reads: finding.reads.clone().map(Text),
        sees: finding.sees.clone().map(Text),
        steps: finding.steps.iter().cloned().map(Text).collect(),
        fix: Text(finding.fix.clone()),
        replacement: finding.replacement.clone().map(Text),
        references: finding.rule.references.iter().copied().map(Text::constant).collect(),
        fingerprint: finding.fingerprint.clone(),
        waived: waiver_row(audit, finding).map(Box::new),
    })
}
