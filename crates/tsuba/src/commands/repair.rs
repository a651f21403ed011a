//! `tsuba repair`: what can be mended safely, as a diff, or written.

use crate::dates::today;
use crate::diff::{Side, unified};
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::output;
use crate::pipeline::{Audited, Pipeline};
use anyhow::bail;
use clap::Args as Arguments;
use std::io::Write;
use std::path::PathBuf;
use tsuba_core::judge::{Finding, Rule};
use tsuba_core::repair::{AppliedFix, Repaired, repair};
use tsuba_core::text::Redactor;
use tsuba_core::understand::Analysis;
use tsuba_find::read_regular;
use tsuba_report::count as number;

/// Apply safe fixes: a unified diff, or with --apply the files themselves
///
/// Secrets in variables and headers become references where the client is known to expand them, packages get the version that evidence, register,
/// lockfile or package cache name, images their digest, plain HTTP becomes HTTPS where a capture saw that it answers, a whole disk or home
/// becomes the project's folder, ports and hosts are bound to this machine, tools that change things ask again. Comments, order
/// and layout stay. Each change is read and judged again before it counts.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    input: InputArgs,
    /// The evidence of what was fetched (may be given several times)
    #[arg(long, value_name = "FOLDER")]
    evidence: Vec<PathBuf>,
    /// The register, for the versions that are approved [default: tsuba-register.toml in the current folder; one that lies in what is judged only where it is trusted]
    #[arg(long, value_name = "FILE")]
    register: Option<PathBuf>,
    /// Only findings of this rule (may be given several times)
    #[arg(long, value_name = "RULE")]
    rule: Vec<String>,
    /// Write the files
    #[arg(long)]
    apply: bool,
}

/// A file that is mended is no larger than one that is read.
const MAX_FILE: u64 = 32 << 20;
/// A byte order mark, which stays where it is.
const MARK: &[u8] = b"\xEF\xBB\xBF";

/// A file that is mended.
struct Work {
    /// As it is told.
    path: String,
    /// Where it is opened.
    file: PathBuf,
    before: Vec<u8>,
    after: Vec<u8>,
    repaired: Repaired,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    if let Some(rule) = args.rule.iter().find(|rule| tsuba_core::rules::find(rule).is_none()) {
        bail!("--rule: {}", tsuba_core::rules::unknown(rule));
    }
    let all = tsuba_core::rules::all();
    let rules: Vec<&'static Rule> = all
        .into_iter()
        .filter(|rule| args.rule.is_empty() || args.rule.iter().any(|wanted| rule.names().contains(&wanted.as_str())))
        .collect();
    let pipeline = Pipeline::new(&args.input, today()).with_evidence(&args.evidence)?;
    let pipeline = pipeline.with_register(args.register.as_deref())?;
    let Audited { audit: whole, options, rules, .. } = pipeline.by(rules).looking_beside().run()?;
    // What is accepted is left as it is, and what is packed can only be packed anew.
    let packed =
        |finding: &Finding| whole.analyses.get(finding.entry_ref.analysis).is_some_and(|of| of.document.facts.packed);
    let can = |finding: &Finding| finding.repair.is_some() && finding.waived.is_none() && !packed(finding);
    let mut wanted: Vec<usize> =
        whole.findings.iter().filter(|finding| can(finding)).map(|finding| finding.entry_ref.analysis).collect();
    wanted.sort_unstable();
    wanted.dedup();
    let (mut works, mut left, mut failed) = (Vec::new(), Vec::new(), Vec::new());
    for analysis in wanted.iter().filter_map(|at| whole.analyses.get(*at)) {
        let path = analysis.document.path.as_str();
        // Only what was captured of this document says something of it.
        let is_of = |other: &&Analysis| {
            let captured = other.listings.iter().filter_map(|listing| listing.captured.as_ref());
            other.document.path != path && captured.into_iter().any(|captured| captured.setup == path)
        };
        let others: Vec<Analysis> = whole.analyses.iter().filter(is_of).cloned().collect();
        let repaired = repair(analysis, &others, &rules, &options);
        left.extend(repaired.left.iter().map(|mended| (analysis.document.path.clone(), mended.clone())));
        if repaired.done.is_empty() {
            continue;
        }
        match work(analysis, repaired) {
            Ok(work) => works.push(work),
            Err(why) => failed.push(format!("{}: {why}", whole.cleaner.clean(analysis.document.file()))),
        }
    }
    if args.apply {
        failed.extend(apply(&mut works, &whole.cleaner)?);
    } else {
        show(&works, &whole.cleaner)?
    }
    let count: usize = works.iter().map(|work| work.repaired.done.len()).sum();
    let open = whole.findings.iter().filter(|finding| finding.waived.is_none() && !can(finding)).count();
    let mut err = anstream::stderr().lock();
    let verb = if args.apply { "fixed" } else { "fixable" };
    let (findings, files) = (number(count, "finding", "findings"), number(works.len(), "file", "files"));
    let manual = number(open, "finding needs", "findings need");
    if count == 0 {
        writeln!(err, "no automatic fixes; {manual} manual work")?;
    } else {
        writeln!(err, "{findings} {verb} in {files}; {manual} manual work")?;
    }
    for (path, mended) in left {
        let line = format!("not safely: {path}:{}  {}  {}", mended.line, mended.rule, mended.message);
        writeln!(err, "{}", whole.cleaner.clean(&line))?;
    }
    drop(err);
    if failed.is_empty() { Ok(Done::Clean) } else { bail!("left as they are:\n       {}", failed.join("\n       ")) }
}

/// What is in the file, and what will be: only UTF-8 is written.
fn work(analysis: &Analysis, repaired: Repaired) -> Result<Work, &'static str> {
    let path = analysis.document.path.clone();
    if path == "-" {
        return Err("standard input is no file; name the file");
    }
    // A link in a folder that somebody else wrote may lead anywhere.
    let file = PathBuf::from(analysis.document.file());
    if file.symlink_metadata().is_ok_and(|metadata| metadata.is_symlink()) {
        return Err("is a link; name the file that it leads to");
    }
    let before = read_regular(&file, MAX_FILE).map_err(|_| "cannot be read any more")?;
    let (mark, rest) = match before.strip_prefix(MARK) {
        Some(rest) => (MARK, rest),
        None => (&[][..], before.as_slice()),
    };
    if rest != analysis.document.text.as_bytes() {
        return Err("has been changed meanwhile, or is not in UTF-8; nothing was written");
    }
    let after = [mark, repaired.text.as_bytes()].concat();
    Ok(Work { path, file, before, after, repaired })
}

/// Writes what was mended. What somebody else has changed meanwhile is taken out, and told.
fn apply(works: &mut Vec<Work>, cleaner: &Redactor) -> anyhow::Result<Vec<String>> {
    let mut out = anstream::stdout().lock();
    let mut changed = Vec::new();
    for work in std::mem::take(works) {
        // Whoever edits it at the same time keeps what they wrote.
        if !output::replace_unchanged(&work.file, &work.before, &work.after)? {
            changed.push(format!("{}: has been changed meanwhile", cleaner.clean(&work.path)));
            continue;
        }
        writeln!(out, "{}", cleaner.clean(&work.path))?;
        for mended in &work.repaired.done {
            writeln!(out, "    {}", cleaner.clean(&describe(mended)))?;
        }
        works.push(work);
    }
    Ok(changed)
}

/// The changes as a diff. A line that holds a secret is shown with its mask: that file's part cannot be applied from the diff, and says so.
fn show(works: &[Work], cleaner: &Redactor) -> anyhow::Result<()> {
    let mut out = anstream::stdout().lock();
    for work in works {
        let (before, after) = (String::from_utf8_lossy(&work.before), String::from_utf8_lossy(&work.after));
        // As it is opened from here, so that it can be applied from here.
        let file = work.file.to_string_lossy().replace('\\', "/");
        let name = file.trim_start_matches("./").trim_start_matches('/');
        let mark = |text: &str| text.strip_prefix('\u{feff}').map_or(0, |_| '\u{feff}'.len_utf8());
        // Places are counted in the text without a byte order mark.
        let (old, new) =
            (before.get(mark(&before)..).unwrap_or_default(), after.get(mark(&after)..).unwrap_or_default());
        let (secrets, left) = &work.repaired.secrets;
        let (shown, masked) = unified(name, &Side { text: old, secrets }, &Side { text: new, secrets: left }, cleaner);
        for mended in &work.repaired.done {
            writeln!(out, "# {}", cleaner.clean(&describe(mended)))?;
        }
        if masked {
            writeln!(out, "# masked: a secret stands in these lines; tsuba repair --apply writes them")?;
        }
        writeln!(out, "{shown}")?;
    }
    Ok(())
}

fn describe(mended: &AppliedFix) -> String {
    let afterwards = tsuba_core::rules::find(mended.rule).and_then(|rule| rule.ways.afterwards);
    let note = afterwards.map(|todo| format!("; {todo}")).unwrap_or_default();
    format!("line {}: {}: {}{note}", mended.line, mended.rule, mended.message)
}
