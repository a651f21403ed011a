//! Shell lines, through a real grammar: assignments, pipes, lists, `exec`, quoting, substitutions.
//!
//! The grammar recovers from errors, so a hostile or broken line gives what can be understood of it and never fails.

use crate::prelude::*;
use crate::text::{Located, Parts};
use core::ops::{ControlFlow, Range};
use tree_sitter::{Node, ParseOptions, ParseState, Parser, Tree};

/// A simple command of a shell line.
#[derive(Debug)]
pub(super) struct Command {
    /// `NAME=value` before the command, or alone.
    pub(super) assignments: Vec<(String, Located)>,
    /// The command and its arguments, unquoted; each with its exact place.
    pub(super) words: Vec<Located>,
    /// Is its output the input of the next command?
    pub(super) piped_on: bool,
    /// Addresses fetched by a substitution inside the words (`sh -c "$(curl …)"`, `bash <(curl …)`).
    pub(super) substituted: Vec<Vec<Located>>,
}

/// Lines longer than this (bytes) are not parsed.
const MAX_LINE: usize = 256 * 1024;
/// A longer one (bytes) is given up where it is not a shell's: the grammar's way out of an error takes the square of what came before.
const MAX_BROKEN_LINE: usize = 4 * 1024;
/// Likewise one that opens more heredocs, substitutions, groups and pipes: the grammar keeps them all at hand.
const MAX_OPENED: usize = 256;
/// More commands than this in one line are not looked at.
const MAX_COMMANDS: usize = 256;

/// The simple commands of a shell line in the order they are written; `None` when the line is too long.
pub(super) fn commands(source: &str, line: &Located) -> Option<Vec<Command>> {
    if line.text.len() > MAX_LINE || opened(&line.text) > MAX_OPENED {
        return None;
    }
    let tree = parsed(&line.text)?;
    let parts = line.parts(source);
    let mut out = Vec::new();
    // Iterative: the depth of the tree is the writer's choice. With each node, whether its output goes on through a pipe: asked from below, the
    // whole tree would be gone through for every node.
    let mut stack = vec![(tree.root_node(), false)];
    while let Some((node, piped_on)) = stack.pop() {
        if out.len() >= MAX_COMMANDS {
            break;
        }
        match node.kind() {
            "command" => out.push(command(&parts, node, piped_on)),
            "declaration_command" | "variable_assignment" | "variable_assignments" => {
                out.push(assignments(&parts, node))
            }
            "command_substitution" | "process_substitution" | "comment" | "heredoc_body" => {}
            _ => {
                let mut cursor = node.walk();
                let children: Vec<Node<'_>> = node.named_children(&mut cursor).collect();
                let last = children.len().saturating_sub(1);
                // A redirection wraps the command before the pipeline does.
                let goes_on = |at: usize| match node.kind() {
                    "pipeline" => at < last,
                    "redirected_statement" => piped_on,
                    _ => false,
                };
                stack.extend(children.into_iter().enumerate().map(|(at, child)| (child, goes_on(at))).rev());
            }
        }
    }
    Some(out)
}

/// What a line opens or goes on with, whether or not that is closed.
fn opened(line: &str) -> usize {
    let count = |sign: &str| memchr::memmem::find_iter(line.as_bytes(), sign).count();
    count("<<") * 4 + count("(") + count("`") / 2 + count("${") + count("|")
}

fn parsed(line: &str) -> Option<Tree> {
    let mut parser = Parser::new();
    parser.set_language(&tree_sitter_bash::LANGUAGE.into()).ok()?;
    let mut hopeless = |state: &ParseState| match state.has_error() && line.len() > MAX_BROKEN_LINE {
        true => ControlFlow::Break(()),
        false => ControlFlow::Continue(()),
    };
    let options = ParseOptions::new().progress_callback(&mut hopeless);
    parser.parse_with_options(&mut |at, _| line.as_bytes().get(at..).unwrap_or_default(), None, Some(options))
}

fn command(parts: &Parts<'_>, node: Node<'_>, piped_on: bool) -> Command {
    let mut out = Command { assignments: Vec::new(), words: Vec::new(), piped_on, substituted: Vec::new() };
    let mut cursor = node.walk();
    for child in node.named_children(&mut cursor) {
        match child.kind() {
            "variable_assignment" => out.assignments.extend(assignment(parts, child)),
            _ if !is_word(child) => {}
            _ => {
                substitutions(parts, child, &mut out.substituted);
                out.words.push(word(parts, child));
            }
        }
    }
    out
}

/// Is this a word of a command, and no setting, redirection or comment?
fn is_word(node: Node<'_>) -> bool {
    let other = ["variable_assignment", "file_redirect", "herestring_redirect", "heredoc_redirect", "comment"];
    !other.contains(&node.kind())
}

fn assignments(parts: &Parts<'_>, node: Node<'_>) -> Command {
    let mut found = Vec::new();
    if node.kind() == "variable_assignment" {
        found.extend(assignment(parts, node));
    }
    let mut cursor = node.walk();
    for child in node.named_children(&mut cursor).filter(|c| c.kind() == "variable_assignment") {
        found.extend(assignment(parts, child));
    }
    Command { assignments: found, words: Vec::new(), piped_on: false, substituted: Vec::new() }
}

fn assignment(parts: &Parts<'_>, node: Node<'_>) -> Option<(String, Located)> {
    let name = node.child_by_field_name("name")?;
    let name = parts.whole().text.get(name.byte_range())?.to_owned();
    let value = match node.child_by_field_name("value") {
        Some(value) => word(parts, value),
        None => parts.part(node.end_byte()..node.end_byte()),
    };
    Some((name, value))
}

/// The commands inside `$( … )`, `` ` … ` `` and `<( … )` of a word.
fn substitutions(parts: &Parts<'_>, node: Node<'_>, out: &mut Vec<Vec<Located>>) {
    let mut stack = vec![(node, false)];
    while let Some((node, inside)) = stack.pop() {
        if out.len() >= MAX_COMMANDS {
            return;
        }
        let inside = inside || matches!(node.kind(), "command_substitution" | "process_substitution");
        if inside && node.kind() == "command" {
            // What is substituted in there is not run by this line's command: its words are enough.
            let mut cursor = node.walk();
            let words = node.named_children(&mut cursor).filter(|child| is_word(*child));
            out.push(words.map(|child| word(parts, child)).collect());
            continue;
        }
        let mut cursor = node.walk();
        stack.extend(node.named_children(&mut cursor).map(|child| (child, inside)));
    }
}

fn word(parts: &Parts<'_>, node: Node<'_>) -> Located {
    let range: Range<usize> = node.byte_range();
    let raw = parts.whole().text.get(range.clone()).unwrap_or_default();
    let whole = parts.part(range.clone());
    let text = unquote(raw);
    if text == raw {
        return whole;
    }
    // Quotes around the whole word are set aside in the place too.
    let inner = raw.len() >= 2 && raw.get(1..raw.len() - 1) == Some(text.as_str());
    if inner { parts.part(range.start + 1..range.end - 1) } else { whole.with_text(text) }
}

/// Removes quoting; expansions stay as written.
fn unquote(raw: &str) -> String {
    let mut out = String::with_capacity(raw.len());
    let mut quote = None;
    let mut chars = raw.chars().peekable();
    while let Some(c) = chars.next() {
        match (quote, c) {
            (None, '\'' | '"') => quote = Some(c),
            (Some(open), c) if c == open => quote = None,
            (Some('\''), c) => out.push(c),
            (Some(_), '\\') => match chars.peek() {
                Some(next @ ('"' | '\\' | '$' | '`')) => {
                    out.push(*next);
                    chars.next();
                }
                _ => out.push('\\'),
            },
            (None, '\\') => out.extend(chars.next().filter(|n| *n != '\n')),
            (_, c) => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::{Pointer, Span};

    fn run(line: &str) -> Vec<String> {
        let located = Located { text: line.into(), span: Span::new(0, line.len()), pointer: Pointer::root() };
        let commands = commands(line, &located).unwrap();
        for word in commands.iter().flat_map(|c| &c.words) {
            assert!(line.get(word.span.range()).is_some());
        }
        commands
            .iter()
            .map(|c| {
                let set: String = c.assignments.iter().map(|(n, v)| format!("{n}={} ", v.text)).collect();
                let words: Vec<_> = c.words.iter().map(|w| w.text.as_str()).collect();
                format!("{set}{}{}", words.join("·"), if c.piped_on { "|" } else { "" })
            })
            .collect()
    }

    #[test]
    fn lines_are_taken_apart_as_a_shell_does() {
        for (line, want) in [
            ("npx -y tide", vec!["npx·-y·tide"]),
            ("cd /srv && exec npx 'a b' \"c $D\"", vec!["cd·/srv", "exec·npx·a b·c $D"]),
            ("A=1 B='x y' npx t", vec!["A=1 B=x y npx·t"]),
            ("export K=v; npx t 2>/dev/null", vec!["K=v ", "npx·t"]),
            ("curl -s https://x.example/i | sh", vec!["curl·-s·https://x.example/i|", "sh"]),
            ("if true; then npx t; fi", vec!["true", "npx·t"]),
            ("npx t --k=\"a\"b\\ c", vec!["npx·t·--k=ab c"]),
            ("(npx a) || uvx b", vec!["npx·a", "uvx·b"]),
            ("npx t $(cat k)", vec!["npx·t·$(cat k)"]),
        ] {
            assert_eq!(run(line), want, "{line}");
        }
    }

    #[test]
    fn hostile_lines_end() {
        for line in
            ["$(".repeat(5_000), "((".repeat(5_000), "'\"`".repeat(3_000), "a|".repeat(5_000), "{ ".repeat(5_000)]
        {
            let located = Located { text: line.clone(), span: Span::new(0, line.len()), pointer: Pointer::root() };
            // Whether it is followed or given up.
            let _ends = commands(&line, &located);
        }
    }
}
