//! The store's answers for people.

use crate::output;
use std::collections::BTreeSet;
use std::io::{self, Write};
use tsuba_core::judge::Verdict;
use tsuba_core::severity::Severity;
use tsuba_core::text::Name as _;
use tsuba_report::{Page, Role, count};
use tsuba_store::{Counts, DecisionLine, Elsewhere, EntryLine, Life, MAX_USES, Overdue, Trend, Use};

/// How a verdict is painted.
fn of_verdict(name: &str) -> Role {
    Verdict::from_name(name).map_or(Role::Quiet, Role::Verdict)
}

/// Who answers for something: a team, else an account.
fn whose<'l>(team: &'l str, owner: &'l str) -> &'l str {
    if team.is_empty() { owner } else { team }
}

/// `since 2026-11-03, last seen 2026-12-01`, or how long it was there.
fn span(first: &str, last: &str, gone: Option<&str>) -> String {
    match gone {
        Some(gone) => format!("from {first}, gone on {gone}"),
        None => format!("since {first}, last seen {last}"),
    }
}

/// What uses something: all of it is counted, and what is listed is told one by one.
pub(super) fn uses(wanted: &str, found: &[Use], listed: &[Use], out: &mut dyn Write) -> io::Result<()> {
    let look = output::look();
    let entries: BTreeSet<(&str, &str)> = found.iter().map(|one| (one.scope.as_str(), one.id.as_str())).collect();
    let scopes: BTreeSet<&str> = found.iter().map(|one| one.scope.as_str()).collect();
    let names: BTreeSet<&str> = found.iter().map(|one| one.what.as_str()).collect();
    if found.is_empty() {
        return writeln!(out, "nobody uses {wanted:?}, as far as the reports tell");
    }
    let called = if names.len() > 1 { format!("{} names like ", names.len()) } else { String::new() };
    let places = count(scopes.len(), "repository or host", "repositories or hosts");
    // No more are looked up than that.
    let least = if found.len() >= MAX_USES { "at least " } else { "" };
    writeln!(out, "{least}{} in {places} use {called}{wanted}", count(entries.len(), "entry", "entries"))?;
    let open = found.iter().filter(|one| !one.pinned && one.gone.is_none()).count();
    if open > 0 {
        writeln!(out, "{open} without a fixed version: any version may run there")?;
    }
    let mut page = Page::new(look, out);
    for one in listed {
        let shown = if one.shown { "shown" } else { one.verdict.as_str() };
        let status = if one.gone.is_some() { "gone" } else { shown };
        let place = format!("{}  {}", one.scope, one.place);
        page.head((of_verdict(status), status), &one.entry, &place)?;
        let version = if one.version.is_empty() { String::new() } else { format!("@{}", one.version) };
        page.row("uses", &format!("{} {}{version}", one.kind, one.what))?;
        page.row("owner", whose(&one.team, &one.owner))?;
        page.row("seen", &span(&one.first_seen, &one.last_seen, one.gone.as_deref()))?;
    }
    if let more @ 1.. = found.len().saturating_sub(listed.len()) {
        writeln!(out, "\nand {more} more: `--limit {}` lists them, `--format csv` as a table", found.len())?;
    }
    Ok(())
}

pub(super) fn entries(counts: &Counts, skipped: usize, found: &[EntryLine], out: &mut dyn Write) -> io::Result<()> {
    let look = output::look();
    let number = |name: &str| -> usize {
        counts.verdicts.iter().filter(|(_, verdict, _)| verdict == name).map(|(.., count)| count).sum()
    };
    let verdicts: Vec<String> = Verdict::ALL
        .iter()
        .map(|verdict| format!("{} {}", number(verdict.name()), look.paint(Role::Verdict(*verdict), verdict.name())))
        .collect();
    let places = count(counts.scopes, "repository or host", "repositories or hosts");
    writeln!(out, "{}   of {} in {places}", verdicts.join("   "), count(counts.entries, "entry", "entries"))?;
    let mut page = Page::new(look, out);
    for line in found {
        let status = if line.gone.is_some() { "gone" } else { line.verdict.as_str() };
        page.head((of_verdict(status), status), &line.name, &format!("{}  {}", line.scope, line.place))?;
        page.row("runs", &line.runs)?;
        page.row("owner", whose(&line.team, &line.owner))?;
        if !line.decision.is_empty() {
            page.row("decision", &line.decision)?;
        }
        page.row("seen", &format!("{}  [{}]", span(&line.first_seen, &line.last_seen, line.gone.as_deref()), line.id))?;
    }
    let end = skipped.saturating_add(found.len());
    if let more @ 1.. = counts.entries.saturating_sub(end) {
        writeln!(out, "\nand {more} more: `--skip {end}` goes on, `--format csv` has them all")?;
    }
    Ok(())
}

pub(super) fn lives(lives: &[Life], out: &mut dyn Write) -> io::Result<()> {
    let look = output::look();
    for life in lives {
        let status = if life.gone.is_some() { "gone" } else { life.verdict.as_str() };
        let mut page = Page::new(look, out);
        page.head((of_verdict(status), status), &life.name, &format!("{}  {}", life.scope, life.place))?;
        page.row("runs", &life.runs)?;
        page.row("owner", &life.team)?;
        for event in &life.events {
            let colon = if event.detail.is_empty() { "" } else { ": " };
            page.row("", &format!("{}  {}{colon}{}", event.day, event.what, event.detail))?;
        }
    }
    Ok(())
}

pub(super) fn overdue(found: &[Overdue], days: i32, out: &mut dyn Write) -> io::Result<()> {
    let look = output::look();
    let teams: BTreeSet<&str> = found.iter().map(|one| whose(&one.team, &one.owner)).collect();
    let findings = count(found.len(), "finding has", "findings have");
    let owners = count(teams.len(), "owner", "owners");
    writeln!(out, "{findings} been open for {days} days or more, with {owners}")?;
    let mut page = Page::new(look, out);
    for one in found {
        let role = Severity::from_name(one.severity).map_or(Role::Quiet, Role::Severity);
        let name = if one.entry.is_empty() { one.rule.as_str() } else { one.entry.as_str() };
        page.head((role, one.severity), name, &format!("{}  {}", one.scope, one.place))?;
        let again = if one.reopened > 0 { format!(", came back {} times", one.reopened) } else { String::new() };
        page.row("open", &format!("{} days, since {}{again}", one.days, one.first_seen))?;
        page.row("owner", whose(&one.team, &one.owner))?;
        page.row("found", &format!("{} ({})", one.message, one.rule))?;
        page.row("fix", &one.fix)?;
    }
    Ok(())
}

/// So many entries are listed where a decision would hold, too.
const MAX_ELSEWHERE: usize = 5;

pub(super) fn decisions(found: &[DecisionLine], out: &mut dyn Write) -> io::Result<()> {
    let look = output::look();
    if found.is_empty() {
        return writeln!(out, "no such decision is in the reports and registers");
    }
    let scopes: BTreeSet<&str> = found.iter().flat_map(|line| &line.scopes).map(String::as_str).collect();
    let lapsed = found.iter().filter(|line| line.lapsed > 0).count();
    let elsewhere: BTreeSet<&Elsewhere> = found.iter().flat_map(|line| &line.elsewhere).collect();
    let places = count(scopes.len(), "repository or host", "repositories or hosts");
    writeln!(
        out,
        "{} in {places}: {lapsed} no longer {} as decided; {} would fall under them",
        count(found.len(), "decision", "decisions"),
        if lapsed == 1 { "holds" } else { "hold" },
        count(elsewhere.len(), "undecided entry", "undecided entries")
    )?;
    let mut page = Page::new(look, out);
    for line in found {
        let role = match line.standing.as_str() {
            "approved" => Role::Verdict(Verdict::Ready),
            "refused" => Role::Verdict(Verdict::Refuse),
            _ => Role::Verdict(Verdict::FixFirst),
        };
        let mut names: Vec<&str> = line.entries.iter().map(String::as_str).collect();
        names.dedup();
        let scope = match line.scopes.as_slice() {
            [one] => one.clone(),
            several => count(several.len(), "repository or host", "repositories or hosts"),
        };
        page.head((role, &line.standing), &names.join(", "), &scope)?;
        let until = line.until.as_ref().map(|until| format!(", until {until}")).unwrap_or_default();
        page.row("by", &format!("{} on {}{until}: {}  [{}]", line.by, line.on, line.reason, line.id))?;
        if !line.conditions.is_empty() {
            page.row("only", &line.conditions)?;
        }
        if !line.reported {
            page.row("known", "from the register alone: no report says that an entry stands by it")?;
        }
        if line.reported && line.lapsed > 0 {
            page.row(
                "holds",
                &format!("not for {} of {}", line.lapsed, count(line.entries.len(), "entry", "entries")),
            )?;
        }
        for (at, one) in line.elsewhere.iter().take(MAX_ELSEWHERE).enumerate() {
            let owner = if one.owner.is_empty() { String::new() } else { format!("  {}", one.owner) };
            let text = format!("{}  {}  {}  {}{owner}", one.scope, one.place, one.name, one.verdict);
            page.row(if at == 0 { "same at" } else { "" }, &text)?;
        }
        if let more @ 1.. = line.elsewhere.len().saturating_sub(MAX_ELSEWHERE) {
            page.row("", &format!("and {more} more; `--format json` has them all"))?;
        }
    }
    Ok(())
}

pub(super) fn trend(trend: &Trend, out: &mut dyn Write) -> io::Result<()> {
    let look = output::look();
    // Before the first report nothing is known.
    let told = trend.weeks.iter().filter(|week| week.scopes > 0);
    let open: Vec<i64> = told.map(|week| week.open.iter().take(2).sum()).collect();
    let (first, last) = (open.first().copied().unwrap_or_default(), open.last().copied().unwrap_or_default());
    writeln!(out, "critical and high findings open: {first} → {last}   {}", spark(&open))?;
    let closed: i64 = trend.weeks.iter().map(|week| week.closed).sum();
    if let Some(days) = trend.days_to_fix {
        writeln!(
            out,
            "{closed} fixed; half of them within {}",
            count(usize::try_from(days).unwrap_or(0), "day", "days")
        )?;
    }
    let heads = [
        "week to",
        "sources",
        "refuse",
        "fix-first",
        "unchecked",
        "ready",
        "critical",
        "high",
        "medium",
        "came",
        "went",
    ];
    let head: Vec<String> = heads.iter().map(|head| format!("{head:>9}")).collect();
    writeln!(out, "\n {}", look.paint(Role::Quiet, &head.join(" ")))?;
    for week in &trend.weeks {
        let numbers = [i64::from(week.scopes)].into_iter().chain(week.verdicts).chain(week.open);
        let cells = numbers.chain([week.opened, week.closed]).map(|number| match number {
            0 => format!("{:>9}", "·"),
            number => format!("{number:>9}"),
        });
        writeln!(out, "{} {}", week.until, cells.collect::<Vec<_>>().join(" "))?;
    }
    Ok(())
}

/// Numbers as a line of small bars, on the scale of the largest.
fn spark(numbers: &[i64]) -> String {
    const BARS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let most = numbers.iter().copied().max().unwrap_or(0).max(1);
    let bar = |number: &i64| {
        let at = usize::try_from(number * 7 / most).unwrap_or(0);
        if *number == 0 { ' ' } else { BARS.get(at).copied().unwrap_or('█') }
    };
    numbers.iter().map(bar).collect()
}
