use super::shared;
use crate::judge::{All, Check, Circumstance, Hit, Out, Prompt, Repair, Rule, Stands, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::credential::{Place, Why};
use crate::understand::{Handed, SetupKind, Study};

pub(super) static RULE: Rule = Rule {
    id: "secret/plaintext",
    title: "plaintext secret",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    says: "plaintext {what} in {place}",
    why: "Whoever reads the file, a backup, a process listing or a screen share has the key, and nobody notices. A key that was only for a demo is the one that is never rotated.",
    fix: "Rotate it where it was issued, keep the new one outside the file, and refer to it.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "tide-table", "env": { "TIDE_API_KEY": "q8ZkXv2LmPw0TyRbN4sJ7dHf", "TIDE_HOME": "${HOME}" } } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "tide-table", "env": { "TIDE_API_KEY": "${TIDE_API_KEY}", "TIDE_HOME": "${HOME}" } } } }"#,
    references: &["CWE-312", "CWE-798"],
    ways: Ways { afterwards: Some("rotate it, and set the variable where the client runs"), ..Ways::OF_SECRETS },
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (index, study) in all.studies.iter().enumerate() {
        let form = form(study);
        for (entry, e) in study.entries.iter().enumerate() {
            let stands = Stands { study: index, entry: Some(entry) };
            e.handed.iter().for_each(|handed| one((study, form), stands, handed, out));
        }
        let stands = Stands { study: index, entry: None };
        study.handed.iter().for_each(|handed| one((study, form), stands, handed, out));
    }
}

/// Is a value told by this rule? A private key has a rule of its own. A dotenv file that is not tracked is where a secret may stand.
pub(super) fn tells(study: &Study, handed: &Handed) -> bool {
    let tracked = study.document.facts.tracked == Some(true);
    let may_stand = handed.place == Place::Dotenv && !tracked;
    handed.is_plaintext() && !matches!(handed.why, Why::PrivateKey) && !may_stand
}

fn one((study, form): (&Study, Option<Form>), stands: Stands, handed: &Handed, out: &mut Out<'_>) {
    if !tells(study, handed) {
        return;
    }
    let facts = &study.document.facts;
    let (tracked, others) = (facts.tracked == Some(true), facts.others_read == Some(true));
    let hit = out.hit_in(stands, &handed.value);
    hit.word("what", shared::kind(handed)).word("place", place(handed)).sure(shared::confidence(handed));
    hit.because_if(handed.weak, Circumstance::Weak)
        .because_if(handed.trivial, Circumstance::WellKnown)
        .because_if(tracked, Circumstance::Tracked);
    if tracked {
        hit.besides("the file is tracked by version control");
    }
    if others {
        hit.besides("every account of the machine can read the file");
    }
    if is_argument(study, stands, handed) {
        hit.advice(AS_VARIABLE);
    } else if matches!(handed.place, Place::Env | Place::Header | Place::ConnectionString | Place::Setting) {
        refer(hit, (study, form), handed);
    }
}

/// In an argument every process listing shows what a reference stands for.
const AS_VARIABLE: &str = "Rotate it where it was issued, and hand the new one over as an environment variable instead of an argument: arguments are visible in process listings.";
/// Where nothing shows that a reference is filled in, none is written.
const UNKNOWN_FORM: &str = "Rotate it where it was issued, keep the new one outside the file, and refer to it in the form that this client expands (the file does not show which).";

/// Is it a part of a command line?
fn is_argument(study: &Study, stands: Stands, handed: &Handed) -> bool {
    let entry = stands.entry.and_then(|entry| study.entries.get(entry));
    matches!(handed.place, Place::Argument | Place::ShellLine)
        || entry.is_some_and(|entry| entry.command.iter().any(|word| handed.value.span.within(word.span)))
}

/// Says what to write in the place of a secret, where its client is known to fill that in.
fn refer(hit: &mut Hit, (study, form): (&Study, Option<Form>), handed: &Handed) {
    let Some(form) = form else {
        if takes_variables(study) {
            hit.advice(UNKNOWN_FORM);
        }
        return;
    };
    let mend = mended(form, handed);
    match &mend {
        Repair::Write(reference) => _ = hit.corrected(reference.clone()),
        Repair::Prompt(prompt) => _ = hit.corrected(format!("${{input:{}}}", prompt.id)),
        Repair::TakeOut => {}
    }
    if matches!(handed.place, Place::Env | Place::Header) {
        hit.mend(mend);
    }
}

/// May a variable of the environment stand in the place of a value? A compose file takes them too (Compose Specification, interpolation); image
/// build files, units and manifests of clusters have their own ways.
fn takes_variables(study: &Study) -> bool {
    matches!(study.kind, SetupKind::Client | SetupKind::Snippet | SetupKind::Compose | SetupKind::Candidate)
}

/// The form of references that a setup's client is known to fill in: the one that it has already, or that its kind of file has.
#[derive(Clone, Copy)]
enum Form {
    /// It has prompts of its own, and asks by another.
    Prompt,
    /// `${env:NAME}`
    EnvInDollar,
    /// `{env:NAME}`
    EnvInBraces,
    /// `${NAME}`; of a compose file, in any case (Compose Specification, interpolation).
    Plain,
}

/// Asked once for each setup: its whole text is searched.
fn form(study: &Study) -> Option<Form> {
    let text = study.document.text.as_str();
    if !takes_variables(study) || text.contains("$env:") {
        return None;
    }
    match () {
        () if study.kind == SetupKind::Compose => Some(Form::Plain),
        () if text.contains("${input:") => Some(Form::Prompt),
        () if text.contains("${env:") => Some(Form::EnvInDollar),
        () if text.contains("{env:") => Some(Form::EnvInBraces),
        () if has_plain_reference(text) => Some(Form::Plain),
        () => None,
    }
}

/// `${NAME}` or `${NAME:-default}` of a variable of the environment; `${workspaceFolder}` and its like are the client's own.
fn has_plain_reference(text: &str) -> bool {
    text.match_indices("${").any(|(at, _)| {
        let name = text.get(at + 2..).unwrap_or_default();
        let end = name.find(|c: char| !(c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_'));
        end.is_some_and(|end| {
            end > 0 && name.get(end..).is_some_and(|rest| rest.starts_with('}') || rest.starts_with(":-"))
        })
    })
}

/// The secret as a reference of that form.
fn mended(form: Form, handed: &Handed) -> Repair {
    let name = variable(handed);
    match form {
        Form::Prompt => {
            let words = crate::text::words_of(&name);
            Repair::Prompt(Prompt { id: words.join("-"), description: words.join(" ") })
        }
        Form::EnvInDollar => Repair::Write(format!("${{env:{name}}}")),
        Form::EnvInBraces => Repair::Write(format!("{{env:{name}}}")),
        Form::Plain => Repair::Write(format!("${{{name}}}")),
    }
}

/// The place in words, with the name the value goes by.
fn place(handed: &Handed) -> String {
    let name = &handed.name;
    match handed.place {
        Place::Env => format!("environment variable {name}"),
        Place::Header => format!("header {name}"),
        Place::Setting if name.is_empty() => "the file, beside the servers' own settings".to_owned(),
        Place::Setting => format!("setting {name}"),
        Place::Dotenv => format!("dotenv variable {name}"),
        Place::Argument => "an argument, visible in process listings".to_owned(),
        Place::ShellLine => "a shell line".to_owned(),
        Place::Url => "a URL".to_owned(),
        Place::ConnectionString => "a connection string".to_owned(),
    }
}

/// A variable's name for the reference that replaces the secret.
fn variable(handed: &Handed) -> String {
    let words: Vec<String> = crate::text::words_of(&handed.name);
    let name = words.join("_").to_uppercase();
    match handed.place {
        Place::ConnectionString if name.is_empty() => "DB_PASSWORD".to_owned(),
        _ if name.is_empty() => "SECRET".to_owned(),
        Place::Header if name == "AUTHORIZATION" => "TOKEN".to_owned(),
        Place::ConnectionString => format!("{name}_PASSWORD"),
        _ => name,
    }
}
