//! `tsuba explain --policy`: what policy and register say of entries, and in which line.

use crate::dates::as_of;
use crate::deciding::named;
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::output;
use crate::pipeline::{Audited, Pipeline};
use anyhow::Context as _;
use std::collections::BTreeSet;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use tsuba_core::decide::Explained;
use tsuba_core::judge::{Audit, EntryRef};
use tsuba_core::policy::{Line, Policy};
use tsuba_core::register::ReviewStatus;
use tsuba_core::severity::Severity;

/// Of what is told, and by what.
pub(super) struct Asked<'a> {
    pub(super) inputs: &'a [PathBuf],
    pub(super) entry: &'a [String],
    pub(super) evidence: &'a [PathBuf],
    pub(super) register: Option<&'a Path>,
    pub(super) config: Option<&'a Path>,
    pub(super) as_of: Option<&'a str>,
}

pub(super) fn run(args: &Asked<'_>) -> anyhow::Result<Done> {
    let wanted = InputArgs::inputs(args.inputs.to_vec(), args.config.map(Path::to_owned));
    let pipeline = Pipeline::new(&wanted, as_of(args.as_of)?).with_evidence(args.evidence)?;
    let Audited { audit, options, config, .. } = pipeline.with_register(args.register)?.run()?;
    let config = config.context("there is no policy: write one into tsuba.toml, or name it with --config")?;
    let all = || {
        let analyses = audit.analyses.iter().enumerate();
        analyses.flat_map(|(s, analysis)| {
            let own = analysis.entries.iter().enumerate().filter(|(_, entry)| entry.listing.is_none());
            own.map(move |(e, _)| EntryRef { analysis: s, entry: Some(e) })
        })
    };
    let wanted: Vec<EntryRef> = if args.entry.is_empty() {
        all().collect()
    } else {
        named(&audit, args.entry)?.into_iter().map(|(entry_ref, ..)| entry_ref).collect()
    };
    let policy = &options.policy;
    let message: Vec<(EntryRef, Vec<Explained>)> =
        wanted.iter().map(|entry_ref| (*entry_ref, policy.describe(&audit, *entry_ref))).collect();
    output::write(None, |out| {
        head(out, &config, policy)?;
        for (entry_ref, message) in &message {
            entry(out, &audit, *entry_ref, (message, &config), !args.entry.is_empty())?;
        }
        if args.entry.is_empty() { unused(out, policy, &message, &config) } else { Ok(()) }
    })?;
    Ok(Done::Clean)
}

fn head(out: &mut dyn Write, config: &Path, policy: &Policy) -> io::Result<()> {
    match (policy.gate, policy.gate_line()) {
        (Some(gate), Some(line)) => writeln!(out, "gate {gate}   {}", place(config, line)),
        _ => writeln!(out, "gate {}, which no policy changes", Severity::High),
    }
}

/// `tsuba.toml:12  [allow] packages "npm:@saltmarsh/*"`.
fn place(config: &Path, line: &Line) -> String {
    format!("{}:{}  {}", config.display(), line.line, line.text)
}

/// The lines of one entry; of one of which nothing is said only where it was asked for.
fn entry(
    out: &mut dyn Write,
    audit: &Audit,
    entry_ref: EntryRef,
    (message, config): (&[Explained], &Path),
    asked: bool,
) -> io::Result<()> {
    let message: Vec<&Explained> = message.iter().filter(|message| asked || message.says).collect();
    let Some(analysis) = audit.analyses.get(entry_ref.analysis) else { return Ok(()) };
    let Some(entry) = entry_ref.entry.and_then(|entry| analysis.entries.get(entry)) else { return Ok(()) };
    let standing = entry_ref.entry.and_then(|entry| audit.standings.get(entry_ref.analysis)?.get(entry)?.as_ref());
    if message.is_empty() && !asked {
        return Ok(());
    }
    let team = analysis.document.facts.team.as_ref().map(|team| format!("  team {team}")).unwrap_or_default();
    let title = format!("{}  {}{team}", entry.name.text, analysis.document.path);
    writeln!(out, "\n{}", audit.cleaner.clean(&title))?;
    if let Some(standing) = standing {
        writeln!(out, "    {}", audit.cleaner.clean(&decided(audit, standing)))?;
    }
    for message in message {
        let sign = if message.against { "!" } else { " " };
        writeln!(out, "  {sign} {}: {}", message.subject, message.effect)?;
        if let Some(line) = &message.line {
            writeln!(out, "        {}", audit.cleaner.clean(&place(config, line)))?;
        }
    }
    Ok(())
}

/// What the register says of an entry.
fn decided(audit: &Audit, standing: &ReviewStatus) -> String {
    let register = audit.register.as_ref();
    match standing.decision().and_then(|at| register?.decisions.get(at)) {
        Some(decision) => format!(
            "the register: {}, by {} on {} ({}): {}",
            standing.name(),
            decision.by,
            decision.on,
            decision.id(),
            decision.reason
        ),
        None => "the register: nothing is decided on it".to_owned(),
    }
}

/// Lines of which no entry was told: they may be left over, or have a mistake.
fn unused(
    out: &mut dyn Write,
    policy: &Policy,
    message: &[(EntryRef, Vec<Explained>)],
    config: &Path,
) -> io::Result<()> {
    let used: BTreeSet<&Line> = message
        .iter()
        .flat_map(|(_, message)| message)
        .filter(|message| message.says)
        .filter_map(|message| message.line.as_ref())
        .collect();
    let silent: Vec<&Line> = policy.judging_lines().into_iter().filter(|line| !used.contains(line)).collect();
    if !silent.is_empty() {
        writeln!(out, "\nunused policy lines:")?;
    }
    let cleaner = tsuba_core::judge::pattern_redactor();
    silent.iter().try_for_each(|line| writeln!(out, "    {}", cleaner.clean(&place(config, line))))
}
