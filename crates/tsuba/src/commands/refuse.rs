//! `tsuba refuse`: writes down that a server may not be used.

use crate::dates::date;
use crate::deciding::{DecisionArgs, DecisionTarget, Named, judged, scope};
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::register;
use anyhow::{Context as _, bail};
use clap::Args as Arguments;
use std::io::Write as _;
use tsuba_core::register::{Decision, Kind, Scope};
use tsuba_core::text::Redactor;

/// Refuse entries, a package wherever it is started, or every server at a host
///
/// `tsuba audit` then tells every setup that still uses them, and its verdict on these is to refuse.
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    named: Named,
    /// What is refused of the entries
    #[arg(long = "for", value_enum, value_name = "WHAT", default_value_t = DecisionTarget::Entry)]
    on: DecisionTarget,
    /// A package, as npm:@saltmarsh/tide-table or npm:@saltmarsh/tide-table@2.4.1 (sources: npm, pypi, image, …)
    #[arg(long, value_name = "SOURCE:NAME", conflicts_with = "entry")]
    package: Vec<String>,
    /// A host
    #[arg(long, value_name = "HOST", conflicts_with = "entry")]
    host: Vec<String>,
    /// The last day on which it holds (YYYY-MM-DD)
    #[arg(long, value_name = "DATE")]
    until: Option<String>,
    #[command(flatten)]
    decider: DecisionArgs,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    let until = args.until.as_deref().map(|text| date("--until", text)).transpose()?;
    let mut scopes = Vec::new();
    for text in &args.package {
        scopes.push(package(text)?);
    }
    scopes.extend(args.host.iter().map(|host| Scope::Host { host: host.to_lowercase() }));
    let (mut cleaner, mut into): (Option<Redactor>, _) = (None, args.decider.who.register.clone());
    if args.named.entry.is_empty() && args.package.is_empty() && args.host.is_empty() {
        bail!("what is refused? Name it with --entry, --package or --host");
    }
    if !args.named.entry.is_empty() {
        let audited = judged(&args.input, &[], &args.decider.who)?;
        for (_, analysis, entry) in args.named.of(&audited)? {
            scopes.push(scope(&audited.audit, Kind::Refused, args.on, analysis, entry)?);
        }
        into = audited.register;
        cleaner = Some(audited.audit.cleaner);
    }
    scopes.sort();
    scopes.dedup();
    let decisions: anyhow::Result<Vec<Decision>> =
        scopes.into_iter().map(|scope| args.decider.decision(Kind::Refused, scope, until)).collect();
    let decisions = decisions?;
    let path = register::write(into.as_deref(), &decisions)?;
    let mut out = anstream::stdout().lock();
    for decision in &decisions {
        let line = format!("refused {}", super::decisions::what(decision));
        match &cleaner {
            Some(cleaner) => writeln!(out, "{}", cleaner.clean(&line))?,
            None => writeln!(out, "{line}")?,
        }
    }
    writeln!(out, "{}", register::written(&path))?;
    Ok(Done::Clean)
}

/// `npm:@saltmarsh/tide-table@2.4.1`.
fn package(text: &str) -> anyhow::Result<Scope> {
    let message = || format!("--package {text}: write it as npm:NAME or npm:NAME@VERSION");
    let (source, rest) = text.split_once(':').with_context(message)?;
    let from = usize::from(rest.starts_with('@'));
    let (name, version) = match rest.get(from..).and_then(|tail| tail.find('@')) {
        Some(at) => (rest.get(..from + at).unwrap_or(rest), rest.get(from + at + 1..)),
        None => (rest, None),
    };
    let known = ["npm", "jsr", "pypi", "nuget", "go", "crates", "image", "git", "url"];
    if !known.contains(&source) || name.is_empty() || version == Some("") {
        bail!("{}; sources are {}", message(), known.join(", "));
    }
    let version = version.map(str::to_owned);
    Ok(Scope::Package { source: source.to_owned(), package: name.to_owned(), version })
}
