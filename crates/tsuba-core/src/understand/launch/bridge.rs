//! Bridges: a server's own arguments that hold another command line, or an address to turn into a local server.
//! They are known by their shape, not by a list of products.

use super::wrappers::is_starter;
use super::{Step, StepKind, program_name};
use crate::prelude::*;
use crate::text::{Located, is_server_address};

/// What a bridge wraps.
pub(super) enum Nested {
    /// A command line as words.
    Words(Vec<Located>),
    /// A command line in one text.
    Line(Located),
    /// An address.
    Target(Located),
}

/// Options whose value is a command line.
const LINE_OPTIONS: &[&str] = &[
    "--stdio",
    "--command",
    "--cmd",
    "--exec",
    "--server-command",
    "--run",
    "-c",
    "--stdio-command",
    "--mcp-command",
    "--child",
];
/// Options whose value is the address of a server.
const TARGET_OPTIONS: &[&str] = &[
    "--sse",
    "--streamablehttp",
    "--streamable-http",
    "--http",
    "--url",
    "--server",
    "--server-url",
    "--endpoint",
    "--remote",
    "--target",
    "--mcp-url",
    "--connect",
    "--upstream",
    "-u",
    "-s",
];

/// Looks for what a step wraps.
pub(super) fn look(source: &str, step: &Step) -> Option<Nested> {
    let args = &step.args;
    // Everything behind `--`, when a program stands there.
    if let Some(at) = args.iter().position(|w| w.text == "--") {
        let rest = args.get(at + 1..).unwrap_or_default();
        if rest.first().is_some_and(|w| {
            is_starter(&program_name(&w.text))
                || (is_bridge_like(step) && !w.text.starts_with('-') && !w.text.contains("://"))
        }) {
            return Some(Nested::Words(rest.to_vec()));
        }
    }
    for (at, word) in args.iter().enumerate() {
        let before = at.checked_sub(1).and_then(|i| args.get(i)).map(|w| w.text.to_ascii_lowercase());
        let named = before.as_deref().is_some_and(|b| LINE_OPTIONS.contains(&b));
        let (inline, value) = split_option(source, word);
        let named = named || inline.as_deref().is_some_and(|o| LINE_OPTIONS.contains(&o));
        if is_line(&value.text) && (named || starts_with_starter(&value.text)) {
            return Some(Nested::Line(value));
        }
        if named && is_starter(&program_name(&value.text)) {
            let rest: Vec<Located> =
                core::iter::once(value).chain(args.get(at + 1..).unwrap_or_default().iter().cloned()).collect();
            return Some(Nested::Words(rest));
        }
    }
    // A bridge may take the command as its operands: `bridge --port 8080 uvx server`.
    if is_bridge_like(step)
        && let Some(at) = args.iter().position(|w| is_starter(&program_name(&w.text)) && !w.text.starts_with('-'))
    {
        return Some(Nested::Words(args.get(at..).unwrap_or_default().to_vec()));
    }
    // So may a program of any name, where a runner stands among its operands and something behind it.
    if let Some(at) = args.iter().position(|w| is_runner(&w.text))
        && args.len() > at + 1
        && (at == 0 || args.get(at - 1).is_some_and(|before| !before.text.starts_with('-')))
    {
        return Some(Nested::Words(args.get(at..).unwrap_or_default().to_vec()));
    }
    target(source, step).map(Nested::Target)
}

/// Programs that do nothing but start a server that is named to them; as a plain operand their names mean that.
fn is_runner(word: &str) -> bool {
    matches!(program_name(word).as_str(), "npx" | "uvx" | "bunx" | "pnpx" | "pipx" | "dnx")
}

fn target(source: &str, step: &Step) -> Option<Located> {
    let bridge_like = is_bridge_like(step);
    for (at, word) in step.args.iter().enumerate() {
        let before = at.checked_sub(1).and_then(|i| step.args.get(i)).map(|w| w.text.to_ascii_lowercase());
        let (inline, value) = split_option(source, word);
        let option = inline.or(before.filter(|b| b.starts_with('-')));
        if !(value.text.starts_with("http://") || value.text.starts_with("https://")) {
            continue;
        }
        let named = option.as_deref().is_some_and(|o| TARGET_OPTIONS.contains(&o));
        let operand = option.is_none();
        if (bridge_like && (named || operand)) || (operand && is_server_address(&value.text)) {
            return Some(value);
        }
    }
    None
}

/// `--option=value` as its two parts; any other word is a value.
fn split_option(source: &str, word: &Located) -> (Option<String>, Located) {
    match word.text.split_once('=').filter(|(name, _)| name.starts_with('-') && !name.contains(' ')) {
        Some((name, _)) => (Some(name.to_ascii_lowercase()), word.part(source, name.len() + 1..word.text.len())),
        None => (None, word.clone()),
    }
}

fn is_line(text: &str) -> bool {
    text.trim().contains(char::is_whitespace) && !text.trim_start().starts_with('-')
}

fn starts_with_starter(text: &str) -> bool {
    text.split_whitespace().next().is_some_and(|first| {
        is_starter(&program_name(first))
            && !matches!(
                first,
                "time" | "start" | "script" | "exec" | "command" | "call" | "go" | "env" | "arch" | "node"
            )
    })
}

/// Does the name of what is started say that it passes a server on?
fn is_bridge_like(step: &Step) -> bool {
    let name = match &step.kind {
        StepKind::Package(package) => package.name.to_ascii_lowercase(),
        StepKind::Container(container) => container.reference.repository.to_ascii_lowercase(),
        StepKind::Script(script) => script.text.to_ascii_lowercase(),
        StepKind::Program => step.name(),
        StepKind::Wrapper | StepKind::RemoteScript(_) | StepKind::Inline(_) => return false,
    };
    let name = name.rsplit('/').next().unwrap_or(&name);
    ["remote", "proxy", "bridge", "gateway", "relay", "tunnel", "connect", "adapter", "forward", "mcpo", "stdio"]
        .iter()
        .any(|word| name.contains(word))
}
