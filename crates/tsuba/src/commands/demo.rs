//! `tsuba demo`: the whole job on the shipped company, in a folder that is gone afterwards.

use super::audit::{FormatName, Gate, ReportArgs, judged, options, write};
use crate::exit::Done;
use crate::gather::{Where, gather};
use anyhow::Context as _;
use clap::Args as Arguments;
use include_dir::{Dir, include_dir};
use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};

/// Run the whole job on the made-up company that ships with the program, offline
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// The format of the report
    #[arg(long, value_enum, default_value_t = FormatName::Text)]
    format: FormatName,
    /// Unpack the company into this new folder, to try other commands on it, and stop
    #[arg(long, value_name = "FOLDER")]
    unpack: Option<PathBuf>,
}

static COMPANY: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/../../demo/saltmarsh");

/// The date of the demo: its tokens expire and its report reads the same on every day.
const TODAY: &str = "2026-11-24";

const INTRODUCTION: &str = "\
Saltmarsh Line is a made-up ferry operator. Its teams (Tickets, Harbour, Engines, Crewing, Ledger) set up tool
servers in their repositories and home folders, some well, some as people do. Nothing is started and no
connection is opened: what follows is what `tsuba audit` says about that folder.
";

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    if let Some(folder) = &args.unpack {
        fs::create_dir(folder)
            .with_context(|| format!("cannot create {}: name a folder that is not there yet", folder.display()))?;
        unpack(folder)?;
        return Ok(Done::Clean);
    }
    let folder = own_folder().context("cannot create a temporary folder")?;
    unpack(folder.path())?;
    if args.format == FormatName::Text {
        writeln!(anstream::stderr(), "{INTRODUCTION}").context("cannot write to standard error")?;
    }
    let report_args = ReportArgs {
        format: args.format,
        output: None,
        gate: Gate::None,
        only: Vec::new(),
        as_of: Some(TODAY.to_owned()),
    };
    let wanted = Where {
        inputs: vec![folder.path().to_owned()],
        everything: false,
        jobs: 0,
        config: Some(folder.path().join("tsuba.toml")),
    };
    let mut gathered = gather(&wanted, Some(folder.path()))?;
    gathered.inputs = vec!["saltmarsh".to_owned()];
    for study in &mut gathered.studies {
        // Whoever runs the demo owns its files; the company's people are named by their home folders.
        let home = study.document.path.strip_prefix("home/").and_then(|rest| rest.split('/').next());
        study.document.facts.owner = home.map(str::to_owned);
    }
    let report = judged(gathered, options(&report_args)?, wanted.jobs);
    folder.close().context("cannot remove the temporary folder")?;
    write(&report, &report_args)?;
    Ok(Done::Clean)
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
