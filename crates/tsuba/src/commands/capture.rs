//! `tsuba capture`: asks servers what they are, and keeps the answers as evidence.

use crate::asked::{Group, outcome, summary};
use crate::certificates;
use crate::dates::today;
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::jobs::{Selection, jobs};
use crate::output;
use crate::pipeline::{Audited, Pipeline};
use crate::progress;
use anyhow::{Context as _, bail};
use clap::{Args as Arguments, ValueEnum};
use serde_json::value::RawValue;
use std::fs;
use std::io::Read as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use tsuba_capture::cage::Cage;
use tsuba_capture::{Bounds, Era, Evidence, Inherited, Job, Options, Redact, Target, capture};
use tsuba_core::text::{Located, Remote, Scheme, fingerprint};

/// Query the configured servers and save their answers as evidence
///
/// Remote servers are called over HTTP; nothing is started unless --launch is given. No tool is called, no client is registered, no
/// login is begun. `tsuba audit --evidence FOLDER` judges what was captured, offline.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    input: InputArgs,
    /// The folder to write evidence into, a file for each entry
    #[arg(long, short, value_name = "FOLDER", default_value = "evidence")]
    output: PathBuf,
    /// Only entries of this name (may be given several times)
    #[arg(long, value_name = "NAME")]
    entry: Vec<String>,
    /// Also start local servers, each in the cage
    #[arg(long)]
    launch: bool,
    /// Start local servers without a cage, with all of your permissions
    #[arg(long, requires = "launch")]
    uncaged: bool,
    /// Fetch the packages of local servers first, by npm or pip as they are set up here, with install scripts off, into a scratch folder
    #[arg(long, requires = "launch")]
    fetch: bool,
    /// Send servers the credentials in their setups; by default they are queried without
    #[arg(long)]
    with_secrets: bool,
    /// Also allow addresses of private networks
    #[arg(long)]
    allow_private: bool,
    /// Also trust the certificates in this file (PEM)
    #[arg(long, value_name = "FILE")]
    ca: Option<PathBuf>,
    /// Also list with the token in this environment variable
    #[arg(long, value_name = "NAME")]
    token_env: Option<String>,
    /// Also list with the token read from this file descriptor
    #[arg(long, value_name = "N", conflicts_with = "token_env")]
    token_fd: Option<u32>,
    /// Query only this era of the protocol
    #[arg(long, value_enum)]
    era: Option<EraName>,
    /// Servers to query at once
    #[arg(long, value_name = "N", default_value_t = 16)]
    at_once: usize,
    /// Seconds to wait for an answer
    #[arg(long, value_name = "SECONDS", default_value_t = 20, value_parser = clap::value_parser!(u64).range(1..=600))]
    patience: u64,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum EraName {
    /// A session begins with a handshake (2024-11-05 to 2025-11-25)
    Handshake,
    /// Every request stands for itself (2026-07-28)
    Stateless,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let inherited = Inherited::now();
    let mut options = options(args)?;
    if args.launch && !args.uncaged {
        let program = std::env::current_exe().context("cannot locate the tsuba executable")?;
        match Cage::new(&program) {
            Ok(cage) => options.cage = Some(cage),
            Err(why) => bail!("--launch: {why}; --launch --uncaged starts local servers without a cage"),
        }
    }
    let Audited { audit, source, .. } = Pipeline::new(&args.input, today()).by(Vec::new()).run()?;
    // Two trees may have entries of the same path and name: the evidence of one takes no other's place.
    let tree = source.repository.or(source.root).unwrap_or_default();
    // An input may have come in as an open file; no server, and no client of a registry, inherits it, nor what a token was read from.
    inherited.close();
    let selection = Selection {
        entries: &args.entry,
        launch: args.launch,
        fetch: args.fetch,
        with_secrets: args.with_secrets,
        caged: options.cage.is_some(),
    };
    let redact = Redact::new(audit.cleaner.masker().clone());
    // A server may answer with what it was given.
    let redact = options.token.iter().fold(redact, |redact, token| redact.also(token));
    let (jobs, skipped) = jobs(&audit, &selection, &redact);
    if options.token.is_some() {
        // A token is for one server: another one that got it could use it.
        let mut origins: Vec<String> = jobs
            .iter()
            .filter_map(|job| match &job.target {
                Target::Remote { url, .. } => Some(url.origin().ascii_serialization()),
                Target::Local(_) | Target::Package(..) => None,
            })
            .collect();
        origins.sort();
        origins.dedup();
        if let [one, other, ..] = origins.as_slice() {
            bail!("the token: {one} and {other} would both get it; name one with --entry");
        }
        if let Some(plain) = origins.iter().find(|origin| !is_safe(origin)) {
            bail!("the token: {plain} is without TLS, and everyone on the path would read it");
        }
    }
    if jobs.is_empty() && skipped.is_empty() {
        bail!("no entry to ask: no server is set up in the inputs, or none of that name");
    }
    fs::create_dir_all(&args.output).with_context(|| format!("cannot create the folder {}", args.output.display()))?;
    if args.uncaged {
        output::note("Local servers are started without a cage: they may do whatever you may do.");
    }
    let stop = Arc::new(AtomicBool::new(false));
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
        signal_hook::flag::register(signal, stop.clone()).context("cannot listen for a stop")?;
    }
    let progress = progress::bar(jobs.len(), "entries asked");
    let count = jobs.len();
    let (mut message, mut failed) = (Vec::new(), None);
    capture(jobs, &options, &stop, |job, evidence| {
        let kept = keep((&args.output, &tree), &job, &evidence);
        progress.inc(1);
        match kept {
            Ok(()) => message.push(outcome(&job, &evidence)),
            Err(error) => failed = Some(error),
        }
    });
    progress.finish_and_clear();
    if let Some(error) = failed {
        return Err(error);
    }
    message.sort();
    let mut out = anstream::stdout().lock();
    let mut page = tsuba_report::Page::new(output::look(), &mut out);
    summary(&mut page, (&args.output, &args.input.inputs), &message, count, &skipped, &audit.cleaner)?;
    if message.len() < count {
        bail!("interrupted: {} of {count} entries were asked, their evidence is kept", message.len());
    }
    // What did not answer is not known now either.
    let silent = message.iter().any(|(group, _)| matches!(group, Group::Silent(_)));
    Ok(if silent { Done::Gated } else { Done::Clean })
}

/// May a token be sent there?
fn is_safe(origin: &str) -> bool {
    let at = Located { text: origin.to_owned(), ..Located::default() };
    let remote = Remote::parse(&at);
    remote.scheme == Scheme::Tls || remote.loopback
}

fn options(args: &Args) -> anyhow::Result<Options> {
    let trust = certificates::trust(args.ca.as_deref())?;
    let token = token(args)?;
    let answer = std::time::Duration::from_secs(args.patience);
    let defaults = Bounds::default();
    let bounds = Bounds { answer, probe: defaults.probe.min(answer), session: answer * 3, ..defaults };
    let taken = crate::dates::today().to_string();
    let eras = match args.era {
        Some(EraName::Handshake) => vec![Era::Handshake],
        Some(EraName::Stateless) => vec![Era::Stateless],
        None => Era::ALL.to_vec(),
    };
    Ok(Options { bounds, private: args.allow_private, trust, jobs: args.at_once, cage: None, eras, taken, token })
}

/// The token to list with. It comes in no argument: those can be read by everybody on the machine.
fn token(args: &Args) -> anyhow::Result<Option<String>> {
    /// No token is longer (bytes).
    const MAX_TOKEN_BYTES: u64 = 64 << 10;
    if let Some(name) = &args.token_env {
        let value = std::env::var(name).ok().filter(|value| !value.is_empty());
        return value.with_context(|| format!("--token-env {name}: the environment has no such variable")).map(Some);
    }
    let Some(number) = args.token_fd else { return Ok(None) };
    let mut text = String::new();
    fs::File::open(format!("/dev/fd/{number}"))
        .and_then(|file| file.take(MAX_TOKEN_BYTES).read_to_string(&mut text))
        .map_err(|_| anyhow::anyhow!("--token-fd {number}: nothing can be read from there"))?;
    match text.trim() {
        "" => bail!("--token-fd {number}: there is no token"),
        token => Ok(Some(token.to_owned())),
    }
}

/// Writes the evidence of one entry of a tree, under a name that is the same every time.
pub(crate) fn keep((folder, tree): (&Path, &str), job: &Job, evidence: &Evidence) -> anyhow::Result<()> {
    let text = serde_json::to_string_pretty(evidence).context("evidence cannot be written as JSON")?;
    let raw = RawValue::from_string(text).context("evidence cannot be written as JSON")?;
    // Once more over the whole, for what has the form of a secret: entries and setups are named as they are.
    let clean = Redact::default().json(&raw);
    let plain: String =
        job.entry.chars().filter(|c| c.is_ascii_alphanumeric() || "-_.".contains(*c)).take(60).collect();
    let id = fingerprint([tree, job.setup.as_str(), job.entry.as_str()]);
    let name = format!("{}-{}.json", plain.trim_matches('.'), id.chars().take(8).collect::<String>());
    // In one step, through a file that nobody could have laid there before.
    output::write(Some(&folder.join(name)), |out| writeln!(out, "{clean}"))
}
