//! The patch in a ticket: what `tsuba repair` would change in the files that a report is of.

use crate::fixes::Fixes;
use crate::pipeline::Audited;
use std::collections::BTreeSet;
use std::io::{self, Write};
use tsuba_report::Report;

/// The changes of each file, by the path that reports show.
pub(crate) struct Patch(Vec<(String, String)>);

impl Patch {
    /// Of an audit that looked beside the setups, too.
    pub(crate) fn of(audited: &Audited) -> Self {
        let cleaner = &audited.audit.cleaner;
        let works = Fixes::of(audited).works;
        Self(works.iter().map(|work| (cleaner.clean(&work.path).to_string(), work.diff(cleaner))).collect())
    }

    /// Writes those of the files of a report, as the last section of a ticket.
    pub(crate) fn write(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let paths: BTreeSet<&str> = report.setups.iter().map(|setup| setup.path.as_str()).collect();
        let own = self.0.iter().filter(|(path, _)| paths.contains(path.as_str()));
        let text: String = own.map(|(_, diff)| diff.as_str()).collect();
        if text.is_empty() {
            return Ok(());
        }
        // A file may hold the marks that end a block, too.
        let fence = "`".repeat(longest_run(&text).max(2) + 1);
        writeln!(
            out,
            "\n## Patch\n\nWhat can be changed safely. Save the block as a file and apply it with `git apply` in the folder that tsuba ran in, or run `tsuba repair --apply` there; masked lines need the latter.\n\n{fence}diff\n{}\n{fence}",
            text.trim_end()
        )
    }
}

/// The longest run of backticks.
fn longest_run(text: &str) -> usize {
    text.split(|c| c != '`').map(str::len).max().unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::longest_run;

    #[test]
    fn a_fence_is_longer_than_what_it_holds() {
        for (text, want) in [("", 0), ("a", 0), ("`", 1), ("a``b`c", 2), ("x\n`````\n```", 5), ("```` `", 4)] {
            assert_eq!(longest_run(text), want, "{text:?}");
        }
    }
}
