//! What can be mended safely in what was looked at: file by file, as it is and as it will be.

use crate::diff::{Side, unified};
use crate::pipeline::Audited;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::PathBuf;
use tsuba_core::judge::{Audit, Finding};
use tsuba_core::repair::{AppliedFix, Repaired, repair};
use tsuba_core::text::Redactor;
use tsuba_core::understand::Analysis;
use tsuba_find::read_regular;

/// A file that is mended is no larger than one that is read.
const MAX_FILE: u64 = 32 << 20;
/// A byte order mark, which stays where it is.
const MARK: &[u8] = b"\xEF\xBB\xBF";

/// A file that is mended.
pub(crate) struct Work {
    /// As it is told.
    pub(crate) path: String,
    /// Where it is opened.
    pub(crate) file: PathBuf,
    pub(crate) before: Vec<u8>,
    pub(crate) after: Vec<u8>,
    pub(crate) repaired: Repaired,
}

/// Everything that can be mended.
pub(crate) struct Fixes {
    /// The files.
    pub(crate) works: Vec<Work>,
    /// What would not be safe, with its file.
    pub(crate) left: Vec<(String, AppliedFix)>,
    /// Files that cannot be written: which and why.
    pub(crate) failed: Vec<String>,
}

/// Can it be mended? What is accepted is left as it is, and what is packed can only be packed anew.
pub(crate) fn can(whole: &Audit, finding: &Finding) -> bool {
    let packed = || whole.analyses.get(finding.entry_ref.analysis).is_some_and(|of| of.document.facts.packed);
    finding.repair.is_some() && finding.waived.is_none() && !packed()
}

impl Fixes {
    /// Of an audit that looked beside the setups, too.
    pub(crate) fn of(audited: &Audited) -> Self {
        let Audited { audit: whole, options, rules, .. } = audited;
        let mut wanted: Vec<usize> = whole
            .findings
            .iter()
            .filter(|finding| can(whole, finding))
            .map(|finding| finding.entry_ref.analysis)
            .collect();
        wanted.sort_unstable();
        wanted.dedup();
        // What was captured, by the setup that it is of.
        let mut captured: BTreeMap<&str, Vec<&Analysis>> = BTreeMap::new();
        for analysis in &whole.analyses {
            let of = analysis.listings.iter().filter_map(|listing| listing.captured.as_ref());
            let setups: BTreeSet<&str> = of.map(|captured| captured.setup.as_str()).collect();
            setups.iter().for_each(|setup| captured.entry(setup).or_default().push(analysis));
        }
        let (mut works, mut left, mut failed) = (Vec::new(), Vec::new(), Vec::new());
        for analysis in wanted.iter().filter_map(|at| whole.analyses.get(*at)) {
            let path = analysis.document.path.as_str();
            // Only what was captured of this document says something of it.
            let others = captured.get(path).into_iter().flatten().filter(|other| other.document.path != path);
            let others: Vec<Analysis> = others.map(|other| (*other).clone()).collect();
            let repaired = repair(analysis, &others, rules, options);
            left.extend(repaired.left.iter().map(|mended| (analysis.document.path.clone(), mended.clone())));
            if repaired.done.is_empty() {
                continue;
            }
            match work(analysis, repaired) {
                Ok(work) => works.push(work),
                Err(why) => failed.push(format!("{}: {why}", whole.cleaner.clean(analysis.document.file()))),
            }
        }
        Self { works, left, failed }
    }
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

impl Work {
    /// The changes as a diff. A line that holds a secret is shown with its mask: that file's part cannot be applied from the diff, and says so.
    pub(crate) fn diff(&self, cleaner: &Redactor) -> String {
        let (before, after) = (String::from_utf8_lossy(&self.before), String::from_utf8_lossy(&self.after));
        // As it is opened from here, so that it can be applied from here.
        let file = self.file.to_string_lossy().replace('\\', "/");
        let name = file.trim_start_matches("./").trim_start_matches('/');
        let mark = |text: &str| text.strip_prefix('\u{feff}').map_or(0, |_| '\u{feff}'.len_utf8());
        // Places are counted in the text without a byte order mark.
        let (old, new) =
            (before.get(mark(&before)..).unwrap_or_default(), after.get(mark(&after)..).unwrap_or_default());
        let (secrets, left) = &self.repaired.secrets;
        let (shown, masked) = unified(name, &Side { text: old, secrets }, &Side { text: new, secrets: left }, cleaner);
        let mut out = String::new();
        for mended in &self.repaired.done {
            _ = writeln!(out, "# {}", cleaner.clean(&describe(mended)));
        }
        if masked {
            out.push_str("# masked: a secret stands in these lines; tsuba repair --apply writes them\n");
        }
        _ = writeln!(out, "{shown}");
        out
    }
}

/// What was done, and what is to be done after it.
pub(crate) fn describe(mended: &AppliedFix) -> String {
    let afterwards = tsuba_core::rules::find(mended.rule).and_then(|rule| rule.ways.afterwards);
    let note = afterwards.map(|todo| format!("; {todo}")).unwrap_or_default();
    format!("line {}: {}: {}{note}", mended.line, mended.rule, mended.message)
}
