//! Building an entry from what its setup says.

use super::credential::Lexicon;
use super::deploy::Made;
use super::entry::{Entry, Reach, Transport};
use super::launch::{Container, Plan, Step, StepKind, program_name, unwrap};
use super::setup::{ADDRESSES, COMMANDS, Server, transport_of};
use super::unasked::{Unasked, unasked};
use super::{entry_credentials, reach, variables};
use crate::evidence::Listing;
use crate::prelude::*;
use crate::read::{Document, Key, Member, Node, Value};
use crate::text::{Located, Pointer, Remote, normal, speaks_of_servers};

/// Understands a server that is put together from several places.
pub(super) fn of_made(document: &Document, made: &Made, lexicon: &Lexicon) -> Entry {
    let server =
        Server { name: made.name.clone(), pointer: made.pointer.clone(), node: &made.node, allowed: Arc::default() };
    let mut entry = understand(document, &server, lexicon);
    if made.builds {
        built_on(document, &mut entry);
    }
    let starts = entry.command.iter().map(|word| program_name(&word.text)).collect::<BTreeSet<_>>();
    // Scripts that are fetched while it is built run with whatever they bring, and servers that are installed then are what is started later.
    for line in &made.lines {
        let word = |text: &str| line.with_text(text);
        let plan = unwrap(&document.text, &[word("sh"), word("-c"), line.clone()]);
        let message = plan.steps.into_iter().filter(|step| match &step.kind {
            StepKind::RemoteScript(_) => true,
            StepKind::Package(package) => {
                let program = package.name.rsplit('/').next().unwrap_or(&package.name);
                speaks_of_servers(&package.name) || starts.contains(&program.to_ascii_lowercase())
            }
            StepKind::Wrapper
            | StepKind::Container(_)
            | StepKind::Script(_)
            | StepKind::Inline(_)
            | StepKind::Program => false,
        });
        if let Some(own) = &mut entry.plan {
            own.steps.splice(0..0, message.map(|step| Step { aside: true, ..step }));
        }
    }
    for image in &made.images {
        let taken = Step { aside: true, ..Step::new(image, StepKind::Container(Box::new(Container::of_image(image)))) };
        if let Some(own) = &mut entry.plan {
            own.steps.insert(0, taken);
        }
    }
    entry
}

/// An image build file starts no container engine: its base image is what is built on, and what runs is its command.
fn built_on(document: &Document, entry: &mut Entry) {
    let Some(plan) = &mut entry.plan else { return };
    let Some(at) = plan.steps.iter().position(|step| matches!(step.kind, StepKind::Container(_))) else { return };
    let last = plan.steps.len() == at + 1;
    let Some(base) = plan.steps.get_mut(at) else { return };
    if let StepKind::Container(container) = &mut base.kind {
        Container::BASE.clone_into(&mut container.engine);
    }
    // Without a command of its own it runs what its base image runs.
    if base.args.is_empty() && last {
        return;
    }
    base.aside = true;
    let command = core::mem::take(&mut base.args);
    if last {
        let own = unwrap(&document.text, &command);
        plan.steps.extend(own.steps);
        plan.variables.extend(own.variables);
        plan.not_understood = plan.not_understood.or(own.not_understood);
    }
}

/// Other ways to write the keys of a server, without their case and separators, and how this one has them.
const KEYS: &[(&str, &str)] = &[
    ("args", "args"),
    ("arguments", "args"),
    ("argv", "args"),
    ("command", "command"),
    ("disabled", "disabled"),
    ("enabled", "enabled"),
    ("env", "env"),
    ("environmentvariables", "env"),
    ("headers", "headers"),
    ("type", "type"),
    ("url", "url"),
    ("workingdirectory", "cwd"),
];

/// The key of a server as this product has it, where that is another.
fn usual(key: &str) -> Option<&'static str> {
    let normal = normal(key);
    KEYS.iter().find(|(other, _)| *other == normal).map(|(_, usual)| *usual).filter(|usual| *usual != key)
}

/// How a server is started, where that is kept apart with its variables: `command: {path, args, env}`.
fn program_of(node: &Node) -> Option<(&'static str, &Node)> {
    node.first(&["command"]).filter(|(_, command)| command.get("path").is_some())
}

/// A server that writes its keys otherwise, or keeps how it is started or called apart, with all of that as its own; what it says itself goes before.
fn flat(node: &Node, pointer: &Pointer) -> Option<Node> {
    let apart = transport_of(node).or_else(|| program_of(node));
    if apart.is_none() && !node.members().iter().any(|member| usual(&member.key.text).is_some()) {
        return None;
    }
    let named = |member: &Member, at: &Pointer| {
        let text = &member.key.text;
        let key = match (apart, usual(text)) {
            (Some(("command", _)), _) if text == "path" => "command",
            (_, Some(usual)) => usual,
            (_, None) => text,
        };
        Member { key: Key { text: key.to_owned(), ..member.key }, value: member.value.clone().placed(&at.key(text)) }
    };
    let inner = apart.map(|(key, inner)| (pointer.key(key), inner));
    let lifted = inner.iter().flat_map(|(at, inner)| inner.members().iter().map(|member| named(member, at)));
    let own = node.members().iter().filter(|member| apart.is_none_or(|(key, _)| member.key.text != key));
    let members = lifted.chain(own.map(|member| named(member, pointer))).collect();
    Some(Node { at: node.at.clone(), ..Node::new(node.span, Value::Map(members)) })
}

/// Understands one server of a document.
pub(super) fn understand(document: &Document, server: &Server<'_>, lexicon: &Lexicon) -> Entry {
    let flat = flat(server.node, &server.pointer);
    let node = flat.as_ref().unwrap_or(server.node);
    let source = document.text.as_str();
    let words = command_line(source, node, &server.pointer);
    let plan = (!words.is_empty()).then(|| unwrap(source, &words));
    let url = node.first(ADDRESSES).and_then(|(key, value)| value.located(server.pointer.key(key)));
    let target = plan.as_ref().and_then(|plan| plan.targets.first());
    let remote = url.as_ref().or(target).map(Remote::parse);
    let mut variables = variables::variables(node, &server.pointer);
    if let Some(plan) = &plan {
        variables.extend(variables::of_plan(plan));
    }
    let env_files = env_files(node, &server.pointer, plan.as_ref());
    let mut entry = Entry {
        name: server.name.clone(),
        pointer: server.pointer.clone(),
        span: node.span,
        transport: transport(node, plan.is_some(), url.as_ref()),
        command: words,
        plan,
        remote: remote.map(Box::new),
        variables,
        settings: variables::settings(node, &server.pointer),
        credentials: Vec::new(),
        unasked: unasked(node, server),
        disabled: is_disabled(node),
        cwd: node
            .first(&["cwd", "workingDirectory", "working_directory"])
            .and_then(|(key, n)| n.located(server.pointer.key(key)))
            .map(Box::new),
        env_files,
        reach: Reach::default(),
        listing: None,
        listed: None,
        known_version: None,
        known_digest: None,
        known_https: None,
    };
    entry.credentials = entry_credentials::of_entry(document, node, &entry, lexicon);
    entry.reach = reach::of(&entry);
    entry.shrink();
    entry
}

/// The entry that stands for a listing: a server of which no more is known than what it says itself.
pub(super) fn of_listing(index: usize, listing: &Listing) -> Entry {
    Entry {
        name: listing.server.clone(),
        pointer: listing.pointer.clone(),
        span: listing.span,
        transport: Transport::Unknown,
        command: Vec::new(),
        plan: None,
        remote: None,
        variables: Vec::new(),
        settings: Vec::new(),
        credentials: Vec::new(),
        unasked: Unasked::default(),
        disabled: false,
        cwd: None,
        env_files: Vec::new(),
        reach: Reach { powers: crate::evidence::powers(listing), ..Reach::default() },
        listing: Some(index),
        listed: None,
        known_version: None,
        known_digest: None,
        known_https: None,
    }
}

/// The command and its arguments with their places: `command` as text or list.
fn command_line(source: &str, node: &Node, pointer: &Pointer) -> Vec<Located> {
    let Some((key, command)) = node.first(COMMANDS) else { return Vec::new() };
    let at = pointer.key(key);
    let mut words: Vec<Located> = match &command.value {
        Value::List(items) => items.iter().enumerate().filter_map(|(i, item)| item.located(at.index(i))).collect(),
        Value::Map(_) => Vec::new(),
        Value::Text(_) | Value::Number(_) | Value::Bool(_) | Value::Null => command.located(at).into_iter().collect(),
    };
    if words.first().is_none_or(|program| program.text.trim().is_empty()) {
        return Vec::new();
    }
    words.extend(arguments(source, node, pointer));
    words
}

fn arguments(source: &str, node: &Node, pointer: &Pointer) -> Vec<Located> {
    let at = pointer.key("args");
    let Some(list) = node.get("args") else { return Vec::new() };
    match &list.value {
        Value::List(items) => items.iter().enumerate().filter_map(|(i, item)| item.located(at.index(i))).collect(),
        // Arguments in one text: the clients that take them so split them at white space.
        _ => list.located(at).iter().flat_map(|text| split(source, text)).collect(),
    }
}

fn split(source: &str, text: &Located) -> Vec<Located> {
    let mut from = 0;
    text.text
        .split_whitespace()
        .filter_map(|word| {
            let at = from + text.text.get(from..)?.find(word)?;
            from = at + word.len();
            Some(text.part(source, at..from))
        })
        .collect()
}

fn transport(node: &Node, starts: bool, url: Option<&Located>) -> Transport {
    let said = node.first(&["type", "transport", "transportType"]).and_then(|(_, t)| t.text()).map(normal);
    match said.as_deref() {
        Some("stdio" | "local") => Transport::Stdio,
        Some("sse") => Transport::Sse,
        Some("http" | "streamablehttp" | "streamable") => Transport::Http,
        _ if starts => Transport::Stdio,
        _ => match url {
            Some(url) if url.text.trim_end_matches('/').ends_with("/sse") => Transport::Sse,
            Some(_) => Transport::Http,
            None => Transport::Unknown,
        },
    }
}

fn is_disabled(node: &Node) -> bool {
    node.get("disabled").and_then(Node::truth) == Some(true)
        || node.first(&["enabled", "active", "isActive"]).and_then(|(_, n)| n.truth()) == Some(false)
}

fn env_files(node: &Node, pointer: &Pointer, plan: Option<&Plan>) -> Vec<Located> {
    let mut out: Vec<Located> =
        node.first(&["envFile", "env_file"]).and_then(|(key, n)| n.located(pointer.key(key))).into_iter().collect();
    out.extend(plan.iter().flat_map(|plan| plan.env_files.iter().cloned()));
    out
}
