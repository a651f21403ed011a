use super::{exposed_file, shared};
use crate::judge::{All, Check, Circumstance, EntryRef, Fix, Hit, Out, Prompt, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::credential::{Place, Why};
use crate::understand::{Analysis, Credential, Entry, SetupKind};

pub(super) static RULE: Rule = Rule {
    id: "secret/plaintext",
    title: "plaintext secret",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "plaintext {what} in {place}",
    why: "Whoever reads the file, a backup, a process listing or a screen share has the key, and nobody notices. A key that was only for a demo is the one that is never rotated.",
    fix: "Rotate it where it was issued, keep the new one outside the file, and refer to it.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "tide-table", "env": { "TIDE_API_KEY": "q8ZkXv2LmPw0TyRbN4sJ7dHf", "TIDE_HOME": "${HOME}" } } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "tide-table", "env": { "TIDE_API_KEY": "${TIDE_API_KEY}", "TIDE_HOME": "${HOME}" } } } }"#,
    references: &["CWE-312", "CWE-798"],
    ways: Ways { afterwards: Some("rotate it, and set the variable where the client runs"), ..Ways::OF_SECRETS },
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (index, analysis) in all.analyses.iter().enumerate() {
        let form = form(analysis);
        for (entry, e) in analysis.entries.iter().enumerate() {
            let entry_ref = EntryRef { analysis: index, entry: Some(entry) };
            e.credentials.iter().for_each(|credential| one((analysis, form), entry_ref, credential, out));
        }
        let entry_ref = EntryRef { analysis: index, entry: None };
        analysis.credentials.iter().for_each(|credential| one((analysis, form), entry_ref, credential, out));
    }
}

/// Is a value told by this rule? A private key has a rule of its own. A dotenv file that is not tracked, and that
/// nobody else can read, is where a secret may stand.
pub(super) fn tells(analysis: &Analysis, credential: &Credential) -> bool {
    let facts = &analysis.document.facts;
    let open = facts.tracked == Some(true) || facts.others_read == Some(true);
    let may_stand = credential.place == Place::Dotenv && !open;
    credential.is_plaintext() && !matches!(credential.why, Why::PrivateKey) && !may_stand
}

fn one((analysis, form): (&Analysis, Option<Form>), entry_ref: EntryRef, credential: &Credential, out: &mut Out<'_>) {
    if !tells(analysis, credential) {
        return;
    }
    let facts = &analysis.document.facts;
    let (tracked, others) = (facts.tracked == Some(true), facts.others_read == Some(true));
    let hit = out.hit_in(entry_ref, &credential.value);
    hit.arg("what", shared::kind(credential))
        .arg("place", place(analysis, credential))
        .confidence(shared::confidence(credential));
    hit.circumstance_if(credential.weak, Circumstance::Weak)
        .circumstance_if(credential.trivial, Circumstance::WellKnown)
        .circumstance_if(tracked, Circumstance::Tracked);
    if tracked {
        hit.besides("the file is tracked by version control");
    }
    if others {
        hit.besides("every account of the machine can read the file");
    }
    let given = exposed_file::given(analysis);
    if let Some(given) = given.strip_prefix("; ").filter(|_| credential.place == Place::Dotenv) {
        hit.besides(given.to_owned());
    }
    if is_argument(analysis, entry_ref, credential) {
        hit.advice(AS_VARIABLE);
    } else if matches!(credential.place, Place::Env | Place::Header | Place::ConnectionString | Place::Setting) {
        refer(hit, (analysis, form), credential);
    }
}

/// In an argument every process listing shows what a reference stands for.
const AS_VARIABLE: &str = "Rotate it where it was issued, and hand the new one over as an environment variable instead of an argument: arguments are visible in process listings.";
/// Where nothing shows that a reference is filled in, none is written.
const UNKNOWN_FORM: &str = "Rotate it where it was issued, keep the new one outside the file, and refer to it in the form that this client expands (the file does not show which).";

/// Is it a part of a command line?
fn is_argument(analysis: &Analysis, entry_ref: EntryRef, credential: &Credential) -> bool {
    let entry = entry_ref.entry.and_then(|entry| analysis.entries.get(entry));
    matches!(credential.place, Place::Argument | Place::ShellLine)
        || entry.is_some_and(|entry| entry.command.iter().any(|word| credential.value.span.within(word.span)))
}

/// Says what to write in the place of a secret, where its client is known to fill that in.
fn refer(hit: &mut Hit, (analysis, form): (&Analysis, Option<Form>), credential: &Credential) {
    let Some(form) = form else {
        if takes_variables(analysis) {
            hit.advice(UNKNOWN_FORM);
        }
        return;
    };
    let mend = mended(form, credential);
    match &mend {
        Fix::Write(reference) => _ = hit.corrected(reference.clone()),
        Fix::Prompt(prompt) => _ = hit.corrected(format!("${{input:{}}}", prompt.id)),
        Fix::Remove => {}
    }
    if matches!(credential.place, Place::Env | Place::Header) {
        hit.fix(mend);
    }
}

/// May a variable of the environment stand in the place of a value? A compose file takes them too (Compose Specification, interpolation); image
/// build files, units and manifests of clusters have their own ways.
fn takes_variables(analysis: &Analysis) -> bool {
    matches!(analysis.kind, SetupKind::Client | SetupKind::Snippet | SetupKind::Compose | SetupKind::Candidate)
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

/// Asked once for each setup: every value is searched that its client reads. What a shell expands, or the text around a code block shows, says
/// nothing of the client.
fn form(analysis: &Analysis) -> Option<Form> {
    if !takes_variables(analysis) || analysis.document.text.contains("$env:") {
        return None;
    }
    if analysis.kind == SetupKind::Compose {
        return Some(Form::Plain);
    }
    let has = |is_reference: fn(&str) -> bool| analysis.entries.iter().any(|entry| values(entry).any(is_reference));
    match () {
        () if has(|text| text.contains("${input:")) => Some(Form::Prompt),
        () if has(|text| text.contains("${env:")) => Some(Form::EnvInDollar),
        () if has(|text| text.contains("{env:")) => Some(Form::EnvInBraces),
        () if has(has_plain_reference) => Some(Form::Plain),
        () => None,
    }
}

/// The texts of an entry that its client may fill in.
fn values(entry: &Entry) -> impl Iterator<Item = &str> {
    let lines = || entry.plan.iter().flat_map(|plan| &plan.shell_lines);
    let words = entry.command.iter().filter(move |word| !lines().any(|line| line.span.within(word.span)));
    let set = entry.variables.iter().filter(|variable| variable.place != Place::ShellLine);
    let set = set.chain(&entry.settings).map(|variable| &variable.value);
    let address = entry.remote.iter().map(|remote| &remote.url);
    words.chain(set).chain(address).chain(&entry.env_files).chain(entry.cwd.as_deref()).map(|value| value.text.as_str())
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
fn mended(form: Form, credential: &Credential) -> Fix {
    let name = variable(credential);
    match form {
        Form::Prompt => {
            let words = crate::text::words_of(&name);
            Fix::Prompt(Prompt { id: words.join("-"), description: words.join(" ") })
        }
        Form::EnvInDollar => Fix::Write(format!("${{env:{name}}}")),
        Form::EnvInBraces => Fix::Write(format!("{{env:{name}}}")),
        Form::Plain => Fix::Write(format!("${{{name}}}")),
    }
}

/// The place in words, with the name the value goes by.
fn place(analysis: &Analysis, credential: &Credential) -> String {
    let name = &credential.name;
    match credential.place {
        Place::Env => format!("environment variable {name}"),
        Place::Header => format!("header {name}"),
        Place::Setting if name.is_empty() && analysis.kind == SetupKind::Login => "the file".to_owned(),
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
fn variable(credential: &Credential) -> String {
    let words: Vec<String> = crate::text::words_of(&credential.name);
    let name = words.join("_").to_uppercase();
    match credential.place {
        Place::ConnectionString if name.is_empty() => "DB_PASSWORD".to_owned(),
        _ if name.is_empty() => "SECRET".to_owned(),
        Place::Header if name == "AUTHORIZATION" => "TOKEN".to_owned(),
        Place::ConnectionString => format!("{name}_PASSWORD"),
        _ => name,
    }
}
