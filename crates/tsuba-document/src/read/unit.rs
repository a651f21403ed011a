//! Unit files of systemd (systemd.syntax(7)), and what a supervisor of processes is told: sections in brackets, `Key=value` lines, `\` at the end for
//! a line that goes on. A key may occur many times: the tree keeps each.

use super::{Key, Member, Node, Value};
use crate::prelude::*;
use crate::text::Span;

/// Does a text look like a unit that starts something?
pub(super) fn looks_like(text: &str) -> bool {
    let has = |is: &dyn Fn(&str) -> bool| text.lines().any(|line| is(line.trim()));
    has(&|line| line == "[Service]") && has(&|line| line.starts_with("ExecStart"))
        || has(&|line| line == "[Container]") && has(&|line| line.starts_with("Image"))
        || has(&|line| line.starts_with("[program:")) && has(&|line| line.starts_with("command"))
}

pub(super) fn parse(text: &str) -> Node {
    let mut sections: Vec<Member> = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let end = logical_end(text, at);
        let line = text.get(at..end).unwrap_or_default();
        let lead = line.len() - line.trim_start().len();
        let trimmed = line.trim();
        if let Some(name) = trimmed.strip_prefix('[').and_then(|rest| rest.strip_suffix(']')) {
            let span = Span::new(at + lead, at + lead + trimmed.len());
            let key = Key { text: name.to_owned(), span };
            sections.push(Member { key, value: Node::new(span, Value::Map(Vec::new())) });
        } else if !trimmed.starts_with(['#', ';'])
            && let Some((name, value)) = trimmed.split_once('=')
            && let Some(section) = sections.last_mut()
        {
            let skip = value.len() - value.trim_start().len();
            let value_at = at + lead + name.len() + 1 + skip;
            let span = Span::new(value_at, value_at + value.trim().len());
            let text = value.trim().replace("\\\n", " ").replace("\\\r\n", " ");
            let key = Key { text: name.trim().to_owned(), span: Span::new(at + lead, at + lead + name.len()) };
            section.value.span.end = span.end;
            if let Value::Map(members) = &mut section.value.value {
                members.push(Member { key, value: Node::new(span, Value::Text(text)) });
            }
        }
        at = end + 1;
        while at < text.len() && !text.is_char_boundary(at) {
            at += 1;
        }
    }
    Node::new(Span::new(0, text.len()), Value::Map(sections))
}

fn logical_end(text: &str, from: usize) -> usize {
    let mut at = from;
    loop {
        let end = text.get(at..).and_then(|rest| rest.find('\n')).map_or(text.len(), |n| at + n);
        let goes_on = text.get(at..end).unwrap_or_default().trim_end_matches('\r').ends_with('\\');
        if end >= text.len() || !goes_on {
            return end;
        }
        at = end + 1;
    }
}
