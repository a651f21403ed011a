//! `tsuba demo`: the whole job on the shipped company, in a folder that is gone afterwards.

use super::audit::{FormatName, Gate, ReportArgs, pipeline, write};
use super::capture::keep;
use crate::commands::audit::Shown;
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::jobs::{Selection, jobs};
use crate::pipeline::Pipeline;
use crate::register;
use crate::tour;
use anyhow::Context as _;
use clap::Args as Arguments;
use include_dir::{Dir, include_dir};
use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tsuba_capture::cage::Cage;
use tsuba_capture::{Bounds, Era, Redact, Target, Trust, capture};

/// Run the whole job on the made-up company that ships with the program, offline
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// The format of the report
    #[arg(long, value_enum, default_value_t = FormatName::Text)]
    format: FormatName,
    /// Go the whole way at one desk: audit, repair, capture, review, a server that changes its words afterwards, and what is told of that
    #[arg(long, conflicts_with_all = ["format", "unpack"])]
    walk: bool,
    /// Four weeks of reports of its repositories and laptops in one store, and four questions to that
    #[arg(long, conflicts_with_all = ["format", "walk", "unpack"])]
    company: bool,
    /// With `--company`: write the page of that store (`tsuba company page`) into this file
    #[arg(long, value_name = "FILE", requires = "company")]
    page: Option<PathBuf>,
    /// Unpack the company into this new folder, to try other commands on it, and stop
    #[arg(long, value_name = "FOLDER")]
    unpack: Option<PathBuf>,
}

static COMPANY: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/../../demo/saltmarsh");

/// The date of the demo: its tokens expire and its report reads the same on every day.
const TODAY: &str = "2026-11-24";

const INTRODUCTION: &str = "\
Saltmarsh Line is a made-up ferry operator. Its teams (Tickets, Harbour, Engines, Crewing, Ledger) set up tool
servers in their repositories and home folders, some well, some as people do. No connection is opened; three
simulated servers are started, each in a cage, and asked what they are (`tsuba capture --launch`). What follows is
what `tsuba audit` says about that folder and what was captured. `tsuba demo --walk` goes on from there: repair, review,
a server that changes its words after its approval.
";

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    if args.walk {
        return tour::run(&own_folder().context("cannot create a temporary folder")?);
    }
    if let Some(folder) = &args.unpack {
        fs::create_dir(folder)
            .with_context(|| format!("cannot create {}: name a folder that is not there yet", folder.display()))?;
        unpack(folder)?;
        return Ok(Done::Clean);
    }
    let folder = own_folder().context("cannot create a temporary folder")?;
    unpack(folder.path())?;
    if args.company {
        return tour::company::run(folder.path(), args.page.as_deref());
    }
    if args.format == FormatName::Text {
        writeln!(anstream::stderr(), "{INTRODUCTION}").context("cannot write to standard error")?;
    }
    ask(folder.path())?;
    let report_args = ReportArgs {
        split: None,
        patch: false,
        format: args.format,
        output: None,
        gate: Some(Gate::None),
        strict: false,
        only: Vec::new(),
        shown: Shown::default(),
        as_of: Some(TODAY.to_owned()),
    };
    let company = InputArgs::folder(folder.path().to_owned(), 0, Some(folder.path().join("tsuba.toml")));
    let pipeline = pipeline(&company, &report_args)?;
    let pipeline = pipeline.with_register(Some(&folder.path().join(register::NAME)))?;
    let pipeline = pipeline.with_evidence(&[folder.path().join("evidence")])?;
    let mut gathered = pipeline.gather()?;
    // The company is made up, and so would be the place it lies in.
    gathered.source = tsuba_report::Source::default();
    for analysis in &mut gathered.analyses {
        // Whoever runs the demo owns its files; the company's people are named by their home folders.
        let home = analysis.document.path.strip_prefix("home/").and_then(|rest| rest.split('/').next());
        analysis.document.facts.owner = home.map(str::to_owned);
    }
    let report = pipeline.judge(gathered).report().with_inputs(&["saltmarsh".to_owned()]);
    folder.close().context("cannot remove the temporary folder")?;
    write(&report, &report_args, None)?;
    Ok(Done::Clean)
}

/// Where the servers are set up that are started, and where their evidence goes.
const DESK: &str = "repositories/harbour-desk";
const ASKED: &str = "evidence/harbour-desk";

/// Asks the simulated servers, each in a cage; where none can be built, that is said and nothing is started.
fn ask(folder: &Path) -> anyhow::Result<()> {
    let program = std::env::current_exe().context("cannot locate the tsuba executable")?;
    let cage = match Cage::new(&program) {
        Ok(cage) => cage,
        Err(why) => {
            return writeln!(anstream::stderr(), "The simulated servers are not started: {why}\n")
                .context("cannot write to standard error");
        }
    };
    let wanted = InputArgs::folder(folder.join(DESK), 1, None);
    let audit = Pipeline::new(&wanted, TODAY.parse()?).by(Vec::new()).run()?.audit;
    let (mut jobs, _) = jobs(
        &audit,
        &Selection { entries: &[], launch: true, fetch: false, with_secrets: false, caged: true },
        &Redact::new(audit.cleaner.masker().clone()),
    );
    for job in &mut jobs {
        // Under its own name this program may not be on the path.
        if let Target::Local(launch) = &mut job.target {
            launch.program = program.clone().into();
        }
    }
    let options = tsuba_capture::Options {
        bounds: Bounds::default(),
        private: false,
        trust: Trust::none(),
        jobs: 4,
        taken: TODAY.to_owned(),
        cage: Some(cage),
        eras: Era::ALL.to_vec(),
        token: None,
    };
    let asked = folder.join(ASKED);
    fs::create_dir_all(&asked).context("cannot write the demo's evidence")?;
    let mut kept = Ok(());
    capture(jobs, &options, &Arc::default(), |job, evidence| {
        if kept.is_ok() {
            kept = keep((&asked, ""), &job, &evidence);
        }
    });
    kept
}

/// Writes the company's files; those in repositories become tracked, but for what `.gitignore` there names.
fn unpack(folder: &Path) -> anyhow::Result<()> {
    COMPANY.extract(folder).with_context(|| format!("cannot write the demo to {}", folder.display()))?;
    private(&folder.join("home"))?;
    for repository in fs::read_dir(folder.join("repositories")).context("the demo has no repositories")? {
        track(&repository?.path())?;
    }
    Ok(())
}

/// A temporary folder that nobody else can look into, whatever the umask: the report must not depend on it.
fn own_folder() -> std::io::Result<tempfile::TempDir> {
    let mut builder = tempfile::Builder::new();
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        builder.permissions(fs::Permissions::from_mode(0o700));
    }
    builder.tempdir()
}

/// Home folders are their owners' alone.
fn private(folder: &Path) -> anyhow::Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        fs::set_permissions(folder, fs::Permissions::from_mode(0o700))
            .context("cannot set the mode of the demo's home folders")?;
    }
    let _ = folder;
    Ok(())
}

/// Makes a folder a repository whose index holds its files.
fn track(repository: &Path) -> anyhow::Result<()> {
    use gix_index::entry::{Flags, Mode, Stat};
    let git = repository.join(".git");
    fs::create_dir(&git).context("cannot create a repository of the demo")?;
    let ignored = fs::read_to_string(repository.join(".gitignore")).unwrap_or_default();
    let mut state = gix_index::State::new(gix_index::hash::Kind::Sha1);
    for file in files(repository)? {
        let inside = file.strip_prefix(repository)?.to_string_lossy().replace('\\', "/");
        let skipped = inside.starts_with(".git/") || ignored.lines().any(|line| line == inside);
        if !skipped {
            let id = gix_index::hash::ObjectId::null(gix_index::hash::Kind::Sha1);
            state.dangerously_push_entry(Stat::default(), id, Flags::empty(), Mode::FILE, inside.as_bytes().into());
        }
    }
    state.sort_entries();
    gix_index::File::from_state(state, git.join("index"))
        .write(gix_index::write::Options::default())
        .map_err(|_| anyhow::anyhow!("cannot write an index of the demo"))?;
    Ok(())
}

fn files(folder: &Path) -> anyhow::Result<Vec<PathBuf>> {
    let mut out = Vec::new();
    for item in fs::read_dir(folder)? {
        let path = item?.path();
        if path.is_dir() { out.extend(files(&path)?) } else { out.push(path) }
    }
    Ok(out)
}
