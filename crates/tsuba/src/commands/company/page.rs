//! `tsuba company page`: the whole company as one page.

use crate::dates::as_of;
use crate::exit::Done;
use crate::output;
use clap::Args as Arguments;
use jiff::civil::Date;
use std::collections::BTreeMap;
use std::path::PathBuf;
use tsuba_core::judge::Verdict;
use tsuba_core::text::Name as _;
use tsuba_report::{Company, CompanyEntry, CompanyFinding, CompanyWeek};
use tsuba_store::{Filter, FindingLine, Store, days_between};

/// Write one page without network: how it goes, whose what is, how long findings have been open, every entry to be searched
#[derive(Clone, Debug, Arguments)]
pub(super) struct Args {
    /// The file
    #[arg(long, short, value_name = "FILE", default_value = "company.html")]
    output: PathBuf,
    /// So many weeks
    #[arg(long, value_name = "N", default_value_t = 12, value_parser = clap::value_parser!(u32).range(1..=520))]
    weeks: u32,
    /// Up to this date (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE")]
    as_of: Option<String>,
    /// List at most so many entries, the worst ones, and so many findings of files; the figures are of all
    #[arg(long, value_name = "N", default_value_t = 20_000)]
    limit: usize,
}

pub(super) fn run(store: &Store, args: &Args) -> anyhow::Result<Done> {
    let today = as_of(args.as_of.as_deref())?;
    let trend = store.trend(args.weeks, today, None)?;
    let weeks = trend.weeks.into_iter().map(|week| CompanyWeek {
        until: week.until,
        sources: week.scopes,
        open: week.open,
        came: week.opened,
        went: week.closed,
    });
    let filter = Filter { limit: Some(args.limit), ..Filter::default() };
    let verdicts = store.counts(&filter)?.verdicts.into_iter();
    let open = store.open_since()?.into_iter();
    let mut company = Company {
        as_of: today.to_string(),
        sources: store.scopes()?,
        version: env!("CARGO_PKG_VERSION").to_owned(),
        weeks: weeks.collect(),
        verdicts: verdicts
            .filter_map(|(owner, name, count)| Some((owner, Verdict::from_name(&name)?, count)))
            .collect(),
        open: open.map(|(severity, first, count)| (severity, days(&first, today), count)).collect(),
        entries: entries(store, &filter, today)?,
        files_cut: false,
    };
    let of_files = company.entries.iter().filter(|entry| entry.verdict.is_empty());
    company.files_cut = of_files.map(|entry| entry.findings.len()).sum::<usize>() > args.limit;
    output::write(Some(&args.output), |out| tsuba_report::company(&company, out))?;
    output::note(&format!("written to {}", args.output.display()));
    Ok(Done::Clean)
}

/// The entries that are meant with what is open, and the files with findings of their own.
fn entries(store: &Store, filter: &Filter, today: Date) -> anyhow::Result<Vec<CompanyEntry>> {
    let mut open: BTreeMap<(String, String), Vec<FindingLine>> = BTreeMap::new();
    for finding in store.open_findings(filter, filter.limit.map_or(usize::MAX, |most| most.saturating_add(1)))? {
        // What belongs to no entry is of its file.
        let of = if finding.entry.is_empty() { finding.setup.clone() } else { finding.entry.clone() };
        open.entry((finding.scope.clone(), of)).or_default().push(finding);
    }
    let mut out = Vec::new();
    for line in store.entries(filter)? {
        let findings = open.remove(&(line.scope.clone(), line.id.clone())).unwrap_or_default();
        let owner = line.answers().to_owned();
        let mut facts = vec![("runs", line.runs)];
        if !line.decision.is_empty() {
            facts.push(("decision", line.decision));
        }
        facts.push(("seen", format!("since {}, last seen {}", line.first_seen, line.last_seen)));
        out.push(CompanyEntry {
            name: line.name,
            verdict: line.verdict,
            owner,
            place: format!("{}  {}", line.scope, line.place),
            facts,
            findings: findings.into_iter().map(|finding| told(finding, today)).collect(),
        });
    }
    for ((scope, _), findings) in open {
        let Some(first) = findings.first() else { continue };
        out.push(CompanyEntry {
            name: if first.name.is_empty() { first.setup.clone() } else { first.name.clone() },
            verdict: String::new(),
            owner: first.answers().to_owned(),
            place: format!("{scope}  {}:{}", first.setup, first.line),
            facts: Vec::new(),
            findings: findings.into_iter().map(|finding| told(finding, today)).collect(),
        });
    }
    Ok(out)
}

/// For so many days something has been there.
fn days(first_seen: &str, today: Date) -> i32 {
    first_seen.parse().map_or(0, |first| days_between(first, today))
}

fn told(finding: FindingLine, today: Date) -> CompanyFinding {
    let days = days(&finding.first_seen, today);
    let again = if finding.reopened > 0 { format!(", came back {} times", finding.reopened) } else { String::new() };
    CompanyFinding {
        since: format!("{days} days, since {}{again}", finding.first_seen),
        rule: finding.rule,
        severity: finding.severity,
        confidence: finding.confidence,
        line: finding.line,
        message: finding.message,
        fix: finding.fix,
        waived: finding.waived,
    }
}
