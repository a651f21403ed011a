//! `tsuba audit`: the main job.

use crate::dates::as_of;
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::patch::Patch;
use crate::pipeline::Pipeline;
use crate::split::{self, Split};
use crate::{output, register};
use anyhow::bail;
use clap::{Args as Arguments, ValueEnum};
use std::mem::ManuallyDrop;
use std::path::PathBuf;
use tsuba_core::severity::Severity;
use tsuba_report::{Format, RenderOptions, Report, Written};

/// Find, explain and judge every configured tool server, and what servers say of themselves
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) input: InputArgs,
    /// Include evidence from this folder, as `tsuba capture` wrote it (may be given several times)
    #[arg(long, value_name = "FOLDER")]
    pub(crate) evidence: Vec<PathBuf>,
    /// Use decisions from this register [default: tsuba-register.toml in the current folder; one that lies in what is judged only where it is trusted]
    #[arg(long, value_name = "FILE")]
    pub(crate) register: Option<PathBuf>,
    /// Require the register to be signed by a signer in this file (OpenSSH allowed signers)
    #[arg(long, value_name = "SIGNERS")]
    pub(crate) require_signed: Option<PathBuf>,
    /// Require a signed register with at least this serial number (where no state is kept between runs, as in CI)
    #[arg(long, value_name = "NUMBER", requires = "require_signed", default_value_t = 0, hide_default_value = true)]
    pub(crate) min_serial: u64,
    /// Report and gate only what an earlier JSON report does not have
    #[arg(long, value_name = "REPORT")]
    pub(crate) since: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) report: ReportArgs,
}

/// How to judge and report.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct ReportArgs {
    /// The format of the report
    #[arg(long, value_enum, default_value_t = FormatName::Text)]
    pub(crate) format: FormatName,
    /// Write the report to this file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Write one report for each team, repository or owner, and a list of them, into the folder that --output names
    #[arg(long, value_enum, value_name = "BY", requires = "output", conflicts_with_all = ["summary", "top", "orders", "quiet"])]
    pub(crate) split: Option<Split>,
    /// With --format markdown: end with the patch that `tsuba repair` would write
    #[arg(long)]
    pub(crate) patch: bool,
    /// Exit 1 if any finding is at least this severe [default: the policy's, else high]
    #[arg(long, value_enum)]
    pub(crate) gate: Option<Gate>,
    /// Also exit 1 if an entry is unchecked or a file could not be read
    #[arg(long)]
    pub(crate) strict: bool,
    /// Only rules of this family (may be given several times); `tsuba explain` lists the families
    #[arg(long, value_name = "FAMILY")]
    pub(crate) only: Vec<String>,
    #[command(flatten)]
    pub(crate) shown: Shown,
    /// Judge as of this date (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE")]
    pub(crate) as_of: Option<String>,
}

impl ReportArgs {
    /// Is everything written, as JSON and into one file? That can be done while it is made.
    fn is_all_as_json(&self) -> bool {
        self.format == FormatName::Json && self.split.is_none() && self.only.is_empty() && self.shown.is_all()
    }
}

/// What of it is shown.
#[derive(Clone, Debug, Default, Arguments)]
pub(crate) struct Shown {
    /// Only findings of this rule; then there are no verdicts (may be given several times)
    #[arg(long, value_name = "RULE")]
    rule: Vec<String>,
    /// Only findings at least this severe; then there are no verdicts
    #[arg(long, value_enum)]
    severity: Option<Least>,
    /// Only what this team answers for (may be given several times)
    #[arg(long, value_name = "TEAM")]
    team: Vec<String>,
    /// Only the counts, by team or repository, and the worst entries
    #[arg(long, conflicts_with = "top")]
    summary: bool,
    /// Only the N worst entries
    #[arg(long, value_name = "N")]
    top: Option<usize>,
    /// List every sentence of a captured server that speaks to the model, told by a rule or not
    #[arg(long, conflicts_with_all = ["summary", "top"])]
    orders: bool,
    /// Print nothing; only the exit status counts
    #[arg(long, short, conflicts_with_all = ["summary", "top", "orders", "output", "format"])]
    quiet: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Least {
    Critical,
    High,
    Medium,
    Low,
}

impl Least {
    pub(crate) fn severity(self) -> Severity {
        match self {
            Self::Critical => Severity::Critical,
            Self::High => Severity::High,
            Self::Medium => Severity::Medium,
            Self::Low => Severity::Low,
        }
    }
}

impl Shown {
    /// What was typed, before any work is done.
    fn check(&self, format: FormatName) -> anyhow::Result<()> {
        if let Some(unknown) = self.rule.iter().find(|rule| tsuba_core::rules::find(rule).is_none()) {
            bail!("--rule: {}", tsuba_core::rules::unknown(unknown));
        }
        if (self.summary || self.top.is_some()) && format != FormatName::Text {
            bail!("--summary and --top are for people: leave --format away");
        }
        Ok(())
    }

    /// The report with that alone, and with what was left out named.
    pub(crate) fn of(&self, report: Report) -> Report {
        let severity = self.severity.map(Least::severity);
        // By an older name the same rule is meant.
        let named =
            |rule: &String| tsuba_core::rules::find(rule).map_or_else(|| rule.clone(), |rule| rule.id.to_owned());
        let rules: Vec<String> = self.rule.iter().map(named).collect();
        report.of_teams(&self.team).of_rules(&rules).at_least(severity)
    }

    /// Is nothing left out?
    fn is_all(&self) -> bool {
        self.rule.is_empty() && self.severity.is_none() && self.team.is_empty() && !self.quiet
    }

    /// So many entries are shown.
    fn most(&self) -> Option<usize> {
        if self.summary { Some(0) } else { self.top }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum FormatName {
    /// For people
    Text,
    /// The stable contract, tsuba-report/2
    Json,
    /// SARIF 2.1.0, for code review and scanning dashboards
    Sarif,
    /// For a ticket
    Markdown,
    /// One page without network: figures, who uses what, every finding, to be searched
    Html,
    /// A table of the findings, for a spreadsheet
    Csv,
    /// A table of the entries, for a spreadsheet
    EntriesCsv,
    /// A finding a line, as JSON, for a log pipeline
    Ndjson,
    /// CycloneDX 1.6: packages, images and services with their findings, for a bill of materials
    #[value(name = "cyclonedx")]
    CycloneDx,
    /// OCSF 1.3: an event a line for each finding, for a data lake
    Ocsf,
    /// A test report in XML, a case for each entry, for CI
    #[value(name = "junit")]
    JUnit,
}

impl FormatName {
    /// What names of files end with.
    pub(crate) fn ending(self) -> &'static str {
        match self {
            Self::Text => "txt",
            Self::Json => "json",
            Self::Sarif => "sarif",
            Self::Markdown => "md",
            Self::Html => "html",
            Self::Csv | Self::EntriesCsv => "csv",
            Self::Ndjson | Self::Ocsf => "ndjson",
            Self::CycloneDx => "cdx.json",
            Self::JUnit => "xml",
        }
    }

    pub(crate) fn of_report(self) -> Format {
        match self {
            Self::Text => Format::Text,
            Self::Json => Format::Json,
            Self::Sarif => Format::Sarif,
            Self::Markdown => Format::Markdown,
            Self::Html => Format::Html,
            Self::Csv => Format::Csv,
            Self::EntriesCsv => Format::EntriesCsv,
            Self::Ndjson => Format::Ndjson,
            Self::CycloneDx => Format::CycloneDx,
            Self::Ocsf => Format::Ocsf,
            Self::JUnit => Format::JUnit,
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Gate {
    Critical,
    High,
    Medium,
    Low,
    Note,
    /// Never exit 1
    None,
}

impl Gate {
    fn severity(self) -> Option<Severity> {
        match self {
            Self::Critical => Some(Severity::Critical),
            Self::High => Some(Severity::High),
            Self::Medium => Some(Severity::Medium),
            Self::Low => Some(Severity::Low),
            Self::Note => Some(Severity::Note),
            Self::None => None,
        }
    }
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let named = args.register.as_deref();
    let pipeline = pipeline(&args.input, &args.report)?.with_register(named)?;
    let signer = args.require_signed.as_deref();
    let signer = signer
        .map(|file| {
            register::signed(pipeline.register_path(), pipeline.register(), file, args.min_serial, pipeline.today())
        })
        .transpose()?;
    let since = args.since.as_deref().map(crate::reports::snapshot).transpose()?;
    let audited = pipeline.with_evidence(&args.evidence)?.run()?;
    // Taking apart a company's setups, value by value, takes as long as judging them, and the program ends soon anyway.
    let audited = ManuallyDrop::new(audited);
    let gate = args.report.gate.map_or_else(|| audited.options.policy.gate.or(Some(Severity::High)), Gate::severity);
    let shown = |path: &PathBuf| path.to_string_lossy().into_owned();
    let of_signer = signer.map(|name| format!(" (signed by {name})")).unwrap_or_default();
    let files = [audited.config.as_ref().map(shown), audited.register.as_ref().map(|path| shown(path) + &of_signer)];
    let files: Vec<String> = files.into_iter().flatten().collect();
    let strict = args.report.strict;
    if since.is_none() && args.report.is_all_as_json() {
        let mut written = None;
        output::write(args.report.output.as_ref(), |out| {
            written = Some(audited.stream(|head| head.with_files(&files), out)?);
            Ok(())
        })?;
        let reaches = |written: &Written| gate.is_some_and(|severity| written.reaches(severity));
        let gated = written.is_some_and(|written| reaches(&written) || (strict && written.is_unsure()));
        return Ok(if gated { Done::Gated } else { Done::Clean });
    }
    let report = audited.report().with_files(&files);
    let report = match since {
        Some(since) => report.beyond(&since.findings(), &since.ids()),
        None => report,
    };
    let report = ManuallyDrop::new(args.report.shown.of(report.by_families(&args.report.only)));
    let patch = args.report.patch.then(|| Patch::of(&audited));
    write(&report, &args.report, patch.as_ref())?;
    let gated = gate.is_some_and(|severity| report.reaches(severity)) || (strict && report.is_unsure());
    Ok(if gated { Done::Gated } else { Done::Clean })
}

/// Checks what was typed before any work is done.
pub(crate) fn pipeline(wanted: &InputArgs, args: &ReportArgs) -> anyhow::Result<Pipeline> {
    args.shown.check(args.format)?;
    split::check(args.split, args.output.as_deref(), args.format)?;
    if args.patch && args.format != FormatName::Markdown {
        bail!("--patch is a part of a ticket: add --format markdown, or use `tsuba repair`");
    }
    let mut families: Vec<&str> = tsuba_core::rules::all().iter().map(|rule| rule.family()).collect();
    families.dedup();
    if let Some(unknown) = args.only.iter().find(|family| !families.contains(&family.as_str())) {
        bail!("--only: unknown family {unknown:?}; expected one of {}", families.join(", "));
    }
    let pipeline = Pipeline::new(wanted, as_of(args.as_of.as_deref())?).of_families(&args.only);
    Ok(if args.patch { pipeline.looking_beside() } else { pipeline })
}

pub(crate) fn write(report: &Report, args: &ReportArgs, patch: Option<&Patch>) -> anyhow::Result<()> {
    let format = args.format.of_report();
    if args.shown.quiet {
        return Ok(());
    }
    if let (Some(by), Some(folder)) = (args.split, &args.output) {
        return split::write(report, by, args.format, folder, patch);
    }
    let look = if args.output.is_some() { output::plain() } else { output::look() };
    let look = RenderOptions { most: args.shown.most(), orders: args.shown.orders, ..look };
    output::write(args.output.as_ref(), |out| {
        format.renderer(look).render(report, out)?;
        patch.map_or(Ok(()), |patch| patch.write(report, out))
    })
}
