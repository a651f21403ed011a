//! `tsuba decisions`: reads the register.

use crate::advisories;
use crate::dates::as_of;
use crate::exit::Done;
use crate::output;
use crate::register;
use crate::threads::Threads;
use anyhow::Context as _;
use clap::{Args as Arguments, ValueEnum};
use serde_json::json;
use std::io::Write as _;
use std::path::PathBuf;
use tsuba_core::judge::{Verdict, pattern_redactor};
use tsuba_core::policy::{Advisories, Advisory, Affected, MAX_ADVISORIES_TOLD};
use tsuba_core::register::{Decision, FindingPlace, Kind, Scope};
use tsuba_core::text::{Name as _, Redactor};
use tsuba_core::understand::launch::Source;
use tsuba_report::{Page, Role};

/// List decisions
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// The register [default: tsuba-register.toml in the current folder]
    #[arg(long, value_name = "FILE")]
    register: Option<PathBuf>,
    /// Only these decisions
    #[arg(long, value_enum)]
    kind: Option<KindName>,
    /// Only those that end within this many days, or have ended
    #[arg(long, value_name = "DAYS")]
    ending: Option<i32>,
    /// Print the register's content in the canonical form that is signed, for `ssh-keygen -Y sign -n tsuba-register`
    #[arg(long, conflicts_with_all = ["kind", "ending", "format"])]
    canonical: bool,
    /// Increment the register's serial number, then print what is to be signed, as --canonical does
    #[arg(long, conflicts_with_all = ["canonical", "kind", "ending", "format"])]
    to_sign: bool,
    /// Tell which approved packages published advisories of this folder name, in the OSV format (may be given several times)
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["canonical", "to_sign"])]
    advisories: Vec<PathBuf>,
    /// Exit 1 if a decision has expired, ends within the days of --ending, or approves what --advisories name
    #[arg(long, conflicts_with_all = ["canonical", "to_sign"])]
    gate: bool,
    /// The format
    #[arg(long, value_enum, default_value_t = FormatName::Text)]
    format: FormatName,
    /// As of this date (YYYY-MM-DD) [default: today in UTC]
    #[arg(long, value_name = "DATE")]
    as_of: Option<String>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum KindName {
    Approved,
    Refused,
    Waived,
    Revoked,
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
    if args.to_sign {
        // It is written where one is, and none begins here.
        register::path(args.register.as_deref()).filter(|path| path.is_file()).with_context(none)?;
        let content = register::to_sign(args.register.as_deref(), today)?;
        crate::output::write(None, |out| out.write_all(content.as_bytes()))?;
        return Ok(Done::Clean);
    }
    let register = register::load(args.register.as_deref())?;
    let register = register.with_context(none)?;
    if args.canonical {
        crate::output::write(None, |out| out.write_all(register.canonical().as_bytes()))?;
        return Ok(Done::Clean);
    }
    let kind = args.kind.map(|kind| match kind {
        KindName::Approved => Kind::Approved,
        KindName::Refused => Kind::Refused,
        KindName::Waived => Kind::Waived,
        KindName::Revoked => Kind::Revoked,
    });
    let ends = |decision: &Decision, days: i32| {
        decision.until.and_then(|until| today.until(until).ok()).is_some_and(|span| span.get_days() <= days)
    };
    let mut shown: Vec<&Decision> = register
        .decisions
        .iter()
        .filter(|decision| kind.is_none_or(|kind| kind == decision.kind))
        .filter(|decision| args.ending.is_none_or(|days| ends(decision, days)))
        .collect();
    shown.sort_by(|a, b| (a.kind, &a.scope, &a.team).cmp(&(b.kind, &b.scope, &b.team)));
    let published = advisories::load(&args.advisories, Threads::new(0))?;
    let named = |decision: &Decision| known_bad(decision, &published, decision.holds(today));
    let bad = shown.iter().filter(|decision| !named(decision).is_empty()).count();
    let counted = |decision: &&&Decision| decision.kind != Kind::Revoked;
    let over = shown.iter().filter(counted).filter(|decision| !decision.holds(today)).count();
    // With --ending only what ends is shown.
    let ends_soon = args.ending.is_some() && shown.iter().any(|decision| decision.kind != Kind::Revoked);
    let done = if args.gate && (over > 0 || ends_soon || bad > 0) { Done::Gated } else { Done::Clean };
    let mut out = anstream::stdout().lock();
    // Whoever may write the register may write anything into it.
    let cleaner = pattern_redactor();
    if args.format == FormatName::Json {
        let row = |decision: &&Decision| row(&cleaner, decision, decision.holds(today), &named(decision));
        let rows: Vec<_> = shown.iter().map(row).collect();
        writeln!(out, "{}", serde_json::to_string_pretty(&json!({ "as_of": today.to_string(), "decisions": rows }))?)?;
        return Ok(done);
    }
    let count = |kind: Kind| shown.iter().filter(|decision| decision.kind == kind).count();
    let revoked = count(Kind::Revoked);
    let revoked = if revoked > 0 { format!(", {revoked} revoked") } else { String::new() };
    let mut message = if over > 0 { format!("{revoked}; {over} expired") } else { revoked };
    if bad > 0 {
        message += &format!("; {bad} named in advisories");
    }
    writeln!(
        out,
        "{} approved, {} refused, {} waived{message}   (as of {today})",
        count(Kind::Approved),
        count(Kind::Refused),
        count(Kind::Waived)
    )?;
    let look = output::look();
    let clean = |text: &str| cleaner.clean(text).as_str().to_owned();
    let mut page = Page::new(look, &mut out);
    for decision in shown {
        let (name, place) = subject(decision);
        let id = format!("{place}  [{}]", decision.id());
        page.head((tint(decision.kind), decision.kind.name()), &clean(&name), clean(&id).trim_start())?;
        let until = match decision.until {
            Some(until) if until < today => format!(", expired since {until}"),
            Some(until) => format!(", until {until}"),
            None => String::new(),
        };
        let team = decision.team.as_ref().map(|team| format!(", for {team}")).unwrap_or_default();
        page.row("by", &clean(&format!("{} on {}{until}{team}", decision.by, decision.on)))?;
        page.row("reason", &clean(&decision.reason))?;
        for (advisory, affected) in named(decision) {
            page.row("advisory", &clean(&format!("{} ({})", advisory.describe(affected), advisory.id)))?;
        }
        for condition in &decision.conditions {
            page.row("only if", &clean(condition))?;
        }
        for past in decision.history.iter().rev() {
            let until = past.until.map(|until| format!(", until {until}")).unwrap_or_default();
            let message = format!("{} by {} on {}{until}: {}", past.kind.name(), past.by, past.on, past.reason);
            page.row("before", &clean(&message))?;
        }
    }
    Ok(done)
}

fn none() -> String {
    format!("there is no register; `tsuba approve` begins one ({})", register::NAME)
}

fn tint(kind: Kind) -> Role {
    match kind {
        Kind::Approved => Role::Verdict(Verdict::Ready),
        Kind::Refused => Role::Verdict(Verdict::Refuse),
        Kind::Waived => Role::Verdict(Verdict::FixFirst),
        Kind::Revoked => Role::Quiet,
    }
}

/// What a decision is on, in one line.
pub(crate) fn what(decision: &Decision) -> String {
    let (name, place) = subject(decision);
    format!("{name}  {place}").trim_end().to_owned()
}

/// What a decision is on, in words, and where that is.
fn subject(decision: &Decision) -> (String, String) {
    let anywhere = |name: String| (name, String::new());
    match &decision.scope {
        Scope::Entry { setup, entry } => (entry.clone(), setup.clone()),
        Scope::Package { source, package, version: Some(version) } => {
            anywhere(format!("the {source} package {package} at {version}"))
        }
        Scope::Package { source, package, version: None } => {
            anywhere(format!("the {source} package {package} at any version"))
        }
        Scope::Host { host } => anywhere(format!("every server at {host}")),
        Scope::Finding { rule, finding } => {
            let place = match &decision.place {
                Some(FindingPlace { setup, entry: Some(entry), pointer }) => format!("{entry}  {setup}  {pointer}"),
                Some(FindingPlace { setup, entry: None, pointer }) => format!("{setup}  {pointer}"),
                None => format!("finding {finding}"),
            };
            (rule.clone(), place)
        }
    }
}

/// The advisories that name what is approved.
fn known_bad<'a>(decision: &Decision, published: &'a Advisories, holds: bool) -> Vec<(&'a Advisory, Affected)> {
    let Scope::Package { source, package, version } = &decision.scope else { return Vec::new() };
    let source = Source::from_name(source).filter(|_| holds && decision.kind == Kind::Approved);
    let mut found = source.map(|source| published.of(source, package, version.as_deref())).unwrap_or_default();
    found.truncate(MAX_ADVISORIES_TOLD);
    found
}

fn row(
    cleaner: &Redactor,
    decision: &Decision,
    holds: bool,
    advisories: &[(&Advisory, Affected)],
) -> serde_json::Value {
    let clean = |text: &String| cleaner.clean(text).as_str().to_owned();
    let scope = match &decision.scope {
        Scope::Entry { setup, entry } => json!({ "setup": clean(setup), "entry": clean(entry) }),
        Scope::Package { source, package, version } => {
            json!({ "source": clean(source), "package": clean(package), "version": version.as_ref().map(clean) })
        }
        Scope::Host { host } => json!({ "host": clean(host) }),
        Scope::Finding { rule, finding } => {
            let place = decision.place.as_ref().map(|place| {
                json!({ "setup": clean(&place.setup), "entry": place.entry.as_ref().map(clean), "pointer": clean(&place.pointer) })
            });
            json!({ "rule": clean(rule), "finding": clean(finding), "place": place })
        }
    };
    let history: Vec<serde_json::Value> = decision
        .history
        .iter()
        .map(|past| {
            json!({ "kind": past.kind.name(), "by": clean(&past.by), "decided": past.on.to_string(),
                "until": past.until.map(|until| until.to_string()), "reason": clean(&past.reason) })
        })
        .collect();
    let conditions: Vec<String> = decision.conditions.iter().map(clean).collect();
    json!({ "id": decision.id(), "kind": decision.kind.name(), "on": scope, "team": decision.team.as_ref().map(clean),
        "by": clean(&decision.by), "decided": decision.on.to_string(),
        "until": decision.until.map(|until| until.to_string()), "reason": clean(&decision.reason),
        "conditions": conditions, "holds": holds, "history": history,
        "advisories": advisories.iter().map(|(advisory, _)| clean(&advisory.id)).collect::<Vec<String>>() })
}
