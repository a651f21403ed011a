//! What was approved, in words: kept beside the register, so that a change can be shown word by word and not only by its fingerprint.

use crate::pipeline::Audited;
use crate::{output, register};
use anyhow::{Context as _, bail};
use jiff::civil::Date;
use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};
use tsuba_core::decide::drift::Snapshot;
use tsuba_core::judge::EntryRef;
use tsuba_core::register::{Decision, Kind, Register};

/// The folder beside the register.
const FOLDER: &str = "tsuba-approved";

fn folder(register: &Path) -> PathBuf {
    register.parent().unwrap_or(Path::new("")).join(FOLDER)
}

/// Where the words of a decision are kept.
fn file(register: &Path, id: &str) -> PathBuf {
    folder(register).join(format!("{id}.json"))
}

/// Keeps what is approved now: for each decision the report of its entries and of what their servers list. Paths are those that the register has.
pub(crate) fn keep(
    register: &Path,
    audited: &mut Audited,
    decided: &[(Decision, Vec<EntryRef>)],
) -> anyhow::Result<()> {
    register::as_known(&mut audited.audit);
    let report = audited.report().with_inputs(&[]);
    let audit = &audited.audit;
    let message = || format!("cannot write into {}", folder(register).display());
    fs::create_dir_all(folder(register)).with_context(message)?;
    // A link that lies there already would have its author's choice of a file written over.
    let is_link = |path: &Path| path.symlink_metadata().is_ok_and(|metadata| metadata.is_symlink());
    let linked = decided.iter().map(|(decision, _)| file(register, &decision.id())).find(|path| is_link(path));
    if let Some(path) = linked.or_else(|| Some(folder(register)).filter(|path| is_link(path))) {
        bail!("{} is a link: the words of what was approved are not kept", path.display());
    }
    for (decision, entry_ref) in decided {
        let named: BTreeSet<(String, String)> = entry_ref
            .iter()
            .filter_map(|entry_ref| {
                let analysis = audit.analyses.get(entry_ref.analysis)?;
                let entry = analysis.entries.get(entry_ref.entry?)?;
                let clean = |text: &str| audit.cleaner.clean(text).as_str().to_owned();
                Some((clean(&analysis.document.path), clean(&entry.name.text)))
            })
            .collect();
        let report = report.only(|row| named.contains(&(row.setup.as_str().to_owned(), row.name.as_str().to_owned())));
        let path = file(register, &decision.id());
        output::write(Some(&path), |out| {
            serde_json::to_writer_pretty(&mut *out, &report)?;
            writeln!(out)
        })?;
        // It belongs under version control with the register, and holds no secret.
        output::shared(&path)?;
    }
    Ok(())
}

/// What was approved by one decision, in words, where they are kept.
pub(crate) fn kept(path: &Path, decision: &Decision) -> anyhow::Result<Option<Snapshot>> {
    let file = file(path, &decision.id());
    if file.is_file() { crate::reports::snapshot(&file).map(Some) } else { Ok(None) }
}

/// What was approved and still is, in words: the entries, the decisions of which words are kept, and how many there are of which none are.
pub(crate) fn load(
    path: &Path,
    register: &Register,
    today: Date,
) -> anyhow::Result<(Snapshot, BTreeSet<String>, usize)> {
    let (mut all, mut known, mut without) = (Snapshot::default(), BTreeSet::new(), 0);
    let holds = |decision: &&Decision| decision.kind == Kind::Approved && decision.holds(today);
    for decision in register.decisions.iter().filter(holds) {
        match kept(path, decision)? {
            Some(words) => {
                all.join(words);
                known.insert(decision.id());
            }
            None => without += 1,
        }
    }
    Ok((all, known, without))
}
