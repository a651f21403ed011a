//! Templates of YAML: files from which a tool (a chart's renderer, a playbook) makes a document. What stands between the braces is known only
//! when it is made, and is a variable here; lines that only steer the making are none of the document.

use super::{Node, Value, yaml};
use crate::prelude::*;
use crate::text::Span;
use core::ops::Range;

/// What a template would make as far as it is written, with every place as in the template; `None` where it is none, or is broken besides.
pub(super) fn parse(text: &str) -> Option<Vec<Node>> {
    let actions = actions(text);
    if actions.is_empty() {
        return None;
    }
    let mut roots = yaml::parse(&plain(text, &actions)?).ok()?;
    roots.iter_mut().for_each(|root| restore(root, text));
    Some(roots)
}

/// The ranges between braces, with them.
fn actions(text: &str) -> Vec<Range<usize>> {
    let mut out = Vec::new();
    let mut from = 0;
    while let Some(start) = text.get(from..).and_then(|rest| rest.find('{')).map(|at| from + at) {
        let rest = text.get(start..).unwrap_or_default();
        let close = match rest.as_bytes() {
            [b'{', b'{', ..] => "}}",
            [b'{', b'%', ..] => "%}",
            _ => {
                from = start + 1;
                continue;
            }
        };
        // What is not closed is not closed further down either.
        let Some(end) = rest.find(close).map(|at| start + at + close.len()) else { break };
        out.push(start..end);
        from = end;
    }
    out
}

/// Words that steer the making and leave nothing themselves.
const STEERS: &[&str] = &["if", "else", "end", "endif", "range", "with", "define", "block", "for", "endfor", "set"];

/// The same text with blanks in the place of what steers, and words in the place of what is filled in; every byte stays where it is.
fn plain(text: &str, actions: &[Range<usize>]) -> Option<String> {
    let mut bytes = text.as_bytes().to_vec();
    for (action, alone) in actions.iter().zip(alone(text, actions)) {
        let written = text.get(action.clone())?;
        let inner = written.trim_matches(|c: char| "{}%-~".contains(c) || c.is_whitespace());
        let word = inner.split(|c: char| !c.is_ascii_alphanumeric()).next().unwrap_or_default();
        let steers =
            written.starts_with("{%") || inner.starts_with("/*") || inner.starts_with('$') && inner.contains(":=");
        let blank = steers || STEERS.contains(&word) || alone;
        for (at, byte) in action.clone().zip(bytes.get_mut(action.clone())?) {
            if *byte != b'\n' && *byte != b'\r' {
                *byte = match (blank, at == action.start) {
                    (true, _) => b' ',
                    (false, true) => b'$',
                    (false, false) => b'_',
                };
            }
        }
    }
    String::from_utf8(bytes).ok()
}

/// Which actions have their lines to themselves: those make lines of their own, which nobody sees here.
fn alone(text: &str, actions: &[Range<usize>]) -> Vec<bool> {
    let starts = actions.iter().map(|action| action.start).chain([text.len()]);
    let ends = core::iter::once(0).chain(actions.iter().map(|action| action.end));
    let gaps: Vec<&str> = ends.zip(starts).map(|(end, start)| text.get(end..start).unwrap_or_default()).collect();
    let blank = |part: Option<&str>| part.is_none_or(|part| part.trim().is_empty());
    // What stands between an action and its line's start or end is looked at once, however many share the line.
    let mut clear = true;
    let before: Vec<bool> = gaps
        .iter()
        .take(actions.len())
        .map(|gap| {
            clear = (clear || gap.contains('\n')) && blank(gap.rsplit('\n').next());
            clear
        })
        .collect();
    clear = true;
    let mut out: Vec<bool> = gaps
        .iter()
        .skip(1)
        .zip(before)
        .rev()
        .map(|(gap, before)| {
            clear = (clear || gap.contains('\n')) && blank(gap.split('\n').next());
            clear && before
        })
        .collect();
    out.reverse();
    out
}

/// Puts the template's own words back into values of one line.
fn restore(node: &mut Node, text: &str) {
    let written = |span: Span| {
        let own = text.get(span.range()).filter(|own| own.contains("{{") && !own.contains('\n'))?;
        let quoted = ['"', '\''].iter().find_map(|quote| own.strip_prefix(*quote)?.strip_suffix(*quote));
        Some(quoted.unwrap_or(own).to_owned())
    };
    match &mut node.value {
        Value::Text(value) => {
            if let Some(own) = written(node.span) {
                *value = own;
            }
        }
        Value::List(items) => items.iter_mut().for_each(|item| restore(item, text)),
        Value::Map(members) => {
            for member in members {
                if let Some(own) = written(member.key.span) {
                    member.key.text = own;
                }
                restore(&mut member.value, text);
            }
        }
        Value::Null | Value::Bool(_) | Value::Number(_) => {}
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The tree in short.
    fn describe(node: &Node) -> String {
        match &node.value {
            Value::Text(text) => format!("{text}@{}", node.span.range().start),
            Value::Number(text) => text.clone(),
            Value::Bool(yes) => yes.to_string(),
            Value::Null => "-".to_owned(),
            Value::List(items) => format!("[{}]", items.iter().map(describe).collect::<Vec<_>>().join(", ")),
            Value::Map(members) => {
                let message = members.iter().map(|member| format!("{}: {}", member.key.text, describe(&member.value)));
                format!("{{{}}}", message.collect::<Vec<_>>().join(", "))
            }
        }
    }

    #[test]
    fn what_is_written_in_a_template_is_read() {
        for (text, want) in [
            ("a: {{ .Values.a }}\n", Some("{a: {{ .Values.a }}@3}")),
            ("a: \"{{ .r }}:{{ .t | default \"x\" }}\"\n", Some("{a: {{ .r }}:{{ .t | default \"x\" }}@3}")),
            ("{{- if .a }}\na: b\n{{- end }}\n", Some("{a: b@16}")),
            ("a:\n  {{- toYaml . | nindent 2 }}\n  b: c\n", Some("{a: {b: c@38}}")),
            ("{{/* A note:\n of two lines */}}\na: {{ .b }}\n", Some("{a: {{ .b }}@35}")),
            ("{% for a in b %}\n- {{ a }}\n{% endfor %}\n", Some("[{{ a }}@19]")),
            ("{{ $a := .b }}\na: [{{ .c }}, d]\n", Some("{a: [{{ .c }}@19, d@29]}")),
            ("{{ .key }}: b\n", Some("{{{ .key }}: b@12}")),
            ("ä: {{ .ö }}\nb: c\n", Some("{ä: {{ .ö }}@4, b: c@17}")),
            // Broken besides, and no templates.
            ("a: [b\nc: {{ .d }}\n", None),
            ("a: {{ .b\n", None),
            ("a: b\n", None),
            ("", None),
        ] {
            let read = parse(text).map(|roots| roots.iter().map(describe).collect::<Vec<_>>().join(" | "));
            assert_eq!(read.as_deref(), want, "{text}");
        }
    }

    #[test]
    fn unclosed_braces_cost_no_more_than_their_number() {
        assert_eq!(parse(&"{{ ".repeat(200_000)), None);
        assert_eq!(parse(&format!("a: [\n{}", "{{ . }}".repeat(50_000))), None);
    }
    /// Is every place in a tree one of the text?
    fn within(node: &Node, text: &str) -> bool {
        let below = match &node.value {
            Value::List(items) => items.iter().all(|item| within(item, text)),
            Value::Map(members) => {
                members.iter().all(|m| text.get(m.key.span.range()).is_some() && within(&m.value, text))
            }
            Value::Null | Value::Bool(_) | Value::Number(_) | Value::Text(_) => true,
        };
        below && text.get(node.span.range()).is_some()
    }

    proptest::proptest! {
        #[test]
        fn every_place_is_one_of_the_template(
            lines in proptest::collection::vec("( {0,4}[a-cä]: )?(- )?(\\{\\{-? ?[.a-dö\" |]{0,6} ?\\}\\}|\\{% [a-z]{2} %\\}|[a-c]{1,3}|\"){0,3}", 0..8)
        ) {
            let text = lines.join("\n");
            let roots = parse(&text).unwrap_or_default();
            proptest::prop_assert!(roots.iter().all(|root| within(root, &text)), "{}", text);
        }
    }
}
