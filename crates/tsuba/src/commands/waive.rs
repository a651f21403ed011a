//! `tsuba waive`: writes down that a finding is accepted until a date.

use crate::dates::date;
use crate::deciding::{DecisionArgs, judged, place};
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::pipeline::Audited;
use crate::register;
use anyhow::bail;
use clap::Args as Arguments;
use std::io::Write as _;
use std::path::PathBuf;
use tsuba_core::judge::{Audit, Finding};
use tsuba_core::register::{Kind, Scope};

/// Accept findings until a date
///
/// A waived finding is shown as such, stops no gate and decides no verdict; when the date is over it is back.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    input: InputArgs,
    /// Findings of this rule
    #[arg(long, value_name = "RULE", required_unless_present = "finding")]
    rule: Option<String>,
    /// Only those of this entry
    #[arg(long, value_name = "NAME")]
    entry: Option<String>,
    /// The finding with this fingerprint, as a JSON report has it
    #[arg(long, value_name = "FINGERPRINT")]
    finding: Option<String>,
    /// All findings that are meant, where they are several
    #[arg(long)]
    all: bool,
    /// The evidence of what the servers list (may be given several times)
    #[arg(long, value_name = "FOLDER")]
    evidence: Vec<PathBuf>,
    /// The last day on which it holds (YYYY-MM-DD)
    #[arg(long, value_name = "DATE")]
    until: String,
    #[command(flatten)]
    decider: DecisionArgs,
}

/// So many findings are told when there are too many.
const TOLD: usize = 10;

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let until = date("--until", &args.until)?;
    if let Some(rule) = args.rule.as_deref().filter(|rule| tsuba_core::rules::find(rule).is_none()) {
        bail!("--rule: {}", tsuba_core::rules::unknown(rule));
    }
    let Audited { audit, register: into, .. } = judged(&args.input, &args.evidence, &args.decider.who)?;
    let found: Vec<&Finding> =
        audit.findings.iter().map(AsRef::as_ref).filter(|finding| is_meant(args, &audit, finding)).collect();
    let lines: Vec<String> = found.iter().map(|finding| line(&audit, finding)).collect();
    match found.len() {
        0 => bail!("no finding matches: none of that rule, entry or fingerprint is in the inputs"),
        1 => {}
        count if !args.all => {
            let message = lines.iter().take(TOLD).map(|line| format!("\n  {line}")).collect::<String>();
            bail!("{count} findings match; select one with --entry or --finding, or add --all:{message}");
        }
        _ => {}
    }
    let mut decisions = Vec::new();
    for finding in &found {
        let scope =
            Scope::Finding { rule: finding.rule.id.to_owned(), finding: finding.register_fingerprint().to_owned() };
        let mut decision = args.decider.decision(Kind::Waived, scope, Some(until))?;
        decision.place = place(&audit, finding);
        decisions.push(decision);
    }
    let path = register::write(into.as_deref(), &decisions)?;
    let mut out = anstream::stdout().lock();
    for line in lines {
        writeln!(out, "waived until {until}  {line}")?;
    }
    writeln!(out, "{}", register::written(&path))?;
    Ok(Done::Clean)
}

fn is_meant(args: &Args, audit: &Audit, finding: &Finding) -> bool {
    let analysis = audit.analyses.get(finding.entry_ref.analysis);
    let entry = || {
        analysis
            .and_then(|analysis| analysis.entries.get(finding.entry_ref.entry?))
            .map(|entry| entry.name.text.as_str())
    };
    args.rule.as_deref().is_none_or(|rule| finding.rule.names().contains(&rule))
        && args.finding.as_deref().is_none_or(|wanted| wanted == finding.fingerprint)
        && args.entry.as_deref().is_none_or(|name| entry() == Some(name))
}

fn line(audit: &Audit, finding: &Finding) -> String {
    let path = audit
        .analyses
        .get(finding.entry_ref.analysis)
        .map(|analysis| analysis.document.path.as_str())
        .unwrap_or_default();
    let (path, place) = (audit.cleaner.clean(path), finding.start.line);
    format!("{}  {path}:{place}  {}  {}", finding.rule.id, finding.message, finding.fingerprint)
}
