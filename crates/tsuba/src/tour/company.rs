//! Four weeks of the demo company: every repository and every laptop is audited each week, some owners mend what was found, one server is taken
//! out, one setup is put back as it was; then the store is asked.

use super::{Step, Walk, step};
use crate::exit::Done;
use crate::gather::InputArgs;
use crate::pipeline::Pipeline;
use crate::register;
use anyhow::Context as _;
use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use tsuba_report::{Report, Source};
use tsuba_store::Store;

/// The days of the reports.
const WEEKS: [&str; 4] = ["2026-11-03", "2026-11-10", "2026-11-17", "2026-11-24"];
/// Who mends what `tsuba repair` can mend, after which week.
const MENDS: [(usize, &str); 4] = [(0, "crew-planner"), (0, "tickets-web"), (1, "harbour-gate"), (2, "ledger-core")];
/// The setup that is put back as it was, and the one whose repository is new in the second week.
const BACK: &str = "crew-planner";
const NEW: &str = "tickets-kiosk";
/// The server that its owner takes out after the second week: its whole setup goes.
const OUT: &str = "engine-room/.mcp.json";

const QUESTIONS: [Step; 4] = [
    step(
        "A version before 2.4.2 turned out bad: who runs it?",
        &["company", "where", "@saltmarsh/tide-table@<2.4.2"],
        None,
        0,
    ),
    step("Is it getting better?", &["company", "trend", "--weeks", "4", "--as-of", "2026-11-24"], None, 0),
    step("What became of one entry?", &["company", "entry", "siren-shell"], None, 0),
    step(
        "What is critical, and open since the first report?",
        &["company", "overdue", "--days", "21", "--severity", "critical", "--as-of", "2026-11-24"],
        None,
        0,
    ),
];

const INTRODUCTION: &str = "\
Each repository and each laptop of Saltmarsh Line is audited every week, and its report added to the company's
store (`tsuba company add`). In between some owners apply safe fixes, a server is taken out, and one setup is put
back to what it was.
";

/// Runs it in the folder of the unpacked company; the store's page is written where one is wanted.
pub(crate) fn run(folder: &Path, page: Option<&Path>) -> anyhow::Result<Done> {
    let program = std::env::current_exe().context("cannot locate the tsuba executable")?;
    let mut store = Store::create(&folder.join("company.db"))?;
    let before = fs::read(folder.join("repositories").join(BACK).join(".mcp.json")).ok();
    let mut out = anstream::stdout();
    writeln!(out, "{INTRODUCTION}")?;
    for (week, day) in WEEKS.iter().enumerate() {
        let (mut reports, mut entries, mut opened, mut closed, mut reopened) = (0, 0, 0, 0, 0);
        for scope in scopes(folder)? {
            if week == 0 && scope.ends_with(NEW) {
                continue;
            }
            let added = store.add(&report(folder, &scope, day)?)?;
            reports += 1;
            entries += added.entries;
            opened += added.opened;
            closed += added.closed;
            reopened += added.reopened;
        }
        writeln!(
            out,
            "{day}  {reports} reports, {entries} entries: {opened} findings opened, {closed} closed, {reopened} reopened"
        )?;
        for (_, repository) in MENDS.iter().filter(|(after, _)| *after == week) {
            mend(&program, folder, repository)?;
        }
        if week == 1 {
            fs::remove_file(folder.join("repositories").join(OUT)).context("cannot change the demo")?;
        }
        if let Some(before) = before.as_ref().filter(|_| week == 2) {
            fs::write(folder.join("repositories").join(BACK).join(".mcp.json"), before)
                .context("cannot change the demo")?;
        }
    }
    drop(store);
    let walk = Walk { desk: folder, program: &program };
    QUESTIONS.iter().try_for_each(|question| walk.step(question, ""))?;
    if let Some(page) = page {
        // The questions are asked in another folder.
        let page = std::path::absolute(page).with_context(|| format!("cannot write {}", page.display()))?;
        let mut command = Command::new(&program);
        let [.., last] = WEEKS;
        command.args(["company", "page", "--weeks", "4", "--as-of", last, "--output"]).arg(&page);
        let status = command.current_dir(folder).stdin(Stdio::null()).status().context("cannot run this program")?;
        anyhow::ensure!(status.success(), "the page was not written");
    }
    Ok(Done::Clean)
}

/// The repositories and home folders, each a scope of its own.
fn scopes(folder: &Path) -> anyhow::Result<Vec<PathBuf>> {
    let mut out = Vec::new();
    for part in ["repositories", "home"] {
        for entry in fs::read_dir(folder.join(part)).context("cannot read the demo")? {
            out.push(entry.context("cannot read the demo")?.path());
        }
    }
    out.sort();
    Ok(out)
}

/// A report as it would come from a build of the repository, or from the laptop.
fn report(folder: &Path, scope: &Path, day: &str) -> anyhow::Result<Report> {
    let wanted = InputArgs::folder(scope.to_owned(), 0, Some(folder.join("tsuba.toml")));
    let pipeline = Pipeline::new(&wanted, day.parse().context("the demo's day")?);
    let pipeline = pipeline.with_register(Some(&folder.join(register::NAME)))?;
    let pipeline = pipeline.with_evidence(&[folder.join("evidence")])?;
    let mut gathered = pipeline.gather()?;
    let name = scope.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let is_home = scope.parent().is_some_and(|parent| parent.ends_with("home"));
    // The company is made up, and so are its hosts.
    gathered.source = if is_home {
        let root = Some(format!("/home/{name}"));
        Source { host: Some(format!("laptop-{name}")), account: Some(name), root, ..Source::default() }
    } else {
        let repository = Some(format!("code.saltmarsh-line.example/line/{name}"));
        Source { host: Some("build-01".to_owned()), repository, ..Source::default() }
    };
    // Of the evidence, what servers say; the company's grants and policies are of no repository.
    gathered.analyses.retain(|analysis| !analysis.document.facts.evidence || !analysis.listings.is_empty());
    for analysis in &mut gathered.analyses {
        let document = &mut analysis.document;
        document.facts.owner = gathered.source.account.clone().filter(|_| !document.facts.evidence);
        // The folder is another one at each run.
        if let Ok(inside) = Path::new(&document.path).strip_prefix(folder) {
            document.path = inside.to_string_lossy().into_owned();
        }
    }
    Ok(pipeline.judge(gathered).report().with_inputs(&[".".to_owned()]))
}

/// Has what can be mended safely mended, as its owner would.
fn mend(program: &Path, folder: &Path, repository: &str) -> anyhow::Result<()> {
    let mut command = Command::new(program);
    command.args(["repair", "--apply", "--evidence", "evidence", "--config", "tsuba.toml"]);
    command.arg(Path::new("repositories").join(repository)).current_dir(folder);
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    // Two is said of what could not be mended; the audit of the next week tells what there is.
    command.status().context("cannot run this program").map(|_| ())
}
