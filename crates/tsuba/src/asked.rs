//! What came of asking, told to a person.

use std::io::{self, Write};
use std::path::{Path, PathBuf};
use tsuba_capture::{Evidence, Job};
use tsuba_core::text::Cleaner;
use unicode_width::UnicodeWidthStr as _;

/// What is told of an entry.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Line {
    /// Its name.
    pub(crate) entry: String,
    /// The setup it stands in.
    pub(crate) setup: String,
    /// What else there is to say.
    pub(crate) more: String,
}

/// Entries that are not asked, for one reason.
pub(crate) struct Skipped {
    pub(crate) why: &'static str,
    pub(crate) entries: Vec<Line>,
}

/// What came of asking an entry: the group it is told in, and its line there.
pub(crate) fn outcome(job: &Job, evidence: &Evidence) -> (Group, Line) {
    let listed = evidence.sessions.iter().filter(|session| session.answers.contains_key("tools/list"));
    let mut eras: Vec<&str> = listed.clone().map(|session| session.era.name()).collect();
    eras.dedup();
    let refused = evidence.http.iter().any(|a| a.ask == "no-token" && matches!(a.status, Some(401 | 403)));
    let told = |more: String| Line { entry: job.entry.clone(), setup: job.setup.clone(), more };
    let Some(first) = listed.clone().next() else {
        let why = evidence.troubles.first().or(evidence.sessions.first().map(|session| &session.ended));
        let why = why.cloned().unwrap_or_else(|| "nothing was answered".to_owned());
        if refused {
            return (Group::WantsLogin, told(String::new()));
        }
        // Programs that are not there are one reason, whatever they are called.
        let not_started = why.strip_prefix("cannot start ").and_then(|rest| rest.rsplit_once(": "));
        return match not_started {
            Some((program, why)) => (Group::Silent(why.to_owned()), told(program.to_owned())),
            None => (Group::Silent(why), told(String::new())),
        };
    };
    let ended = if first.ended == "complete" { String::new() } else { format!("; {}", first.ended) };
    let differs = if evidence.differs.is_empty() { "" } else { "; answers one client otherwise than another" };
    let version = evidence.package.as_ref().and_then(|package| package.version.as_ref());
    let version = version.map(|version| format!("; version {version}")).unwrap_or_default();
    (Group::Listed, told(format!("{}{version}{ended}{differs}", eras.join(" and "))))
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
    out: &mut dyn Write,
    (folder, inputs): (&Path, &[PathBuf]),
    told: &[(Group, Line)],
    count: usize,
    skipped: &[Skipped],
    cleaner: &Cleaner,
) -> io::Result<()> {
    let clean = |text: &str| cleaner.clean(text);
    let of = |group: &Group| told.iter().filter(|(other, _)| other == group).count();
    let (listed, login) = (of(&Group::Listed), of(&Group::WantsLogin));
    let silent = told.len() - listed - login;
    writeln!(
        out,
        "asked {} of {count} entries: {listed} listed, {login} want a login, {silent} did not answer   (evidence in {})",
        told.len(),
        folder.display()
    )?;
    for group in told.chunk_by(|a, b| a.0 == b.0) {
        let Some((first, _)) = group.first() else { continue };
        writeln!(out)?;
        match first {
            Group::Listed => writeln!(out, "listed")?,
            Group::WantsLogin => writeln!(out, "want a login; how, is kept")?,
            Group::Silent(why) => writeln!(out, "did not answer: {}", clean(why))?,
        }
        lines(out, group.iter().map(|(_, line)| line), cleaner)?;
    }
    for Skipped { why, entries } in skipped {
        writeln!(out, "\nnot asked: {why}")?;
        lines(out, entries, cleaner)?;
    }
    let inputs: Vec<String> = inputs.iter().map(|input| format!(" {}", input.display())).collect();
    writeln!(out, "\nnext: tsuba audit --evidence {}{}", folder.display(), inputs.concat())?;
    Ok(())
}

/// Names are brought under each other up to this width.
const WIDE: usize = 24;

/// Lines, with their names and setups under each other.
fn lines<'l>(
    out: &mut dyn Write,
    lines: impl IntoIterator<Item = &'l Line> + Clone,
    cleaner: &Cleaner,
) -> io::Result<()> {
    let clean = |text: &str| cleaner.clean(text).as_str().to_owned();
    let widest = |of: fn(&Line) -> &str, most: usize| {
        lines.clone().into_iter().map(|line| clean(of(line)).width()).filter(|width| *width <= most).max().unwrap_or(0)
    };
    let (entries, setups) = (widest(|line| &line.entry, WIDE), widest(|line| &line.setup, 2 * WIDE));
    let padded = |text: &str, to: usize| {
        let text = clean(text);
        let gap = to.saturating_sub(text.width());
        text + &" ".repeat(gap)
    };
    for line in lines {
        let told =
            format!("    {}  {}  {}", padded(&line.entry, entries), padded(&line.setup, setups), clean(&line.more));
        writeln!(out, "{}", told.trim_end())?;
    }
    Ok(())
}
