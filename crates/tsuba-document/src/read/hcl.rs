//! HCL, as infrastructure is written down in it (HCL native syntax specification): blocks and attributes as mappings. What is computed is
//! not there; a string keeps what is put into it (`${var.token}`) to the letter. Whatever cannot be read is passed over.

use super::constants::Constants;
use super::literal::Reader;
use super::pasted::text_at;
use super::{Key, Member, Node, Value};
use crate::prelude::*;
use crate::text::Span;

/// A block by its names, what it is and its labels.
type Block = (Vec<Key>, Node);

/// Blocks nest at most this deep.
const MAX_DEPTH: usize = 24;
/// A block has at most so many labels.
const MAX_LABELS: usize = 4;
/// Functions that write down what they are handed.
const WRITTEN: &[&str] = &["jsonencode", "yamlencode", "tolist", "toset", "tomap", "sensitive", "nonsensitive"];

/// Reads a file.
pub(super) fn parse(text: &str) -> Node {
    let names = Constants::default();
    let mut reader = Reader { text, at: 0, end: text.len(), depth: 0, names: &names };
    let members = body(&mut reader, 0);
    Node::new(Span::new(0, text.len()), Value::Map(members))
}

/// Attributes and blocks, or the members of an object, to the brace that closes or the end. Of blocks with the same name each is an item of a list.
fn body(reader: &mut Reader<'_>, depth: usize) -> Vec<Member> {
    let (mut out, mut blocks): (Vec<Member>, Vec<Block>) = (Vec::new(), Vec::new());
    loop {
        reader.blanks();
        if reader.peek().is_none_or(|c| c == '}') {
            out.extend(grouped(blocks));
            return out;
        }
        let start = reader.at;
        // Members of an object may be named in quotes.
        let quoted = reader.peek() == Some('"');
        let name = if quoted { reader.string('"').unwrap_or_default() } else { name(reader) };
        let key = Key { text: name, span: Span::new(start, reader.at) };
        reader.blanks();
        match reader.peek() {
            Some('=' | ':') if !key.text.is_empty() => {
                reader.at += 1;
                reader.blanks();
                let value = expression(reader, depth + 1).filter(|_| ends(reader));
                if value.is_none() {
                    reader.past('\n');
                }
                let _ = reader.take(',');
                out.extend(value.map(|value| Member { key, value }));
            }
            Some('"' | '{') if !key.text.is_empty() && !quoted && depth < MAX_DEPTH => {
                if let Some((labels, node)) = block(reader, depth) {
                    blocks.push((core::iter::once(key).chain(labels).collect(), node));
                }
            }
            _ => {}
        }
        if reader.at == start {
            reader.at += reader.peek().map_or(0, char::len_utf8);
        }
    }
}

/// A name, which may hold hyphens.
fn name(reader: &mut Reader<'_>) -> String {
    let mut name = reader.word();
    while !name.is_empty() && reader.take('-') {
        name.push('-');
        name.push_str(&reader.word());
    }
    name
}

/// What stands behind the name of a block: its labels, and its body.
fn block(reader: &mut Reader<'_>, depth: usize) -> Option<Block> {
    let start = reader.at;
    let mut labels = Vec::new();
    while reader.peek() == Some('"') && labels.len() < MAX_LABELS {
        let at = reader.at;
        let label = reader.string('"')?;
        labels.push(Key { text: label, span: Span::new(at, reader.at) });
        reader.blanks();
    }
    if !reader.take('{') {
        return None;
    }
    let members = body(reader, depth + 1);
    let _ = reader.take('}');
    Some((labels, Node::new(Span::new(start, reader.at), Value::Map(members))))
}

/// Blocks by their names, each label a level of its own; those that share all of them are a list.
fn grouped(blocks: Vec<Block>) -> Vec<Member> {
    let mut groups: Vec<(Key, Vec<Block>)> = Vec::new();
    let mut places: BTreeMap<String, usize> = BTreeMap::new();
    for (mut names, node) in blocks {
        if names.is_empty() {
            continue;
        }
        let first = names.remove(0);
        let at = *places.entry(first.text.clone()).or_insert(groups.len());
        match groups.get_mut(at) {
            Some((_, group)) => group.push((names, node)),
            None => groups.push((first, vec![(names, node)])),
        }
    }
    let value = |group: Vec<Block>| {
        let span = group.first().map(|(_, node)| node.span).unwrap_or_default();
        if group.iter().all(|(names, _)| !names.is_empty()) {
            return Node::new(span, Value::Map(grouped(group)));
        }
        let mut nodes: Vec<Node> = group.into_iter().map(|(names, node)| labelled(names, node)).collect();
        match nodes.pop() {
            Some(only) if nodes.is_empty() => only,
            last => Node::new(span, Value::List(nodes.into_iter().chain(last).collect())),
        }
    };
    groups.into_iter().map(|(key, group)| Member { key, value: value(group) }).collect()
}

/// A block below its labels.
fn labelled(names: Vec<Key>, node: Node) -> Node {
    let span = node.span;
    names.into_iter().rev().fold(node, |value, key| Node::new(span, Value::Map(vec![Member { key, value }])))
}

/// A value that is written down.
fn expression(reader: &mut Reader<'_>, depth: usize) -> Option<Node> {
    let start = reader.at;
    if reader.rest().starts_with("<<") {
        return heredoc(reader);
    }
    match reader.peek()? {
        '{' | '[' if depth >= MAX_DEPTH => return None,
        '{' => {
            reader.at += 1;
            let members = body(reader, depth + 1);
            let _ = reader.take('}');
            return Some(Node::new(Span::new(start, reader.at), Value::Map(members)));
        }
        '[' => return Some(list(reader, depth)),
        c if !c.is_alphanumeric() => return reader.literal(0),
        _ => {}
    }
    let word = reader.word();
    let span = Span::new(start, reader.at);
    match word.as_str() {
        "true" | "false" => Some(Node::new(span, Value::Bool(word == "true"))),
        _ if WRITTEN.contains(&word.as_str()) && depth < MAX_DEPTH && reader.take('(') => {
            reader.blanks();
            let value = expression(reader, depth + 1);
            reader.past(')');
            let _ = reader.take(')');
            value
        }
        // A variable or a resource: what it stands for is not known, that it is one is.
        "var" | "local" | "data" | "module" | "each" if reader.peek() == Some('.') => {
            let length = reader.rest().find(|c: char| !(c.is_alphanumeric() || "._-[]\"*".contains(c)));
            let rest = reader.rest().get(..length.unwrap_or(reader.rest().len())).unwrap_or_default();
            let text = format!("${{{word}{rest}}}");
            reader.at += rest.len();
            Some(text_at(&text, Span::new(start, reader.at)))
        }
        _ if word.bytes().all(|byte| byte.is_ascii_digit()) => Some(text_at(&word, span)),
        _ => None,
    }
}

/// The values of a list; what is computed is none of them.
fn list(reader: &mut Reader<'_>, depth: usize) -> Node {
    let start = reader.at;
    reader.at += 1;
    let mut items = Vec::new();
    loop {
        reader.blanks();
        if reader.take(']') || reader.peek().is_none() {
            return Node::new(Span::new(start, reader.at), Value::List(items));
        }
        let before = reader.at;
        let item = expression(reader, depth + 1);
        reader.blanks();
        let ends = matches!(reader.peek(), None | Some(',' | ']'));
        items.extend(item.filter(|_| ends));
        if !ends {
            reader.past(']');
        }
        let _ = reader.take(',');
        if reader.at == before {
            reader.at += reader.peek().map_or(0, char::len_utf8);
        }
    }
}

/// Does a value end here? What goes on on its line is computed.
fn ends(reader: &Reader<'_>) -> bool {
    let rest = reader.rest().trim_start_matches([' ', '\t', '\r']);
    rest.is_empty() || rest.starts_with(['\n', '#', '}', ',']) || rest.starts_with("//") || rest.starts_with("/*")
}

/// `<<EOT`, lines, `EOT`; `<<-EOT` where they are indented.
fn heredoc(reader: &mut Reader<'_>) -> Option<Node> {
    let rest = reader.rest().get(2..)?;
    let (head, body) = rest.split_once('\n')?;
    let mark = head.trim_start_matches('-').trim();
    if mark.is_empty() {
        return None;
    }
    let from = reader.at + 2 + head.len() + 1;
    let mut length = 0;
    for line in body.split_inclusive('\n') {
        if line.trim() == mark {
            let text = body.get(..length)?;
            let node = text_at(text, Span::new(from, from + length));
            reader.at = from + length + line.trim_end().len();
            return Some(node);
        }
        length += line.len();
    }
    // What never ends is looked through once.
    reader.at = reader.end;
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::Pointer;
    use proptest::prelude::*;

    /// Every text with its pointer.
    fn told(node: &Node, at: &Pointer, text: &str, out: &mut Vec<String>) {
        for member in node.members() {
            told(&member.value, &at.key(&member.key.text), text, out);
        }
        for (index, item) in node.items().iter().enumerate() {
            told(item, &at.index(index), text, out);
        }
        if let Some(value) = node.scalar() {
            let written = &text[node.span.range()];
            let same = written.contains(value.as_ref()) || value.starts_with("${");
            out.push(format!("{}={value}{}", at.as_str(), if same { "" } else { "!" }));
        }
    }

    #[test]
    fn blocks_and_attributes_are_mappings() {
        for (text, want) in [
            ("a = \"b\"\nc = true # d\n", &["/a=b", "/c=true"][..]),
            (
                "resource \"x\" \"y\" {\n  env { name = \"A\" }\n  env {\n    name = \"B\"\n  }\n}\nresource \"x\" \"z\" { q = var.token }",
                &["/resource/x/y/env/0/name=A", "/resource/x/y/env/1/name=B", "/resource/x/z/q=${var.token}"],
            ),
            (
                "d = jsonencode([{ name = \"a\", environment = [\n { name = \"K\", value = \"v\" },\n ] }])",
                &["/d/0/name=a", "/d/0/environment/0/name=K", "/d/0/environment/0/value=v"],
            ),
            ("a = <<-EOT\n  b\n  EOT\nc = \"d${var.e}\"", &["/a=  b\n", "/c=d${var.e}"]),
            ("a = f(b, \"c\")\nd = e ? \"f\" : \"g\"\nh-i = [1, \"j\"]", &["/h-i/0=1", "/h-i/1=j"]),
            (
                "a = { \"b\" = \"c\", d : [\"e\", f(\"g\"), { h = <<E\ni\nE\n}] }\nj = 1",
                &["/a/b=c", "/a/d/0=e", "/a/d/1/h=i\n", "/j=1"],
            ),
            ("job \"a\" { group \"b\" { task \"c\" { k = \"v\" } } }", &["/job/a/group/b/task/c/k=v"]),
        ] {
            let mut out = Vec::new();
            told(&parse(text), &Pointer::root(), text, &mut out);
            assert_eq!(out, want, "{text}");
        }
    }

    #[test]
    fn whatever_nests_it_ends() {
        // Each is looked up by its name, not among all before it.
        let many: String = (0..50_000).map(|at| format!("a \"b{at}\" {{}}\nc{at} {{}}\n")).collect();
        for text in
            ["a {".repeat(50_000), "a = [".repeat(50_000), "a \"".repeat(50_001), "a = <<E\n".repeat(20_000), many]
        {
            parse(&text);
        }
    }

    proptest! {
        #[test]
        fn any_text_is_read_within_its_bounds(text in "[a-c{}\\[\\]=\"\\\\ \n<$(),#-]{0,200}") {
            let mut out = Vec::new();
            told(&parse(&text), &Pointer::root(), &text, &mut out);
        }
    }
}
