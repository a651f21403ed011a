//! `tsuba read`: a language model that the company runs reads what servers say; its reading is kept beside the evidence.

use crate::certificates;
use crate::dates::today;
use crate::exit::Done;
use crate::gather::{Gathered, InputArgs};
use crate::output;
use crate::pipeline::Pipeline;
use crate::progress;
use crate::threads::Threads;
use anyhow::{Context as _, bail};
use clap::Args as Arguments;
use std::collections::BTreeSet;
use std::io;
use std::path::{Path, PathBuf};
use std::time::Duration;
use tsuba_capture::Redact;
use tsuba_capture::reader::{Kept, Reader, Reading, Text};
use tsuba_core::evidence::text_key;
use tsuba_core::judge::{Parallel as _, pattern_redactor};
use tsuba_core::text::Redactor;
use tsuba_core::understand::Analysis;
use tsuba_find::read_regular;
use tsuba_report::Page;
use url::Url;

/// Have a language model of your own read what servers say, as a second reader
///
/// The texts of captured listings are sent to the model at --reader, over the chat-completions interface, and what it finds is written
/// beside the evidence; `tsuba audit --evidence FOLDER` tells it, offline, as "read by MODEL". Texts that hold a secret are not sent. A
/// model's finding takes none of Tsuba's own away. Every request carries texts that are known to be hostile and to be honest: an answer
/// that misjudges one is thrown away. The token is taken from the variable TSUBA_READER_TOKEN.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// Files and folders of evidence
    #[arg(value_name = "EVIDENCE", required = true)]
    evidence: Vec<PathBuf>,
    /// Address of the model, up to `/v1` or in full [default: url of [reader] in tsuba.toml]
    #[arg(long, value_name = "URL")]
    reader: Option<Url>,
    /// Name of the model, as its interface knows it [default: model of [reader] in tsuba.toml]
    #[arg(long, value_name = "NAME")]
    model: Option<String>,
    /// Ask again for texts that this model has read before
    #[arg(long)]
    again: bool,
    /// Servers to read at once
    #[arg(long, value_name = "N", default_value_t = 4, value_parser = clap::value_parser!(u16).range(1..=64))]
    at_once: u16,
    /// Seconds to wait for an answer
    #[arg(long, value_name = "SECONDS", default_value_t = 120, value_parser = clap::value_parser!(u64).range(1..=3600))]
    patience: u64,
    /// Also trust the certificates in this file (PEM)
    #[arg(long, value_name = "FILE")]
    ca: Option<PathBuf>,
    /// Configuration file [default: tsuba.toml in the current folder, else this account's own]
    #[arg(long, value_name = "FILE")]
    config: Option<PathBuf>,
}

/// The variable that holds the token.
const TOKEN: &str = "TSUBA_READER_TOKEN";
/// An earlier reading has no more bytes.
const MAX_KEPT: u64 = 32 << 20;
/// Texts of fewer words say nothing.
const FEWEST_WORDS: usize = 2;

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let wanted = InputArgs::inputs(args.evidence.clone(), args.config.clone());
    let Gathered { analyses, config, .. } = Pipeline::new(&wanted, today()).gather()?;
    let (url, model) = config.reader.unzip();
    let url = args.reader.clone().or(url);
    let Some(url) = url.filter(|url| matches!(url.scheme(), "http" | "https")) else {
        bail!(
            "no reader: name the http or https address of your model with --reader URL, or as url of [reader] in tsuba.toml"
        );
    };
    let Some(model) = args.model.clone().or(model) else {
        bail!("no model: name it with --model NAME, or as model of [reader] in tsuba.toml");
    };
    let token = std::env::var(TOKEN).ok().filter(|token| !token.is_empty());
    let cleaner = pattern_redactor();
    let redact = Redact::new(cleaner.masker().clone());
    let redact = token.iter().fold(redact, |redact, token| redact.also(token));
    let trust = certificates::trust(args.ca.as_deref())?;
    let sends_token = token.is_some();
    let reader = Reader::new(url.clone(), model.clone(), token, Duration::from_secs(args.patience), &trust);
    if sends_token && !reader.is_safe() {
        bail!("{TOKEN}: {} is without TLS, and everyone on the path would read it", origin(&url));
    }
    let mut listed: Vec<&Analysis> =
        analyses.iter().filter(|analysis| !analysis.listings.is_empty() && !analysis.document.facts.packed).collect();
    if listed.is_empty() {
        bail!("no evidence in the inputs: no server's listing was found; `tsuba capture` collects them");
    }
    // The walk finds them in any order.
    listed.sort_by(|a, b| a.document.path.cmp(&b.document.path));
    let second = Second { reader, redact, model, today: today().to_string(), again: args.again };
    let progress = progress::bar(listed.len(), "servers read");
    let read = Threads::new(usize::from(args.at_once)).each(&listed, |analysis| {
        let read = second.read(analysis);
        progress.inc(1);
        vec![read]
    });
    progress.finish_and_clear();
    let mut servers = read.into_iter().collect::<anyhow::Result<Vec<Server>>>()?;
    // What was found first; what is alike stays in order.
    servers.sort_by_key(|server| std::cmp::Reverse(server.found));
    let mut out = anstream::stdout().lock();
    let mut page = Page::new(output::look(), &mut out);
    tell(&mut page, &servers, &format!("{} at {}", second.model, origin(&url)), args, &cleaner)?;
    Ok(if servers.iter().any(|server| server.unread) { Done::Gated } else { Done::Clean })
}

/// Who reads.
struct Second {
    reader: Reader,
    redact: Redact,
    model: String,
    today: String,
    again: bool,
}

/// What came of one server.
struct Server {
    name: String,
    texts: usize,
    read: usize,
    found: usize,
    unread: bool,
    /// What was found, in words.
    outcome: String,
    /// What else there is to say.
    more: String,
}

impl Second {
    /// Reads what a document lists, and keeps what was found.
    ///
    /// # Errors
    /// Where it cannot be kept.
    fn read(&self, analysis: &Analysis) -> anyhow::Result<Server> {
        let (texts, held) = texts(analysis, &self.redact);
        let file = kept_as(analysis.document.file(), &self.model);
        let keys: BTreeSet<&str> = texts.iter().map(|text| text.key.as_str()).collect();
        let earlier = match read_regular(&file, MAX_KEPT) {
            Ok(bytes) => match Kept::earlier(&bytes, &self.model, &keys) {
                None if !Kept::is_one(&bytes) => bail!("{} is no reading: move it away", file.display()),
                earlier => earlier.filter(|_| !self.again),
            },
            Err(error) if error.kind() == io::ErrorKind::NotFound => None,
            // What cannot be looked at may be anybody's: it is not written over.
            Err(_) => bail!("{} is there and cannot be read: move it away", file.display()),
        };
        let mut kept = earlier.unwrap_or_else(|| Kept::new(&self.model, &self.today));
        let new: Vec<Text> = texts.iter().filter(|text| !kept.texts.contains(&text.key)).cloned().collect();
        let mut rng = fastrand::Rng::new();
        let reading = if new.is_empty() { Reading::default() } else { self.reader.read(&new, &mut rng) };
        if !reading.texts.is_empty() {
            kept.texts.extend(reading.texts.iter().cloned());
            kept.findings.extend(reading.findings.iter().cloned());
            kept.read_on.clone_from(&self.today);
            keep(&file, &kept, &self.redact)?;
        }
        let read = texts.iter().filter(|text| kept.texts.contains(&text.key)).count();
        Ok(Server {
            name: analysis.listings.first().map(|listing| listing.server.text.clone()).unwrap_or_default(),
            texts: texts.len(),
            read,
            found: kept.findings.len(),
            unread: read < texts.len(),
            outcome: outcome(&kept, texts.len()),
            more: more(&kept, &reading, held, &file),
        })
    }
}

/// The texts of a document that a model is asked about, and how many are held back since they hold a secret.
fn texts(analysis: &Analysis, redact: &Redact) -> (Vec<Text>, usize) {
    let (mut out, mut seen, mut held) = (Vec::new(), BTreeSet::new(), 0);
    for listing in &analysis.listings {
        for passage in &listing.passages {
            let text = &passage.at.text;
            let key = text_key(text);
            if text.split_whitespace().nth(FEWEST_WORDS - 1).is_none() && text.len() < 12 || !seen.insert(key.clone()) {
                continue;
            }
            if redact.text(text) == *text {
                let place = redact.text(&listing.whereabouts(passage));
                out.push(Text { key, place, text: text.clone() });
            } else {
                held += 1;
            }
        }
    }
    (out, held)
}

/// The file of the reading of a file of evidence by a model: each has its own, so that none takes another one's place.
fn kept_as(evidence: &str, model: &str) -> PathBuf {
    const MAX_NAME: usize = 40;
    let path = Path::new(evidence);
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    let plain = |c: char| if c.is_ascii_alphanumeric() || "-_".contains(c) { c } else { '-' };
    let model: String = model.chars().take(MAX_NAME).map(plain).collect();
    path.with_file_name(format!("{stem}.{model}.reading.json"))
}

fn keep(file: &Path, kept: &Kept, redact: &Redact) -> anyhow::Result<()> {
    let mut kept = kept.clone();
    // What a model says is nobody's to trust: it may say what a text never held.
    for finding in &mut kept.findings {
        finding.reason = redact.text(&finding.reason);
    }
    let text = serde_json::to_string_pretty(&kept).context("a reading cannot be written as JSON")?;
    output::write(Some(&file.to_path_buf()), |out| writeln!(out, "{text}"))
}

/// Scheme, host and port: what else an address holds is nobody's business.
fn origin(url: &Url) -> String {
    url.origin().ascii_serialization()
}

/// What was found, in words.
fn outcome(kept: &Kept, texts: usize) -> String {
    let doubtful = kept.findings.iter().filter(|finding| !finding.agreed).count();
    match (kept.findings.len(), doubtful) {
        (0, _) if texts == 0 => "no texts".to_owned(),
        (0, _) if kept.texts.is_empty() => "not read".to_owned(),
        (0, _) => "nothing found".to_owned(),
        (found, 0) => format!("{found} found"),
        (found, doubtful) => format!("{found} found, {doubtful} of them in one reading only"),
    }
}

/// What else there is to say: why something was not read, and where the reading is.
fn more(kept: &Kept, reading: &Reading, held: usize, file: &Path) -> String {
    let count = |count: usize, what: &str| (count > 0).then(|| format!("{count} {what}"));
    let unread = reading.unread.iter().map(ToString::to_string);
    let all: Vec<String> = unread
        .chain(count(reading.misquoted, "left out: they quote what no text says"))
        .chain(count(reading.over, "not read: over 1 MiB of one server"))
        .chain(count(held, "not sent: they hold a secret"))
        .chain((!kept.texts.is_empty()).then(|| file.display().to_string()))
        .collect();
    all.join("; ")
}

fn tell(page: &mut Page<'_>, servers: &[Server], by: &str, args: &Args, cleaner: &Redactor) -> io::Result<()> {
    let clean = |text: &str| cleaner.clean(text).as_str().to_owned();
    let sum = |of: fn(&Server) -> usize| servers.iter().map(of).sum::<usize>();
    let (read, texts, found) = (sum(|s| s.read), sum(|s| s.texts), sum(|s| s.found));
    let plural = if servers.len() == 1 { "" } else { "s" };
    page.line(&format!(
        "read {read} of {texts} texts of {} server{plural}: {found} found   ({})",
        servers.len(),
        clean(by)
    ))?;
    let rows: Vec<([String; 2], String)> =
        servers.iter().map(|server| ([clean(&server.name), server.outcome.clone()], clean(&server.more))).collect();
    page.columns(&rows, [24, 48])?;
    let folders: BTreeSet<&Path> = args
        .evidence
        .iter()
        .map(|path| if path.is_dir() { path.as_path() } else { path.parent().unwrap_or(Path::new(".")) })
        .collect();
    let folders: String = folders.iter().map(|folder| format!(" --evidence {}", folder.display())).collect();
    if read > 0 { page.line(&format!("\nnext: tsuba audit{folders}")) } else { Ok(()) }
}
