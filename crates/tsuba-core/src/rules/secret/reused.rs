use super::shared;
use crate::judge::{All, Check, Circumstance, EntryRef, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::{Analysis, Credential};

pub(super) static RULE: Rule = Rule {
    id: "secret/reused",
    title: "credential used in several places",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{what} is also used by {places}",
    why: "When it leaks nobody can tell through which place, and it cannot be revoked for one of them without breaking the others.",
    fix: "Issue one credential for each server and person, so that each can be revoked alone.",
    before: r#"{ "mcpServers": {
  "tide-table": { "command": "tide-table", "env": { "TOKEN": "q8ZkXv2LmPw0TyRbN4sJ7dHf" } },
  "berth-board": { "command": "berth-board", "env": { "TOKEN": "q8ZkXv2LmPw0TyRbN4sJ7dHf" } } } }"#,
    after: r#"{ "mcpServers": {
  "tide-table": { "command": "tide-table", "env": { "TOKEN": "q8ZkXv2LmPw0TyRbN4sJ7dHf" } },
  "berth-board": { "command": "berth-board", "env": { "TOKEN": "Z9yXw8Vu7Ts6Rq5Po4Nm3Lk2" } } } }"#,
    references: &["NIST SP 800-63B, 5.1.1", "CWE-1392"],
    ways: Ways::OF_SECRETS,
    check: Check::All(check),
};

/// Places named in the message.
const NAMED: usize = 4;

fn check(all: &All<'_>, out: &mut Out<'_>) {
    let mut uses: BTreeMap<&str, Vec<(EntryRef, &Analysis, &Credential)>> = BTreeMap::new();
    for (entry_ref, analysis, entry) in all.entries() {
        for credential in entry.credentials.iter().filter(|h| h.is_plaintext() && !h.trivial && h.value.text.len() >= 6)
        {
            uses.entry(credential.value.text.as_str()).or_default().push((entry_ref, analysis, credential));
        }
    }
    for places in uses.values() {
        let mut entries: Vec<_> = places.clone();
        entries.dedup_by_key(|(entry_ref, ..)| *entry_ref);
        let Some(((first_at, first_study, credential), rest)) =
            entries.split_first().filter(|(_, rest)| !rest.is_empty())
        else {
            continue;
        };
        let message: Vec<String> = rest
            .iter()
            .take(NAMED)
            .filter_map(|(entry_ref, analysis, _)| {
                let name = entry_ref.entry.and_then(|e| analysis.entries.get(e)).map(|e| e.name.text.as_str())?;
                Some(if entry_ref.analysis == first_at.analysis {
                    name.to_owned()
                } else {
                    format!("{name} in {}", analysis.document.path)
                })
            })
            .collect();
        let more =
            rest.len().checked_sub(NAMED).filter(|n| *n > 0).map_or(String::new(), |n| format!(", and {n} more"));
        let owner = |analysis: &Analysis| (analysis.document.facts.owner.clone(), analysis.document.facts.team.clone());
        let several = rest.iter().any(|(_, analysis, _)| owner(analysis) != owner(first_study));
        out.hit_in(*first_at, &credential.value)
            .arg("what", shared::what(credential))
            .arg("places", format!("{}{more}", message.join(", ")))
            .circumstance_if(several, Circumstance::Several);
    }
}
