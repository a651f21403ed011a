//! `tsuba company`: many reports in one store, and what can be asked of it.

mod add;
mod bill;
mod export;
mod forget;
mod page;
#[cfg(feature = "parquet")]
mod parquet;
mod store;
mod tell;

use crate::dates::as_of;
use crate::exit::Done;
use crate::output;
use anyhow::bail;
use clap::{Args as Arguments, Subcommand, ValueEnum};
use jiff::ToSpan as _;
use serde::ser::SerializeSeq as _;
use serde::{Serialize, Serializer as _};
use std::io;
use std::path::PathBuf;
use store::open;
use tsuba_core::severity::Severity;
use tsuba_report::Rows;
use tsuba_store::{Filter, Store, StoreError, Wanted};

/// Keep the reports of a whole company in one store, and ask it: who runs what, since when, is it getting better
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// The store: a file, or a database as postgres://USER@HOST/NAME (in builds with PostgreSQL; the password from PGPASSWORD, a password
    /// file or a service file)
    #[arg(long, value_name = "STORE", default_value = "company.db", global = true)]
    store: PathBuf,
    #[command(subcommand)]
    command: Command,
}

#[derive(Clone, Debug, Subcommand)]
enum Command {
    Add(add::Args),
    Where(Where),
    List(List),
    Entry(Entry),
    Trend(Trend),
    Overdue(Overdue),
    Decisions(Decisions),
    Page(page::Args),
    Export(export::Args),
    Forget(forget::Args),
}

/// Who runs a package, image, host, tool, server or credential, or breaks a rule
#[derive(Clone, Debug, Arguments)]
struct Where {
    /// Its name, of a package also with versions: '@saltmarsh/tide-table@<2.4.2'. What is not called so exactly is looked for by how it
    /// begins, then by any part of it
    #[arg(value_name = "TEXT")]
    text: String,
    /// Also what is not there any more
    #[arg(long)]
    gone: bool,
    /// At most so many are listed; all are counted [default: 1000 as text, else all]
    #[arg(long, value_name = "N")]
    limit: Option<usize>,
    /// The format
    #[arg(long, value_enum, default_value_t = AnswerFormat::Text)]
    format: AnswerFormat,
}

/// List entries, the worst first
#[derive(Clone, Debug, Arguments)]
struct List {
    /// Only entries with this verdict (may be given several times)
    #[arg(long, value_name = "VERDICT", value_parser = ["refuse", "fix-first", "unchecked", "ready"])]
    verdict: Vec<String>,
    /// Only what this team answers for (may be given several times)
    #[arg(long, value_name = "TEAM")]
    team: Vec<String>,
    /// Only repositories, or hosts and folders, with this in their name (may be given several times)
    #[arg(long = "in", value_name = "TEXT")]
    within: Vec<String>,
    /// Also what is not there any more
    #[arg(long)]
    gone: bool,
    /// At most so many [default: 1000 as text, else all]
    #[arg(long, value_name = "N")]
    limit: Option<usize>,
    /// Without the first N
    #[arg(long, value_name = "N", default_value_t = 0)]
    skip: usize,
    /// The format
    #[arg(long, value_enum, default_value_t = AnswerFormat::Text)]
    format: AnswerFormat,
}

/// The life of an entry: first seen, changes, decisions, findings opened and closed
#[derive(Clone, Debug, Arguments)]
struct Entry {
    /// Its id, at least six characters of it, or its name
    #[arg(value_name = "ID")]
    id: String,
    /// The format
    #[arg(long, value_enum, default_value_t = LifeFormat::Text)]
    format: LifeFormat,
}

/// How it goes, by week: verdicts, open findings, what came and went
#[derive(Clone, Debug, Arguments)]
struct Trend {
    /// So many weeks
    #[arg(long, value_name = "N", default_value_t = 12, value_parser = clap::value_parser!(u32).range(1..=520))]
    weeks: u32,
    /// Of this team alone
    #[arg(long, value_name = "TEAM")]
    team: Option<String>,
    /// Up to this date (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE")]
    as_of: Option<String>,
    /// The format
    #[arg(long, value_enum, default_value_t = LifeFormat::Text)]
    format: LifeFormat,
}

/// Findings that have been open for too long, the oldest of the worst first
#[derive(Clone, Debug, Arguments)]
struct Overdue {
    /// Open for at least so many days
    #[arg(long, value_name = "N", default_value_t = 30)]
    days: i32,
    /// At least this severe
    #[arg(long, value_enum, default_value_t = Least::High)]
    severity: Least,
    /// As of this date (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE")]
    as_of: Option<String>,
    /// Exit 1 if there is one
    #[arg(long)]
    gate: bool,
    /// The format
    #[arg(long, value_enum, default_value_t = AnswerFormat::Text)]
    format: AnswerFormat,
}

/// What was decided anywhere, whether it still holds, and where else the same is started undecided
#[derive(Clone, Debug, Arguments)]
struct Decisions {
    /// Only those that end within so many days
    #[arg(long, value_name = "DAYS")]
    ending: Option<u32>,
    /// Only those that would hold for entries of other repositories or hosts
    #[arg(long)]
    elsewhere: bool,
    /// As of this date (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE")]
    as_of: Option<String>,
    /// The format
    #[arg(long, value_enum, default_value_t = LifeFormat::Text)]
    format: LifeFormat,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum Least {
    Critical,
    High,
    Medium,
    Low,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum AnswerFormat {
    /// For people
    Text,
    /// For programs
    Json,
    /// For a spreadsheet
    Csv,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum LifeFormat {
    /// For people
    Text,
    /// For programs
    Json,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let store = args.store.as_path();
    match &args.command {
        Command::Add(args) => add::run(store, args),
        Command::Forget(args) => forget::run(store, args),
        Command::Page(args) => page::run(&open(store)?, args),
        Command::Export(args) => export::run(&open(store)?, args),
        Command::Where(args) => {
            let found = open(store)?.who_uses(&Wanted::of(&args.text), args.gone)?;
            let most = limit(args.limit, args.format).unwrap_or(found.len()).min(found.len());
            let listed = found.get(..most).unwrap_or(&found);
            answer(args.format, listed, |out| tell::uses(&args.text, &found, listed, out))
        }
        Command::List(args) => {
            let filter = Filter {
                verdicts: args.verdict.clone(),
                teams: args.team.clone(),
                scopes: args.within.clone(),
                gone: args.gone,
                limit: limit(args.limit, args.format),
                skip: args.skip,
            };
            list(&open(store)?, &filter, args.format)
        }
        Command::Entry(args) => {
            let lives = open(store)?.lives(&args.id)?;
            if lives.is_empty() {
                bail!("no entry has the id or name {:?}; `tsuba company list --format csv` has them all", args.id);
            }
            match args.format {
                LifeFormat::Json => json(&lives),
                LifeFormat::Text => output::write(None, |out| tell::lives(&lives, out)),
            }?;
            Ok(Done::Clean)
        }
        Command::Trend(args) => {
            let trend = open(store)?.trend(args.weeks, as_of(args.as_of.as_deref())?, args.team.as_deref())?;
            match args.format {
                LifeFormat::Json => json(&trend),
                LifeFormat::Text => output::write(None, |out| tell::trend(&trend, out)),
            }?;
            Ok(Done::Clean)
        }
        Command::Decisions(args) => {
            let today = as_of(args.as_of.as_deref())?;
            let end = args.ending.map(|days| today.saturating_add(i64::from(days).days()).to_string());
            let mut found = open(store)?.decisions(end.as_deref(), today)?;
            found.retain(|line| !args.elsewhere || !line.elsewhere.is_empty());
            match args.format {
                LifeFormat::Json => json(&found),
                LifeFormat::Text => output::write(None, |out| tell::decisions(&found, out)),
            }?;
            Ok(Done::Clean)
        }
        Command::Overdue(args) => {
            let least = match args.severity {
                Least::Critical => Severity::Critical,
                Least::High => Severity::High,
                Least::Medium => Severity::Medium,
                Least::Low => Severity::Low,
            };
            let found = open(store)?.overdue(least, args.days, as_of(args.as_of.as_deref())?)?;
            answer(args.format, &found, |out| tell::overdue(&found, args.days, out))?;
            Ok(if args.gate && !found.is_empty() { Done::Gated } else { Done::Clean })
        }
    }
}

/// So many entries are listed for people, where they do not ask for more.
const MAX_LISTED: usize = 1000;

/// How many are listed: as many as are asked for, and for people no more than they read.
fn limit(asked: Option<usize>, format: AnswerFormat) -> Option<usize> {
    asked.or((format == AnswerFormat::Text).then_some(MAX_LISTED))
}

/// The entries, written as they are read: there may be more than memory holds.
fn list(store: &Store, filter: &Filter, format: AnswerFormat) -> anyhow::Result<Done> {
    match format {
        AnswerFormat::Text => {
            let (counts, entries) = (store.counts(filter)?, store.entries(filter)?);
            output::write(None, |out| tell::entries(&counts, filter.skip, &entries, out))
        }
        AnswerFormat::Json => written(None, |out| {
            let mut json = serde_json::Serializer::pretty(&mut *out);
            let mut rows = json.serialize_seq(None).map_err(io::Error::from)?;
            store.each_entry(filter, |line| rows.serialize_element(&line).map_err(io::Error::from))?;
            rows.end().map_err(io::Error::from)?;
            Ok(out.write_all(b"\n")?)
        }),
        AnswerFormat::Csv => written(None, |out| {
            let mut table = Rows::new(out);
            store.each_entry(filter, |line| table.row(&line))?;
            Ok(table.finish()?)
        }),
    }?;
    Ok(Done::Clean)
}

/// Writes what is read meanwhile, and tells what cannot be read from what cannot be written.
fn written(
    file: Option<&PathBuf>,
    work: impl FnOnce(&mut dyn io::Write) -> Result<(), StoreError>,
) -> anyhow::Result<()> {
    let mut unread = None;
    let done = output::write(file, |out| {
        work(out).map_err(|why| match why {
            StoreError::Output(error) => error,
            other => {
                unread = Some(other);
                io::ErrorKind::Other.into()
            }
        })
    });
    match unread {
        Some(why) => Err(why.into()),
        None => done,
    }
}

/// Answers in a format.
fn answer<T: Serialize>(
    format: AnswerFormat,
    rows: &[T],
    text: impl FnOnce(&mut dyn std::io::Write) -> std::io::Result<()>,
) -> anyhow::Result<Done> {
    match format {
        AnswerFormat::Text => output::write(None, text),
        AnswerFormat::Json => json(rows),
        AnswerFormat::Csv => output::write(None, |out| tsuba_report::table(rows, out)),
    }?;
    Ok(Done::Clean)
}

fn json(rows: &(impl Serialize + ?Sized)) -> anyhow::Result<()> {
    output::write(None, |out| {
        serde_json::to_writer_pretty(&mut *out, rows)?;
        out.write_all(b"\n")
    })
}
