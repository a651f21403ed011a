//! `tsuba compare`: what is other in one report than in another.

use crate::dates::as_of;
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::pipeline::Pipeline;
use crate::reports::snapshot;
use crate::{approved, output, register};
use clap::{Args as Arguments, ValueEnum};
use jiff::civil::Date;
use serde_json::json;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use tsuba_core::decide::drift::{Change, PieceKind, Snapshot, Weight, drift};
use tsuba_core::judge::pattern_redactor;
use tsuba_core::severity::Severity;
use tsuba_report::{Page, RenderOptions, Role};

/// Show what has changed since an earlier JSON report, or since it was approved: entries, how they are started, and every word that a model reads
///
/// A change is serious (another origin, wider powers, a hint taken back, unseen characters, new findings in a server's words), notable
/// or harmless (white space, something gone).
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// The earlier report (`tsuba audit --format json`), or the register: then what was approved is compared
    #[arg(value_name = "OLD")]
    old: PathBuf,
    /// The later report, or folders and files as they are now
    #[arg(value_name = "NEW", required = true)]
    new: Vec<PathBuf>,
    /// Folders of evidence, for what is there now (may be given several times)
    #[arg(long, value_name = "FOLDER")]
    evidence: Vec<PathBuf>,
    /// Configuration file, for what is there now [default: as for `audit`]
    #[arg(long, value_name = "FILE")]
    config: Option<PathBuf>,
    /// As of this date (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE")]
    as_of: Option<String>,
    /// Exit 1 if any change is at least this serious
    #[arg(long, value_enum, default_value_t = Gate::Serious)]
    gate: Gate,
    /// The format
    #[arg(long, value_enum, default_value_t = FormatName::Text)]
    format: FormatName,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum Gate {
    Serious,
    Notable,
    Harmless,
    /// Never exit 1
    None,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum FormatName {
    /// For people
    Text,
    /// For programs
    Json,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let today = as_of(args.as_of.as_deref())?;
    let (old, new) = match register::of(&args.old)? {
        Some(register) => {
            let (old, decisions, without) = approved::load(&args.old, &register, today)?;
            if without > 0 {
                let count =
                    if without == 1 { "1 approval was".to_owned() } else { format!("{without} approvals were") };
                let message = "written without the words of what was approved; `tsuba audit` tells whether they hold";
                output::note(&format!("{count} {message}"));
            }
            let new = later(args, today, Some(&args.old))?.within(&old, &decisions);
            (old, new)
        }
        None => (snapshot(&args.old)?, later(args, today, None)?),
    };
    let changes = drift(&old, &new, &tsuba_core::rules::undecided());
    let mut out = anstream::stdout().lock();
    match args.format {
        FormatName::Text => text(&mut out, output::look(), &changes)?,
        FormatName::Json => writeln!(out, "{}", serde_json::to_string_pretty(&rows(&changes))?)?,
    }
    let gate = match args.gate {
        Gate::Serious => Some(Weight::Serious),
        Gate::Notable => Some(Weight::Notable),
        Gate::Harmless => Some(Weight::Harmless),
        Gate::None => None,
    };
    let stops = gate.is_some_and(|gate| changes.iter().any(|change| change.weight >= gate));
    Ok(if stops { Done::Gated } else { Done::Clean })
}

/// What there is to compare with: a report, or what there is now.
fn later(args: &Args, today: Date, register: Option<&Path>) -> anyhow::Result<Snapshot> {
    if let [file] = args.new.as_slice()
        && file.is_file()
        && args.evidence.is_empty()
        && let Ok(report) = snapshot(file)
    {
        return Ok(report);
    }
    let wanted = InputArgs::inputs(args.new.clone(), args.config.clone());
    let pipeline = Pipeline::new(&wanted, today).with_evidence(&args.evidence)?;
    let mut audited = pipeline.with_register(register)?.run()?;
    // The register has paths from its own folder; a report has those of the audit.
    if register.is_some() {
        register::as_known(&mut audited.audit);
    }
    let report = audited.report();
    Ok(serde_json::from_value(serde_json::to_value(&report)?)?)
}

fn text(out: &mut dyn Write, look: RenderOptions, changes: &[Change]) -> io::Result<()> {
    // Whoever wrote the reports may have written anything into them.
    let cleaner = pattern_redactor();
    let clean = |text: &str| cleaner.clean(text).as_str().to_owned();
    let count = |weight: Weight| changes.iter().filter(|change| change.weight == weight).count();
    let counts: Vec<String> = Weight::ALL
        .iter()
        .map(|weight| format!("{} {}", count(*weight), look.paint(tint(*weight), weight.name())))
        .collect();
    let mut page = Page::new(look, out);
    page.line(&format!("changes: {}", counts.join(", ")))?;
    for change in changes {
        page.head((tint(change.weight), change.weight.name()), &clean(&change.entry), &clean(&change.setup))?;
        page.row("change", &clean(&change.what))?;
        if !change.words.is_empty() {
            page.row("words", &clean(&change.told_words()))?;
        }
    }
    Ok(())
}

fn tint(weight: Weight) -> Role {
    match weight {
        Weight::Serious => Role::Severity(Severity::High),
        Weight::Notable => Role::Severity(Severity::Medium),
        Weight::Harmless => Role::Severity(Severity::Low),
    }
}

fn rows(changes: &[Change]) -> serde_json::Value {
    let cleaner = pattern_redactor();
    let clean = |text: &str| cleaner.clean(text).as_str().to_owned();
    let kind = |kind: PieceKind| match kind {
        PieceKind::Kept => "kept",
        PieceKind::Gone => "gone",
        PieceKind::New => "new",
    };
    let row = |change: &Change| {
        let words: Vec<_> =
            change.words.iter().map(|piece| json!({ "kind": kind(piece.kind), "text": clean(&piece.text) })).collect();
        json!({ "weight": change.weight.name(), "setup": clean(&change.setup), "entry": clean(&change.entry),
            "what": clean(&change.what), "words": words })
    };
    json!({ "changes": changes.iter().map(row).collect::<Vec<_>>() })
}
