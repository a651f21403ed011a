use super::plaintext;
use crate::judge::{Check, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::Analysis;

pub(super) static RULE: Rule = Rule {
    id: "secret/exposed-file",
    title: "file with secrets readable by others",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "file with {count} in plaintext {how}{given}",
    why: "The file hands its secrets to people and programs that were never meant to have them: every clone, every account of the machine, every backup.",
    fix: "Take the secrets out and rotate them; then make the file readable by its owner only (mode 600) and keep it out of version control.",
    before: concat!(
        "--- tide.key untracked others-read\n-----BEGIN ",
        "PRIVATE KEY-----\nMIIEvQIBADANBgkqhkiG9w0BAQEFAASCBKcwggSjAgEAAoIBAQDq8ZkXv2LmPw0TyRbN4sJ7dHfC1gAeUoI6t9B\n-----END PRIVATE KEY-----\n"
    ),
    after: concat!(
        "--- tide.key untracked private\n-----BEGIN ",
        "PRIVATE KEY-----\nMIIEvQIBADANBgkqhkiG9w0BAQEFAASCBKcwggSjAgEAAoIBAQDq8ZkXv2LmPw0TyRbN4sJ7dHfC1gAeUoI6t9B\n-----END PRIVATE KEY-----\n"
    ),
    references: &["CWE-732", "CWE-538"],
    ways: Ways::OF_SECRETS,
    check: Check::Setup(check),
};

/// Who is handed what stands in it, the first few by name.
pub(super) fn given(analysis: &Analysis) -> String {
    const NAMED: usize = 3;
    let names: Vec<&str> = analysis.given_to.iter().map(String::as_str).collect();
    match names.as_slice() {
        [] => String::new(),
        [name] => format!("; {name} is handed it"),
        names if names.len() <= NAMED => format!("; {} are handed it", names.join(", ")),
        names => {
            let first = names.get(..NAMED).unwrap_or_default().join(", ");
            format!("; {first} and {} more are handed it", names.len() - NAMED)
        }
    }
}

fn check(analysis: &Analysis, out: &mut Out<'_>) {
    let secrets = analysis.all_credentials().filter(|(_, h)| h.is_plaintext() && !h.trivial).count();
    // Where each secret is told by itself, that the file can be read by others is told with it.
    if analysis.all_credentials().any(|(_, credential)| !credential.trivial && plaintext::tells(analysis, credential)) {
        return;
    }
    let facts = &analysis.document.facts;
    let (tracked, others) = (facts.tracked == Some(true), facts.others_read == Some(true));
    let how = match (tracked, others) {
        (true, true) => "is tracked by version control and readable by every account of the machine",
        (true, false) => "is tracked by version control",
        (false, true) => "is readable by every account of the machine",
        (false, false) => return,
    };
    if secrets > 0 {
        out.hit(&analysis.start())
            .arg("count", if secrets == 1 { "a secret".to_owned() } else { format!("{secrets} secrets") })
            .arg("how", how)
            .arg("given", given(analysis));
    }
}
