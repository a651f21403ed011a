//! The findings as lines of JSON, for a log pipeline or a lake: each line stands for itself.

use crate::model::{FindingRow, Text};
use crate::{Renderer, Report};
use serde::Serialize;
use std::io::{self, Write};
use tsuba_core::judge::Verdict;

/// A finding a line: the fields of a finding in `tsuba-report/2`, and what there is to know of its entry, its file and where it comes from.
#[derive(Clone, Copy, Debug)]
pub struct Lines;

#[derive(Serialize)]
struct Line<'r> {
    as_of: &'r str,
    #[serde(skip_serializing_if = "Option::is_none")]
    host: Option<&'r Text>,
    #[serde(skip_serializing_if = "Option::is_none")]
    repository: Option<&'r Text>,
    #[serde(skip_serializing_if = "Option::is_none")]
    commit: Option<&'r Text>,
    #[serde(skip_serializing_if = "Option::is_none")]
    team: Option<&'r Text>,
    #[serde(skip_serializing_if = "Option::is_none")]
    code_owner: Option<&'r Text>,
    #[serde(skip_serializing_if = "Option::is_none")]
    owner: Option<&'r Text>,
    #[serde(skip_serializing_if = "Option::is_none")]
    name: Option<&'r Text>,
    #[serde(skip_serializing_if = "Option::is_none")]
    verdict: Option<&'static str>,
    #[serde(flatten)]
    finding: &'r FindingRow,
}

impl Renderer for Lines {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let (setups, entries) = (report.setups_by_path(), report.entries_by_id());
        let source = report.source.as_ref();
        for finding in &report.findings {
            let setup = setups.get(finding.setup.as_str());
            let entry = finding.entry.as_deref().and_then(|id| entries.get(id));
            let line = Line {
                as_of: &report.as_of,
                host: source.and_then(|source| source.host.as_ref()),
                repository: source.and_then(|source| source.repository.as_ref()),
                commit: source.and_then(|source| source.commit.as_ref()),
                team: setup.and_then(|setup| setup.team.as_ref()),
                code_owner: setup.and_then(|setup| setup.code_owner.as_ref()),
                owner: setup.and_then(|setup| setup.owner.as_ref()),
                name: entry.map(|entry| &entry.name),
                verdict: entry.and_then(|entry| entry.verdict).map(Verdict::name),
                finding,
            };
            serde_json::to_writer(&mut *out, &line).map_err(io::Error::from)?;
            out.write_all(b"\n")?;
        }
        Ok(())
    }
}
