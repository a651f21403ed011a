//! `tsuba repair`: what can be mended safely, as a diff, or written.

use crate::dates::today;
use crate::exit::Done;
use crate::fixes::{Fixes, Work, can, describe};
use crate::gather::InputArgs;
use crate::output;
use crate::pipeline::Pipeline;
use anyhow::bail;
use clap::Args as Arguments;
use std::io::Write;
use std::path::PathBuf;
use tsuba_core::judge::Rule;
use tsuba_core::text::Redactor;
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
    let audited = pipeline.by(rules).looking_beside().run()?;
    let Fixes { mut works, left, mut failed } = Fixes::of(&audited);
    let whole = &audited.audit;
    if args.apply {
        failed.extend(apply(&mut works, &whole.cleaner)?);
    } else {
        let mut out = anstream::stdout().lock();
        works.iter().try_for_each(|work| write!(out, "{}", work.diff(&whole.cleaner)))?;
    }
    let count: usize = works.iter().map(|work| work.repaired.done.len()).sum();
    let open = whole.findings.iter().filter(|finding| finding.waived.is_none() && !can(whole, finding)).count();
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
