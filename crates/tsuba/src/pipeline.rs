//! From arguments to an audit: find, read, understand and judge, in one way for every command that looks at setups.

use crate::config::Config;
use crate::gather::{Gathered, InputArgs, gather};
use crate::known::known;
use crate::memory::Found;
use crate::register;
use crate::threads::Threads;
use crate::trusted::Judged;
use jiff::civil::Date;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tsuba_core::judge::{Audit, Options, Rule, audit};
use tsuba_core::register::Register;
use tsuba_core::text::Memory;
use tsuba_core::understand::Analysis;
use tsuba_report::{Report, Source, Written, stream};

const VERSION: &str = env!("CARGO_PKG_VERSION");
/// So many documents, entries and what servers list are judged by one thread as fast as by several.
const FEW: usize = 32;

/// What is looked at, and with what it is judged. The policy and the company's key come with the configuration that the inputs name.
#[derive(Clone)]
pub(crate) struct Pipeline {
    wanted: InputArgs,
    today: Date,
    inputs: Vec<String>,
    register: Option<Register>,
    register_path: Option<PathBuf>,
    rules: Vec<&'static Rule>,
    families: Vec<String>,
    looks_beside: bool,
    memory: Option<Arc<dyn Memory>>,
}

impl Pipeline {
    /// Looks at these inputs and judges them by all rules, as of a day.
    pub(crate) fn new(wanted: &InputArgs, today: Date) -> Self {
        Self {
            wanted: wanted.clone(),
            today,
            inputs: wanted.names(),
            register: None,
            register_path: None,
            rules: tsuba_core::rules::all(),
            families: Vec::new(),
            looks_beside: false,
            memory: None,
        }
    }

    /// And at folders of evidence; what was asked for is still the inputs.
    pub(crate) fn with_evidence(mut self, folders: &[PathBuf]) -> anyhow::Result<Self> {
        self.wanted = self.wanted.with(folders)?;
        Ok(self)
    }

    /// Judges with the register that is named, or else with the one that counts by itself, where there is one.
    ///
    /// # Errors
    /// Where one is named that is not there, and where it cannot be read: before any work is done.
    pub(crate) fn with_register(mut self, named: Option<&Path>) -> anyhow::Result<Self> {
        self.register_path = Judged::of(&self.wanted)?.decides(named, register::FILE);
        self.register = self.register_path.as_deref().map(|path| register::load(Some(path))).transpose()?.flatten();
        Ok(self)
    }

    /// Likewise, for a decision that may be the first one: it is written into a register that need not be there yet.
    pub(crate) fn with_register_to_write(mut self, named: Option<&Path>) -> anyhow::Result<Self> {
        let path = Judged::of(&self.wanted)?.to_write(named, register::FILE)?;
        self.register = if path.exists() { register::load(Some(&path))? } else { None };
        self.register_path = Some(path);
        Ok(self)
    }

    /// Judges by these rules alone.
    pub(crate) fn by(mut self, rules: Vec<&'static Rule>) -> Self {
        self.rules = rules;
        self
    }

    /// Judges by these families alone; none means all.
    pub(crate) fn of_families(mut self, families: &[String]) -> Self {
        self.families = families.to_vec();
        self
    }

    /// Takes in what is known beside the documents: lockfiles, installed packages, digests that other setups name.
    pub(crate) fn looking_beside(mut self) -> Self {
        self.looks_beside = true;
        self
    }

    /// Judges again and again, and does not look twice for secrets in a text that stayed the same.
    pub(crate) fn remembering(mut self) -> Self {
        self.memory = Some(Arc::new(Found::default()));
        self
    }

    /// The day as of which it is judged.
    pub(crate) fn today(&self) -> Date {
        self.today
    }

    /// Where the register lies that is judged with.
    pub(crate) fn register_path(&self) -> Option<&Path> {
        self.register_path.as_deref()
    }

    /// The register that is judged with, as it was read.
    pub(crate) fn register(&self) -> Option<&Register> {
        self.register.as_ref()
    }

    /// The whole way.
    pub(crate) fn run(self) -> anyhow::Result<Audited> {
        let gathered = self.gather()?;
        Ok(self.judge(gathered))
    }

    /// What is looked at, with the folders of evidence.
    pub(crate) fn wanted(&self) -> &InputArgs {
        &self.wanted
    }

    /// As of another day.
    pub(crate) fn on(self, today: Date) -> Self {
        Self { today, ..self }
    }

    /// The first half: finds, reads and understands.
    pub(crate) fn gather(&self) -> anyhow::Result<Gathered> {
        Ok(self.named(gather(&self.wanted)?))
    }

    /// What was gathered, by the names that the register has for it.
    pub(crate) fn named(&self, mut gathered: Gathered) -> Gathered {
        if let Some(path) = &self.register_path {
            register::names(path, &mut gathered.analyses);
        }
        gathered
    }

    /// The second half: judges what was gathered.
    pub(crate) fn judge(self, gathered: Gathered) -> Audited {
        let Gathered { analyses, unread, config, source } = gathered;
        let Config { path, key, policy, .. } = config;
        let options = Options {
            known: if self.looks_beside { known(&analyses) } else { Default::default() },
            families: self.families,
            key,
            register: self.register,
            policy,
            memory: self.memory,
            ..Options::on(self.today)
        };
        // Few are judged before another thread has begun.
        let items = |analysis: &Analysis| analysis.listings.iter().map(|listing| listing.items.len()).sum::<usize>();
        let size: usize = analyses.iter().map(|analysis| 1 + analysis.entries.len() + items(analysis)).sum();
        let threads = Threads::new(if size < FEW { 1 } else { self.wanted.jobs });
        let audit = audit(analyses, unread, &self.rules, &options, &threads);
        Audited {
            audit,
            options,
            inputs: self.inputs,
            source,
            exclude: self.wanted.exclude.iter().map(|glob| glob.glob().to_owned()).collect(),
            config: path,
            register: self.register_path,
            rules: self.rules,
            threads,
        }
    }
}

/// What came of it.
pub(crate) struct Audited {
    pub(crate) audit: Audit,
    /// What it was judged with.
    pub(crate) options: Options,
    pub(crate) rules: Vec<&'static Rule>,
    /// The inputs as given.
    pub(crate) inputs: Vec<String>,
    /// Where what was looked at comes from.
    pub(crate) source: Source,
    /// What was left out, by patterns.
    exclude: Vec<String>,
    /// The configuration that was read.
    pub(crate) config: Option<PathBuf>,
    /// Where the register lies that it was judged with, or will lie.
    pub(crate) register: Option<PathBuf>,
    threads: Threads,
}

impl Audited {
    /// Its report.
    pub(crate) fn report(&self) -> Report {
        self.whole(Report::new(&self.audit, &self.inputs, self.options.today, VERSION, &self.threads))
    }

    /// Its report as JSON, written while it is made. `head` adds what stands before the rows.
    pub(crate) fn stream(&self, head: impl FnOnce(Report) -> Report, out: &mut dyn Write) -> io::Result<Written> {
        let shell = Report::shell(&self.audit, &self.inputs, self.options.today, VERSION);
        stream(&self.audit, head(self.whole(shell)), &self.threads, out)
    }

    /// A report with where it comes from.
    fn whole(&self, report: Report) -> Report {
        report.from(&self.source, &self.audit.cleaner).without_paths(&self.exclude)
    }
}
