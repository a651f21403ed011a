//! Entries for fuzzing: any bytes go in, and what must hold for all of them is asserted. `fuzz/` feeds them with a fuzzer, `tests/fuzz.rs` with
//! mutated cases.

use crate::judge::{Audit, Options, Sequential, audit};
use crate::policy::Policy;
use crate::prelude::*;
use crate::read::{Input, read};
use crate::register::{Register, Signers};
use crate::repair::repair;
use crate::understand::credential::Lexicon;
use crate::understand::{Analysis, Outcome, analyze};
use jiff::civil::date;

/// The kinds of files that the first byte chooses from.
const NAMES: &[&str] = &[
    "a.json",
    "a.yaml",
    "a.toml",
    "a.md",
    ".env",
    "Dockerfile",
    "compose.yaml",
    "grants.csv",
    "a.html",
    "a.ipynb",
    "a.txt",
    "a.sh",
    "a.ps1",
    "a.py",
    "a.rst",
];

fn input(bytes: &[u8]) -> Option<Input> {
    let (first, rest) = bytes.split_first()?;
    let name = NAMES.get(usize::from(*first) % NAMES.len())?;
    Some(Input { path: (*name).to_owned(), bytes: rest.to_vec(), ..Input::default() })
}

fn studied(input: Input, lexicon: &Lexicon) -> Option<Box<Analysis>> {
    match analyze(input, lexicon) {
        Outcome::Setup(analysis) => Some(analysis),
        _ => None,
    }
}

fn options() -> Options {
    Options::on(date(2026, 11, 28))
}

/// Reads bytes as a document: every value stands where it says, and whatever is recognised in it has the signs by which it is looked for.
///
/// # Panics
/// Where that does not hold.
pub fn read_any(bytes: &[u8]) {
    let Some(Ok(document)) = input(bytes).map(read) else { return };
    let mut open: Vec<_> = document.roots.iter().collect();
    while let Some(node) = open.pop() {
        assert!(document.text.get(node.span.range()).is_some(), "a value stands outside of its document");
        open.extend(node.items());
        open.extend(node.members().iter().map(|member| &member.value));
    }
    let missed = crate::understand::missed(&document);
    assert!(missed.is_none(), "{} has no sign of one: {}", missed.unwrap_or_default(), document.text);
}

/// Reads, understands and judges bytes as a document: no secret that is known is told.
///
/// # Panics
/// Where one is.
pub fn study_any(bytes: &[u8], lexicon: &Lexicon) {
    let Some(analysis) = input(bytes).and_then(|input| studied(input, lexicon)) else { return };
    tells_no_secret(&audit(vec![*analysis], Vec::new(), &crate::rules::all(), &options(), &Sequential));
}

/// The same of a setup that starts a line.
///
/// # Panics
/// As [`study_any`].
pub fn launch_line(line: &str, lexicon: &Lexicon) {
    let quoted = serde_json::to_string(line).unwrap_or_default();
    let text = format!(
        "\0{{ \"mcpServers\": {{ \"s\": {{ \"command\": \"bash\", \"args\": [\"-c\", {quoted}] }}, \"t\": {{ \"command\": {quoted} }} }} }}"
    );
    study_any(text.as_bytes(), lexicon);
}

/// The same of a tool that says something.
///
/// # Panics
/// As [`study_any`].
pub fn wording_text(text: &str, lexicon: &Lexicon) {
    let quoted = serde_json::to_string(text).unwrap_or_default();
    let text = format!(
        "\0{{ \"tools\": [ {{ \"name\": \"t\", \"description\": {quoted}, \"inputSchema\": {{ \"type\": \"object\" }} }} ] }}"
    );
    study_any(text.as_bytes(), lexicon);
}

/// Reads a configuration's policy, a register, signers and a signature: whatever is read of a register is written again to be read the same.
///
/// # Panics
/// Where it is not.
pub fn files_of_ours(text: &str) {
    let _policy = Policy::read(text, &crate::rules::names());
    if let Ok(register) = Register::read(text) {
        let again = Register::read(register.text());
        assert!(
            again.is_ok_and(|again| again.canonical() == register.canonical()),
            "a register is read otherwise again"
        );
    }
    let signers = Signers::read(text).unwrap_or_default();
    assert!(signers.of("", text, date(2026, 11, 28)).is_err(), "anything counts as a signature");
}

/// Mends a document: it is read again, with the same entries, and what is told of it holds no secret.
///
/// # Panics
/// Where that does not hold.
pub fn repair_any(bytes: &[u8], lexicon: &Lexicon) {
    let Some(before) = input(bytes).and_then(|input| studied(input, lexicon)) else { return };
    let mended = repair(&before, &[], &crate::rules::all(), &options());
    if mended.done.is_empty() {
        return;
    }
    let input = Input { path: before.document.path.clone(), bytes: mended.text.into_bytes(), ..Input::default() };
    let after = studied(input, lexicon);
    let names = |analysis: &Analysis| analysis.entries.iter().map(|entry| entry.name.text.clone()).collect::<Vec<_>>();
    assert!(after.as_deref().map(names) == Some(names(&before)), "a mended document is another one");
}

/// Every text of every finding, against every secret that is long enough to be told from a word.
fn tells_no_secret(audit: &Audit) {
    let secrets: Vec<&str> = audit
        .analyses
        .iter()
        .flat_map(Analysis::all_credentials)
        .map(|(_, credential)| credential)
        .filter(|credential| {
            credential.is_plaintext() && !credential.trivial && credential.value.text.chars().count() >= 8
        })
        .map(|credential| credential.value.text.as_str())
        .collect();
    for finding in &audit.findings {
        let said =
            [finding.message.as_str(), finding.fix.as_str(), finding.pointer.as_str(), finding.excerpt.text.as_str()]
                .join("\n");
        for secret in &secrets {
            assert!(!said.contains(secret), "{} tells a secret", finding.rule.id);
        }
    }
}
