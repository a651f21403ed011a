//! `tsuba watch`: looks again at what is written, and tells what is other.

mod events;
mod hook;

use crate::commands::audit::Least;
use crate::dates::today;
use crate::exit::Done;
use crate::gather::{Found, InputArgs, Look, Part};
use crate::output;
use crate::pipeline::{Audited, Pipeline};
use anyhow::{Context as _, bail};
use clap::{Args as Arguments, ValueEnum};
use events::{Events, Written};
use jiff::Timestamp;
use serde::Serialize;
use std::collections::BTreeSet;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant, SystemTime};
use tsuba_find::Walk;
use tsuba_report::{Difference, count, differences, write_differences};

/// Audit, then keep watching: print only what changes as files are written, until interrupted
///
/// Only what was written is read again; everything is judged again, since one file may decide about another. Nothing is written or sent.
#[derive(Clone, Debug, Arguments)]
// Neither can be watched.
#[command(mut_arg("home", |arg| arg.hide(true)), mut_arg("candidate", |arg| arg.hide(true)))]
pub(crate) struct Args {
    #[command(flatten)]
    input: InputArgs,
    /// Include evidence from this folder (may be given several times)
    #[arg(long, value_name = "FOLDER")]
    evidence: Vec<PathBuf>,
    /// Use decisions from this register [default: as for `audit`]
    #[arg(long, value_name = "FILE")]
    register: Option<PathBuf>,
    /// Only findings of this severity or higher
    #[arg(long, value_enum)]
    severity: Option<Least>,
    /// The format
    #[arg(long, value_enum, default_value_t = FormatName::Text)]
    format: FormatName,
    /// Run this program for each change, with the differences on its standard input, a line each as JSON
    #[arg(long, value_name = "PROGRAM")]
    on_change: Option<PathBuf>,
    /// Look at everything every so many seconds, where a file system tells of no changes
    #[arg(long, value_name = "SECONDS", value_parser = clap::value_parser!(u64).range(1..=86_400))]
    poll: Option<u64>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum FormatName {
    /// For people
    Text,
    /// A difference a line, as JSON
    Ndjson,
}

/// Where more folders were written at once, as by another branch, everything is looked at.
const MAX_PARTS: usize = 100;
/// Folders that are made all the time are looked for so often.
const MAX_LOOKS: usize = 4;
/// So often it is looked whether it shall end, or another day has begun.
const TICK: Duration = Duration::from_millis(500);

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    if args.input.home
        || !args.input.candidate.is_empty()
        || args.input.inputs.iter().any(|input| input.as_os_str() == "-")
    {
        bail!("only folders and files can be watched; name them, without --home, --candidate or -");
    }
    let stop = Arc::new(AtomicBool::new(false));
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
        signal_hook::flag::register(signal, Arc::clone(&stop)).context("cannot listen for a stop")?;
    }
    let mut events = if args.poll.is_some() { None } else { Some(Events::new()?) };
    // Events come first: what is written while everything is looked at is looked at again.
    let mut watched = Watched::new(args)?;
    watched.listen(&mut events)?;
    watched.all()?;
    output::note(&watched.greeting(events.as_ref().map(Events::count)));
    while !stop.load(Ordering::Relaxed) {
        let written = match (&events, args.poll) {
            (Some(events), _) => events.next(TICK),
            (None, seconds) => pause(Duration::from_secs(seconds.unwrap_or(1)), &stop),
        };
        if written == Written::default() && today() == watched.day {
            continue;
        }
        let before = watched.audited.take();
        let paths = watched.update(&written, &mut events)?;
        if let (Some(before), Some(after)) = (&before, &watched.audited) {
            let mut all = differences(&before.audit, &after.audit, &paths, &tsuba_core::rules::undecided());
            all.retain(|one| args.severity.is_none_or(|least| !one.is_below(least.severity())));
            if !all.is_empty() {
                tell(args, &all)?;
            }
        }
        // Taking it apart takes as long as telling what has changed.
        drop(before);
    }
    Ok(Done::Clean)
}

/// Waits, and then anything may have been written.
fn pause(time: Duration, stop: &AtomicBool) -> Written {
    let end = Instant::now() + time;
    while Instant::now() < end && !stop.load(Ordering::Relaxed) {
        std::thread::sleep(end.saturating_duration_since(Instant::now()).min(TICK));
    }
    Written { all: !stop.load(Ordering::Relaxed), ..Written::default() }
}

/// What is watched, as it was last seen.
struct Watched<'a> {
    args: &'a Args,
    pipeline: Pipeline,
    look: Look,
    found: Found,
    audited: Option<Audited>,
    day: jiff::civil::Date,
    /// How the files are that it is judged with.
    deciding: Vec<State>,
}

impl<'a> Watched<'a> {
    fn new(args: &'a Args) -> anyhow::Result<Self> {
        let pipeline = pipeline(args)?;
        let look = Look::of(pipeline.wanted())?;
        let (found, deciding) = (Found::default(), Vec::new());
        let mut out = Self { args, look, pipeline, found, audited: None, day: today(), deciding };
        out.deciding = states(&out.deciding());
        Ok(out)
    }

    /// What a person reads first.
    fn greeting(&self, folders: Option<usize>) -> String {
        let how = folders.map_or_else(
            || "looking again and again at".to_owned(),
            |folders| format!("watching {}:", count(folders, "folder", "folders")),
        );
        let counts = self.audited.as_ref().map(Audited::report).map(|report| {
            let entries = count(report.summary.entries, "entry", "entries");
            let setups = count(report.summary.setups, "setup", "setups");
            format!("{entries} in {setups}, {}", count(report.findings.len(), "finding", "findings"))
        });
        format!("{how} {}; only what changes is printed (Ctrl-C ends)", counts.unwrap_or_default())
    }

    /// Hears of what is written into the folders of the inputs, and to the files that it is judged with.
    fn listen(&self, events: &mut Option<Events>) -> anyhow::Result<()> {
        let Some(events) = events else { return Ok(()) };
        let inputs = self.pipeline.wanted().watched();
        self.below(&inputs, events)?;
        let files = inputs.into_iter().filter(|input| input.is_file());
        let beside: BTreeSet<PathBuf> = files.chain(self.deciding()).filter_map(|file| folder_of(&file)).collect();
        events.watch(&beside.into_iter().collect::<Vec<_>>())
    }

    /// Hears of what is written below folders. One that is made between the look and the listening is in the next look.
    fn below(&self, folders: &[PathBuf], events: &mut Events) -> anyhow::Result<()> {
        let walk = Walk { inputs: folders.to_vec(), everything: self.args.input.everything, ..Walk::default() };
        for _ in 0..MAX_LOOKS {
            let before = events.count();
            events.watch(&tsuba_find::folders(&walk))?;
            if events.count() == before {
                break;
            }
        }
        Ok(())
    }

    /// The files that it is judged with.
    fn deciding(&self) -> Vec<PathBuf> {
        let register = self.pipeline.register_path().map(Path::to_path_buf);
        self.look.config().path.clone().into_iter().chain(register).collect()
    }

    fn all(&mut self) -> anyhow::Result<()> {
        self.found = self.look.all()?;
        self.judge();
        Ok(())
    }

    fn judge(&mut self) {
        self.day = today();
        let pipeline = self.pipeline.clone().on(self.day);
        let gathered = pipeline.named(self.look.copied(&self.found));
        self.audited = Some(pipeline.judge(gathered));
    }

    /// Looks again at what was written. Answers the setups that may be others now, as they are told.
    fn update(&mut self, written: &Written, events: &mut Option<Events>) -> anyhow::Result<BTreeSet<String>> {
        let before = self.look.paths(&self.found);
        let deciding = states(&self.deciding());
        let decides = deciding != self.deciding;
        if decides {
            self.deciding = deciding;
            // A mistake in it is told, and what was read before goes on.
            match pipeline(self.args).and_then(|pipeline| Ok((Look::of(pipeline.wanted())?, pipeline))) {
                Ok((look, pipeline)) => (self.look, self.pipeline) = (look, pipeline),
                Err(error) => output::note(&format!("{error:#}")),
            }
        }
        let parts = self.parts(&written.paths);
        if decides || written.all || parts.len() > MAX_PARTS {
            self.listen(events)?;
            self.all()?;
            return Ok(before.into_iter().chain(self.look.paths(&self.found)).map(|(path, _)| path).collect());
        }
        for part in &parts {
            let (Part::Tree(folder), Some(events)) = (part, events.as_mut()) else { continue };
            if folder.is_dir() {
                self.below(std::slice::from_ref(folder), events)?;
            } else {
                events.forget(folder);
            }
        }
        self.look.again(&mut self.found, &parts);
        self.judge();
        // What was read anew is another value, also where it says the same.
        let after = self.look.paths(&self.found);
        let touched =
            |(_, whole): &(String, PathBuf)| parts.iter().any(|part| whole.starts_with(self.look.whole(part.path())));
        Ok(before.into_iter().chain(after).filter(touched).map(|(path, _)| path).collect())
    }

    /// The parts of the inputs that paths lie in.
    fn parts(&self, paths: &BTreeSet<PathBuf>) -> Vec<Part> {
        let everything = self.args.input.everything;
        let inputs = self.pipeline.wanted().watched();
        let here = std::env::current_dir().unwrap_or_default();
        let typed = |path: &PathBuf| as_typed(path, &inputs, &here);
        let mut out = BTreeSet::new();
        for path in &paths.iter().map(typed).collect::<BTreeSet<PathBuf>>() {
            if let Some(file) = inputs.iter().find(|input| is_same(input, path) && !input.is_dir()) {
                out.insert(Part::File(file.clone()));
                continue;
            }
            // Beside a file that is an input, and beside the configuration, lies what is none of ours.
            let ours = |folder: &Path| inputs.iter().any(|input| input.is_dir() && folder.starts_with(plain(input)));
            let Some(folder) = path.parent().filter(|folder| ours(&plain(folder))) else { continue };
            let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
            let left_out = !everything && tsuba_find::is_left_out(&name);
            let is_folder = path.symlink_metadata().is_ok_and(|facts| facts.is_dir());
            if is_folder && !left_out {
                out.insert(Part::Tree(path.clone()));
            } else if !is_folder {
                out.insert(Part::Folder(folder.to_owned()));
                if path.symlink_metadata().is_err() {
                    out.insert(Part::Tree(path.clone()));
                }
            }
        }
        out.into_iter().collect()
    }
}

/// A file's length, and when it was written; none where it is not there.
type State = Option<(u64, Option<SystemTime>)>;

fn states(files: &[PathBuf]) -> Vec<State> {
    let state = |file: &PathBuf| file.metadata().ok().map(|facts| (facts.len(), facts.modified().ok()));
    files.iter().map(state).collect()
}

fn pipeline(args: &Args) -> anyhow::Result<Pipeline> {
    Pipeline::new(&args.input, today())
        .remembering()
        .with_register(args.register.as_deref())?
        .with_evidence(&args.evidence)
}

/// The folder that a file lies in, as it is typed.
fn folder_of(file: &Path) -> Option<PathBuf> {
    let folder = file.parent()?;
    Some(if folder.as_os_str().is_empty() { PathBuf::from(".") } else { folder.to_owned() })
}

/// Without `./`.
fn plain(path: &Path) -> PathBuf {
    path.components().filter(|part| *part != std::path::Component::CurDir).collect()
}

/// What an event tells of, by the path of the input that it lies in as that was typed: an event's own is in full.
fn as_typed(path: &Path, inputs: &[PathBuf], here: &Path) -> PathBuf {
    let whole = plain(&here.join(path));
    let rest = |input: &PathBuf| Some((input.clone(), whole.strip_prefix(plain(&here.join(input))).ok()?.to_owned()));
    let found = inputs.iter().filter_map(rest).min_by_key(|(_, rest)| rest.components().count());
    match found {
        Some((input, rest)) if rest.as_os_str().is_empty() => input,
        Some((input, rest)) => input.join(rest),
        None => path.to_owned(),
    }
}

fn is_same(one: &Path, other: &Path) -> bool {
    plain(one) == plain(other)
}

/// A difference, and when it was seen.
#[derive(Serialize)]
struct Line<'d> {
    time: &'d str,
    #[serde(flatten)]
    difference: &'d Difference,
}

fn tell(args: &Args, all: &[Difference]) -> anyhow::Result<()> {
    let now = Timestamp::now();
    let time = now.strftime("%Y-%m-%dT%H:%M:%SZ").to_string();
    let mut lines = Vec::new();
    for difference in all {
        serde_json::to_writer(&mut lines, &Line { time: &time, difference })?;
        lines.push(b'\n');
    }
    let mut out = anstream::stdout().lock();
    match args.format {
        FormatName::Text => {
            write_differences(&now.strftime("%H:%M:%S").to_string(), all, output::look(), &mut out)?;
        }
        FormatName::Ndjson => out.write_all(&lines)?,
    }
    out.flush()?;
    drop(out);
    if let Some(program) = &args.on_change {
        hook::call(program, &lines);
    }
    Ok(())
}
