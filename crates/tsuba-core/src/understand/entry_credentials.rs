//! Everything that is handed to a server, and which of it is a credential.

use super::REFERENCE;
use super::credential::{Kind, Lexicon, NameSays, Part, Place, Why};
use super::entry::{Credential, Entry};
use super::exposure::NetworkExposure;
use super::launch::{Plan, StepKind, program_name, unwrap};
use super::manifest::Manifest;
use super::permissions::Permissions;
use super::setup::Found;
use super::variables::KNOWN;
use crate::evidence::oauth::OAuthDocuments;
use crate::prelude::*;
use crate::read::{Document, Node, Notation, Value};
use crate::text::{Located, Pointer, Span, normal};

/// The credentials of an entry.
pub(super) fn of_entry(document: &Document, node: &Node, entry: &Entry, lexicon: &Lexicon) -> Vec<Credential> {
    let mut out = Vec::new();
    let source = document.text.as_str();
    for variable in &entry.variables {
        // What a cluster keeps as a secret is one, whatever it is called.
        let kept = variable.value.text.starts_with(REFERENCE);
        if variable.passed_on || kept {
            if kept || lexicon.says(&variable.name) >= NameSays::Secret {
                out.push(Credential {
                    place: variable.place,
                    name: variable.name.clone(),
                    value: variable.value.clone(),
                    kind: Kind::Reference,
                    why: Why::Name(lexicon.says(&variable.name).max(NameSays::Secret)),
                    trivial: false,
                    weak: false,
                });
            }
            continue;
        }
        judge(source, lexicon, &variable.name, variable.place, &variable.value, &mut out);
    }
    if let Some(plan) = &entry.plan {
        arguments(source, lexicon, plan, &mut out);
    }
    if let Some(remote) = entry.remote.as_ref().filter(|r| entry.plan.is_none() || r.url.pointer != entry.pointer) {
        judge(source, lexicon, "", Place::Url, &remote.url, &mut out);
    }
    settings(source, lexicon, node, &entry.pointer, 0, &mut out);
    dedup(out)
}

/// Other settings of an entry: only what its name or its format calls a secret.
fn settings(source: &str, lexicon: &Lexicon, node: &Node, pointer: &Pointer, depth: usize, out: &mut Vec<Credential>) {
    if depth > 4 {
        return;
    }
    for member in node.effective().filter(|m| depth > 0 || !KNOWN.contains(&m.key.text.as_str())) {
        let at = pointer.key(&member.key.text);
        // What something must amount to is written down to be compared.
        if matches!(
            normal(&member.key.text).as_str(),
            "integrity" | "checksum" | "checksums" | "digest" | "hash" | "hashes"
        ) {
            continue;
        }
        match &member.value.value {
            Value::Map(_) => settings(source, lexicon, &member.value, &at, depth + 1, out),
            Value::List(items) => {
                for (index, item) in items.iter().enumerate() {
                    if let Some(value) = item.located(at.index(index)) {
                        judge(source, lexicon, "", Place::Setting, &value, out);
                    }
                }
            }
            Value::Text(_) => {
                if let Some(value) = member.value.located(at) {
                    judge(source, lexicon, &member.key.text, Place::Setting, &value, out);
                }
            }
            Value::Null | Value::Bool(_) | Value::Number(_) => {}
        }
    }
}

/// The arguments of every step: `--token X`, `--token=X`, `NAME=X`, headers, addresses, bare tokens.
fn arguments(source: &str, lexicon: &Lexicon, plan: &Plan, out: &mut Vec<Credential>) {
    let in_shell =
        |word: &Located| plan.shell_lines.iter().any(|line| word.span.within(line.span) && word.span != line.span);
    let mut follow = |words: &[Located], whose: &str| {
        let mut before: Option<&Located> = None;
        for word in words {
            let place = if in_shell(word) { Place::ShellLine } else { Place::Argument };
            argument(source, lexicon, whose, before, word, place, out);
            if let Some(first) = before {
                split(source, lexicon, first, word, place, out);
            }
            before = Some(word);
        }
    };
    for step in &plan.steps {
        // A container's options hold variables, judged under their own names, and mounts and ports, which hold no credential.
        let name = step.name();
        let whose = if matches!(step.kind, StepKind::Container(_)) { "container" } else { &name };
        follow(&step.options, whose);
        // A server is mostly called like the program whose options it takes.
        let whose = match &step.kind {
            StepKind::Package(package) => package.name.as_str(),
            StepKind::Program | StepKind::Wrapper => &name,
            _ => "",
        };
        follow(&step.args, whose);
    }
    for words in &plan.passing {
        let program = words.first().map(|w| program_name(&w.text)).unwrap_or_default();
        follow(words.get(1..).unwrap_or_default(), &program);
    }
    for step in &plan.steps {
        match &step.kind {
            StepKind::Inline(text) | StepKind::Script(text) | StepKind::RemoteScript(text) => {
                judge(source, lexicon, "", Place::ShellLine, text, out);
            }
            // A repository's or archive's address may hold a login.
            StepKind::Package(package) if package.spec.text.contains("://") => {
                judge(source, lexicon, "", Place::Argument, &package.spec, out);
            }
            StepKind::Package(_) | StepKind::Container(_) | StepKind::Wrapper | StepKind::Program => {}
        }
    }
}

/// A token that stands in two words, by mistake or to go unseen.
fn split(source: &str, lexicon: &Lexicon, first: &Located, second: &Located, place: Place, out: &mut Vec<Credential>) {
    /// The longest token that is put together again (bytes), on each side.
    const MAX_HALF: usize = 512;
    let (one, other) = (first.text.as_str(), second.text.as_str());
    let from = crate::text::boundary(one, one.len().saturating_sub(MAX_HALF));
    let (one, other) = (one.get(from..).unwrap_or_default(), crate::text::head(other, MAX_HALF));
    if one.is_empty() || one.starts_with('-') || other.starts_with('-') {
        return;
    }
    let both = format!("{one}{other}");
    for (range, why) in
        lexicon.tokens(&both).into_iter().filter(|(range, _)| range.start < one.len() && range.end > one.len())
    {
        let halves =
            [first.part(source, from + range.start..first.text.len()), second.part(source, 0..range.end - one.len())];
        let known = |half: &Located| {
            out.iter().any(|credential| credential.is_plaintext() && half.span.within(credential.value.span))
        };
        let new: Vec<Located> = halves.into_iter().filter(|half| !known(half)).collect();
        out.extend(new.into_iter().map(|value| Credential {
            place,
            name: String::new(),
            value,
            kind: Kind::Plaintext,
            why: why.clone(),
            trivial: false,
            weak: false,
        }));
    }
}

/// Options whose value is a header.
const HEADER_OPTIONS: &[&str] = &["--header", "-H", "--headers", "-h"];
/// Options whose value is `user:password`.
const LOGIN_OPTIONS: &[&str] = &["--auth", "--basic-auth", "--credentials", "--login", "--proxy-user", "--basic"];

fn argument(
    source: &str,
    lexicon: &Lexicon,
    whose: &str,
    before: Option<&Located>,
    word: &Located,
    place: Place,
    out: &mut Vec<Credential>,
) {
    let text = word.text.as_str();
    let before = before.map(|b| b.text.as_str()).filter(|b| b.starts_with('-') && !b.contains('='));
    if whose == "container"
        && matches!(before, Some("-e" | "--env" | "-v" | "--volume" | "--mount" | "-p" | "--publish"))
    {
        return;
    }
    if let Some(at) = login_in(whose, before, text) {
        let login = text.get(at..).and_then(|login| login.split_once(':')).filter(|_| is_fetcher(whose));
        let at = login.map_or(at, |(user, _)| at + user.len() + 1);
        return judge(source, lexicon, "password", place, &word.part(source, at..text.len()), out);
    }
    // `--option value`, `--option=value`, `--option:value`, `/option:value`: the value is judged under the option's name.
    let names = |option: &str| match option.strip_prefix('/') {
        // What begins so is a path, unless it says what it is.
        Some(name) => is_name(name) && lexicon.says(name) >= NameSays::Secret,
        None => option.starts_with('-') && is_name(option.trim_start_matches('-')),
    };
    let inline = text.find(['=', ':']).filter(|at| text.get(..*at).is_some_and(names));
    let option = inline.and_then(|at| text.get(..at)).or(before);
    let at = inline.map_or(0, |at| at + 1);
    let value = text.get(at..).unwrap_or_default();
    // A header in one argument: `Authorization: Bearer …`, also with `:` alone and a variable inside.
    let is_header = option.is_some_and(|o| HEADER_OPTIONS.contains(&o));
    if (is_header || looks_like_header(value))
        && let Some((name, content)) = value.split_once([':', '='])
    {
        let lead = content.len() - content.trim_start().len();
        let part = word.part(source, at + name.len() + 1 + lead..text.len());
        return judge(source, lexicon, name.trim_matches(['"', '\'', '{']), Place::Header, &part, out);
    }
    let asks = |o: &str| LOGIN_OPTIONS.contains(&o) || (is_fetcher(whose) && matches!(o, "-u" | "--user"));
    let is_login = option.is_some_and(asks);
    if let Some((user, _)) = value.split_once(':').filter(|_| is_login && !value.contains("://")) {
        let part = word.part(source, at + user.len() + 1..text.len());
        return judge(source, lexicon, "password", place, &part, out);
    }
    if inline.is_some() {
        let name = option.unwrap_or_default().trim_start_matches(['-', '/']);
        // Versions are pinned, too: by a number of digits alone a person is let in.
        let pin = name.rsplit(['-', '_']).next() == Some("pin")
            && value.len() >= 4
            && value.bytes().all(|b| b.is_ascii_digit());
        let name = if pin { "password" } else { name };
        return judge(source, lexicon, name, place, &word.part(source, at..text.len()), out);
    }
    // `NAME=value`; a value of its own behind an option that asks for a secret may hold the sign too.
    let asked = option.is_some_and(|o| lexicon.says(o) >= NameSays::Secret);
    if let Some((name, _)) = text.split_once('=').filter(|(name, rest)| !asked && !rest.is_empty() && is_name(name)) {
        return judge(source, lexicon, name, place, &word.part(source, name.len() + 1..text.len()), out);
    }
    // A private key begins with dashes as well.
    if text.starts_with('-') && !text.contains("://") && !text.starts_with("-----BEGIN ") {
        return;
    }
    judge(source, lexicon, option.map_or("", |o| o.trim_start_matches('-')), place, word, out);
}

/// Programs that take a password behind a short option, the option, and whether it stands in the same word, in the next, or in either.
const PASSWORD_OPTIONS: &[(&str, &str, (bool, bool))] = &[
    ("7z", "-p", (true, false)),
    ("ldapsearch", "-w", (true, true)),
    ("mariadb", "-p", (true, false)),
    ("mongo", "-p", (false, true)),
    ("mongosh", "-p", (false, true)),
    ("mysql", "-p", (true, false)),
    ("mysqladmin", "-p", (true, false)),
    ("mysqldump", "-p", (true, false)),
    ("redis-cli", "-a", (true, true)),
    ("sqlcmd", "-P", (true, true)),
    ("sshpass", "-p", (true, true)),
    ("unzip", "-P", (true, true)),
];

/// Where in a word a password, or a login, begins that a short option of this program asks for.
fn login_in(whose: &str, before: Option<&str>, text: &str) -> Option<usize> {
    if is_fetcher(whose) && text.starts_with("-u") && !text.starts_with("-u=") && text.contains(':') {
        return Some(2);
    }
    let of = |program: &str| whose == program || whose.split(['-', '_', '/', '.']).any(|word| word == program);
    let (program, option, (same, next)) = PASSWORD_OPTIONS.iter().find(|(program, ..)| of(program))?;
    // A package's options may be its own: `-path`, `-p3306`. What looks made is a password.
    let made = text.len() >= 10
        && text.bytes().any(|b| b.is_ascii_digit())
        && text.bytes().skip(2).any(|b| b.is_ascii_uppercase());
    if whose != *program && !made {
        return None;
    }
    if *next && before == Some(option) {
        return Some(0);
    }
    (*same && text.len() > option.len() && text.starts_with(option)).then_some(option.len())
}

fn is_fetcher(program: &str) -> bool {
    matches!(program, "curl" | "wget" | "http" | "https" | "xh")
}

/// A variable's or option's name; a piece of base64 is none.
fn is_name(text: &str) -> bool {
    text.starts_with(|c: char| c.is_alphabetic() || c == '_')
        && text.chars().all(|c| c.is_alphanumeric() || "_.-".contains(c))
}

fn looks_like_header(text: &str) -> bool {
    let Some((name, _)) = text.split_once(':') else { return false };
    matches!(
        name.to_ascii_lowercase().as_str(),
        "authorization" | "x-api-key" | "api-key" | "cookie" | "proxy-authorization" | "x-auth-token"
    )
}

/// What a value that is handed over under a name holds of credentials.
pub(super) fn judge(
    source: &str,
    lexicon: &Lexicon,
    name: &str,
    place: Place,
    value: &Located,
    out: &mut Vec<Credential>,
) {
    let found = lexicon.judge(name, place, &value.text);
    if found.is_empty() {
        return;
    }
    let parts = value.parts(source);
    for Part { range, kind, why, trivial, weak, place: inner } in found {
        let place = match (place, inner) {
            (Place::Dotenv, _) | (_, None) => place,
            (_, Some(inner)) => inner,
        };
        out.push(Credential { place, name: name.to_owned(), value: parts.part(range), kind, why, trivial, weak });
    }
}

/// One value may be seen twice (an address in an argument that a bridge turns into a server): the first view stays.
fn dedup(credentials: Vec<Credential>) -> Vec<Credential> {
    let mut seen = BTreeSet::new();
    credentials.into_iter().filter(|h| seen.insert((h.value.span, h.value.text.clone()))).collect()
}

/// Values of a document that belong to no entry: the lines of a dotenv file, the defaults of input prompts, and catalogued
/// tokens anywhere else in it (other settings, comments).
pub(super) fn loose(
    document: &Document,
    found: &Found<'_>,
    entries: &[Entry],
    (oauth_documents, exposure, permissions, manifest): (
        &OAuthDocuments,
        &NetworkExposure,
        &Permissions,
        Option<&Manifest>,
    ),
    lexicon: &Lexicon,
) -> Vec<Credential> {
    let mut out = Vec::new();
    let source = document.text.as_str();
    if document.notation == Notation::Dotenv {
        for member in document.roots.iter().flat_map(Node::effective) {
            if let Some(value) = member.value.located(Pointer::root().key(&member.key.text)) {
                judge(source, lexicon, &member.key.text, Place::Dotenv, &value, &mut out);
            }
        }
    }
    for (pointer, inputs) in &found.inputs {
        for (index, input) in inputs.items().iter().enumerate() {
            let name = input.get("id").and_then(Node::text).unwrap_or_default();
            let password = input.get("password").and_then(Node::truth) == Some(true);
            let name = if password { format!("{name} password") } else { name.to_owned() };
            if let Some(value) = input.get("default").and_then(|n| n.located(pointer.index(index).key("default"))) {
                judge(source, lexicon, &name, Place::Setting, &value, &mut out);
            }
        }
    }
    for key in &exposure.keys {
        judge(source, lexicon, "key", Place::Setting, key, &mut out);
    }
    // What runs by itself is handed secrets like a server.
    let scripts = manifest.into_iter().flat_map(|manifest| &manifest.scripts).map(|(_, script)| script);
    for line in permissions.hooks.iter().map(|hook| &hook.command).chain(scripts) {
        let word = |text: &str| line.with_text(text);
        let plan = unwrap(source, &[word("sh"), word("-c"), line.clone()]);
        arguments(source, lexicon, &plan, &mut out);
    }
    let routes = || exposure.cluster.iter().flat_map(|cluster| &cluster.routes).map(|route| &route.host);
    for host in routes() {
        matched(source, lexicon, host, &mut out);
    }
    let routes = routes().filter(|host| host.text.contains("://"));
    for address in manifest.into_iter().flat_map(|manifest| &manifest.addresses).chain(routes) {
        judge(source, lexicon, "", Place::Url, address, &mut out);
    }
    // What an entry is handed from here is told of the entry.
    let credential: BTreeSet<Span> =
        entries.iter().flat_map(|entry| &entry.credentials).map(|one| one.value.span).collect();
    let logins = exposure.gateway.iter().flat_map(|gateway| &gateway.logins);
    let kept = exposure.secrets.iter().filter(|(_, secret)| !credential.contains(&secret.span));
    for (name, secret) in oauth_documents.secrets.iter().chain(logins).chain(kept) {
        judge(source, lexicon, name, Place::Setting, secret, &mut out);
    }
    for address in oauth_documents.telling_addresses() {
        judge(source, lexicon, "", Place::Url, address, &mut out);
    }
    elsewhere(source, lexicon, (entries, &oauth_documents.statements), &mut out);
    dedup(out)
}

/// What a proxy's rule compares a header or a parameter with: Header(`NAME`, `VALUE`).
fn matched(source: &str, lexicon: &Lexicon, rule: &Located, out: &mut Vec<Credential>) {
    const CALLS: [&str; 5] = ["Header(", "Headers(", "HeaderRegexp(", "HeadersRegexp(", "Query("];
    // Followed once: a rule may be as long as its file.
    let parts = rule.parts(source);
    let quotes: Vec<usize> = rule.text.match_indices('`').map(|(at, _)| at).collect();
    for quoted in quotes.windows(4) {
        let &[first, end, start, last] = quoted else { continue };
        let part = |from: usize, to: usize| rule.text.get(from..to).unwrap_or_default();
        if CALLS.iter().any(|call| part(0, first).trim_end().ends_with(call)) && part(end + 1, start).trim() == "," {
            let value = parts.part(start + 1..last);
            judge(source, lexicon, part(first + 1, end), Place::Header, &value, out);
        }
    }
}

/// Prompts that ask for a secret, by their name or the beginning of what they say, and do not hide what is typed.
pub(super) fn unmarked(found: &Found<'_>, lexicon: &Lexicon) -> Vec<Located> {
    /// What is asked for is said at the beginning; what it is for follows.
    const WORDS: usize = 4;
    let mut out = Vec::new();
    for (pointer, inputs) in &found.inputs {
        for (index, input) in inputs.items().iter().enumerate() {
            let text = |key: &str| input.get(key).and_then(Node::text);
            let hidden = input.get("password").and_then(Node::truth) == Some(true);
            if hidden || text("type").is_some_and(|kind| kind != "promptString") {
                continue;
            }
            let said: Vec<&str> = text("description").unwrap_or_default().split_whitespace().take(WORDS).collect();
            let about = said.first().is_some_and(|first| lexicon.says(first) == NameSays::About);
            let secret = |name: &str| lexicon.says(name) >= NameSays::Secret;
            if text("id").is_some_and(secret) || !about && secret(&said.join(" ")) {
                out.extend(input.get("id").and_then(|id| id.located(pointer.index(index).key("id"))));
            }
        }
    }
    out
}

/// Tokens of known forms in the text that nothing else has accounted for.
fn elsewhere(
    source: &str,
    lexicon: &Lexicon,
    (entries, statements): (&[Entry], &[Located]),
    out: &mut Vec<Credential>,
) {
    let own = entries.iter().flat_map(|e| &e.credentials).chain(out.iter()).map(|credential| credential.value.span);
    // What vouches for metadata is there to be read.
    let mut known: Vec<Span> = own.chain(statements.iter().map(|statement| statement.span)).collect();
    known.sort_unstable();
    // A setup is small; what follows behind this in a file that is not is searched only inside its entries.
    const SEARCHED: usize = 8 * 1024 * 1024;
    let mut end = source.len().min(SEARCHED);
    while !source.is_char_boundary(end) {
        end -= 1;
    }
    let source = source.get(..end).unwrap_or(source);
    for (range, why) in lexicon.tokens(source) {
        let (span, token) = (Span::new(range.start, range.end), source.get(range).unwrap_or_default());
        let next = known.partition_point(|k| k.end <= span.start);
        if known.get(next).is_some_and(|k| k.start < span.end) {
            continue;
        }
        out.push(Credential {
            place: Place::Setting,
            name: String::new(),
            value: Located { text: token.to_owned(), span, pointer: Pointer::root() },
            kind: Kind::Plaintext,
            why,
            trivial: false,
            weak: false,
        });
    }
}
