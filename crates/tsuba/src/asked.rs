//! What came of asking, told to a person.

use std::collections::BTreeSet;
use std::io;
use std::path::{Path, PathBuf};
use tsuba_capture::{Evidence, Job, Touched};
use tsuba_core::text::Redactor;
use tsuba_report::Page;

/// What is told of an entry.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Line {
    /// Its name.
    pub(crate) entry: String,
    /// The setup it stands in.
    pub(crate) setup: String,
    /// What else there is to say.
    pub(crate) more: String,
    /// What was seen of it in a cage, if it ran in one.
    pub(crate) caged: Option<String>,
}

/// Entries that are not asked, for one reason.
pub(crate) struct Skipped {
    pub(crate) why: Reason,
    pub(crate) entries: Vec<Line>,
}

/// Why an entry is not asked.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Reason {
    why: &'static str,
    /// The option that would have it asked.
    option: Option<&'static str>,
}

impl Reason {
    /// One that an option takes away.
    pub(crate) fn until(option: &'static str, why: &'static str) -> Self {
        Self { why, option: Some(option) }
    }
}

impl From<&'static str> for Reason {
    fn from(why: &'static str) -> Self {
        Self { why, option: None }
    }
}

/// What came of asking an entry: the group it is told in, and its line there.
pub(crate) fn outcome(job: &Job, evidence: &Evidence) -> (Group, Line) {
    let listed = evidence.sessions.iter().filter(|session| session.answers.contains_key("tools/list"));
    let mut eras: Vec<&str> = listed.clone().map(|session| session.era.name()).collect();
    eras.dedup();
    let refused = evidence.http.iter().any(|a| a.ask == "no-token" && matches!(a.status, Some(401 | 403)));
    let message = |more: String| Line {
        entry: job.entry.clone(),
        setup: job.setup.clone(),
        more,
        caged: evidence.cage.as_ref().map(seen),
    };
    let Some(first) = listed.clone().next() else {
        let why = evidence.troubles.first().or(evidence.sessions.first().map(|session| &session.ended));
        let why = why.cloned().unwrap_or_else(|| "nothing was answered".to_owned());
        if refused {
            return (Group::WantsLogin, message(String::new()));
        }
        // Programs that are not there are one reason, whatever they are called.
        let not_started = why.strip_prefix("cannot start ").and_then(|rest| rest.rsplit_once(": "));
        return match not_started {
            // What never started did nothing in its cage.
            Some((program, why)) => {
                (Group::Silent(why.to_owned()), Line { caged: None, ..message(program.to_owned()) })
            }
            None => (Group::Silent(why), message(String::new())),
        };
    };
    let ended = if first.ended == "complete" { String::new() } else { format!("; {}", first.ended) };
    let differs = if evidence.differs.is_empty() { "" } else { "; answers clients differently" };
    let version = evidence.package.as_ref().and_then(|package| package.version.as_ref());
    let version = version.map(|version| format!("; version {version}")).unwrap_or_default();
    (Group::Listed, message(format!("{}{version}{ended}{differs}", eras.join(" and "))))
}

/// What entries have in common that were asked.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Group {
    /// They listed their tools.
    Listed,
    /// They want a login first.
    WantsLogin,
    /// They answered nothing, for this reason.
    Silent(String),
}

/// Tells it, what was listed first. `told` is sorted.
pub(crate) fn summary(
    page: &mut Page<'_>,
    (folder, inputs): (&Path, &[PathBuf]),
    message: &[(Group, Line)],
    count: usize,
    skipped: &[Skipped],
    cleaner: &Redactor,
) -> io::Result<()> {
    let clean = |text: &str| cleaner.clean(text);
    let of = |group: &Group| message.iter().filter(|(other, _)| other == group).count();
    let (listed, login) = (of(&Group::Listed), of(&Group::WantsLogin));
    let silent = message.len() - listed - login;
    page.line(&format!(
        "asked {} of {count} entries: {listed} listed, {login} require a login, {silent} did not answer   (evidence in {})",
        message.len(),
        folder.display()
    ))?;
    for group in message.chunk_by(|a, b| a.0 == b.0) {
        let Some((first, _)) = group.first() else { continue };
        match first {
            Group::Listed => page.heading("Listed their tools")?,
            Group::WantsLogin => page.heading("Require a login (how is in the evidence)")?,
            Group::Silent(why) => page.heading(&format!("Did not answer: {}", clean(why)))?,
        }
        lines(page, group.iter().map(|(_, line)| line), cleaner)?;
    }
    caged(page, message, cleaner)?;
    for Skipped { why: Reason { why, option }, entries } in skipped {
        let option = option.map(|option| format!(" (needs {option})")).unwrap_or_default();
        page.heading(&format!("Not asked: {why}{option}"))?;
        lines(page, entries, cleaner)?;
    }
    let inputs: String = inputs.iter().map(|input| format!(" {}", input.display())).collect();
    if !message.is_empty() {
        return page.line(&format!("\nnext: tsuba audit --evidence {}{inputs}", folder.display()));
    }
    // Nothing was asked: there is nothing to judge yet.
    let options: BTreeSet<&str> = skipped.iter().filter_map(|skipped| skipped.why.option).collect();
    // What is fetched is started as well.
    let needed = if options.contains(FETCH) { Some("--launch --fetch") } else { options.first().copied() };
    match needed {
        Some(options) => page.line(&format!("\nnext: tsuba capture {options}{inputs}")),
        None => page.line("\nnothing could be asked: there is no new evidence"),
    }
}

/// What fetches a package before its server is started.
pub(crate) const FETCH: &str = "--fetch";

/// What a server did in its cage that a reviewer should know; empty where it is nothing.
fn seen(cage: &Touched) -> String {
    let listed = |what: &str, items: &[String]| match items {
        [] => None,
        [first, second, third, rest @ ..] if !rest.is_empty() => {
            Some(format!("{what} {first}, {second}, {third} and {} more", rest.len()))
        }
        items => Some(format!("{what} {}", items.join(", "))),
    };
    let contacts = [cage.names.as_slice(), cage.contacts.as_slice()].concat();
    // The server is a program too.
    let others = cage.programs.get(1..).unwrap_or_default();
    let all = [
        listed("opened decoys", &cage.decoys),
        listed("tried to reach", &contacts),
        listed("passed a limit:", &cage.limits),
        listed("ran", others),
        listed("wrote", &cage.written),
        listed("took in code by", &cage.loader),
    ];
    all.into_iter().flatten().collect::<Vec<_>>().join("; ")
}

/// What was seen of the servers that ran in a cage, whether or not they answered.
fn caged(page: &mut Page<'_>, message: &[(Group, Line)], cleaner: &Redactor) -> io::Result<()> {
    let ran: Vec<(&Line, &str)> = message.iter().filter_map(|(_, line)| Some((line, line.caged.as_deref()?))).collect();
    if ran.is_empty() {
        return Ok(());
    }
    let noted: Vec<Line> = ran
        .iter()
        .filter(|(_, seen)| !seen.is_empty())
        .map(|(line, seen)| Line { more: (*seen).to_owned(), ..(*line).clone() })
        .collect();
    let (ran, quiet) = (ran.len(), ran.len() - noted.len());
    page.heading(&format!("Seen in the cage: {ran} ran, {quiet} touched nothing but their own files"))?;
    lines(page, &noted, cleaner)
}

/// Names are brought under each other up to this width.
const WIDE: usize = 24;

/// Lines, with their names and setups under each other.
fn lines<'l>(page: &mut Page<'_>, lines: impl IntoIterator<Item = &'l Line>, cleaner: &Redactor) -> io::Result<()> {
    let clean = |text: &str| cleaner.clean(text).as_str().to_owned();
    let rows: Vec<([String; 2], String)> =
        lines.into_iter().map(|line| ([clean(&line.entry), clean(&line.setup)], clean(&line.more))).collect();
    page.columns(&rows, [WIDE, 2 * WIDE])
}
