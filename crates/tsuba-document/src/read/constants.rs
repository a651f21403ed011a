//! Names of a program that stand for one literal: what is assigned once, and is no parameter of anything, is that wherever the name stands.

use super::literal::Reader;
use super::{Node, Value};
use crate::prelude::*;
use core::cell::Cell;

/// The literals by their names.
#[derive(Debug, Default)]
pub(super) struct Constants {
    /// With how large each is (bytes).
    known: BTreeMap<String, (Node, usize)>,
    /// So much may still be put in the place of names.
    left: Cell<usize>,
}

/// Of more names in one program none is followed.
const MAX_NAMES: usize = 1_000;
/// A literal that a name stands for is no longer (bytes).
const MAX_LITERAL_BYTES: usize = 8 << 10;

/// So much is put in the place of names in one program (bytes): lists of names of lists would grow without end.
const MAX_FOLLOWED_BYTES: usize = 1 << 20;

impl Constants {
    /// What a name stands for, as long as there is room for it.
    pub(super) fn get(&self, name: &str) -> Option<Node> {
        let (node, size) = self.known.get(name)?;
        self.left.set(self.left.get().checked_sub(*size)?);
        Some(node.clone())
    }
}

/// About how large a value is in memory (bytes).
fn size(node: &Node) -> usize {
    let inner: usize = match &node.value {
        Value::Text(text) | Value::Number(text) => text.len(),
        Value::List(items) => items.iter().map(size).sum(),
        Value::Map(members) => members.iter().map(|member| member.key.text.len() + size(&member.value)).sum(),
        Value::Null | Value::Bool(_) => 0,
    };
    inner + size_of::<Node>()
}

/// Words after which a name is used, not declared.
const USES: [&str; 8] = ["return", "await", "yield", "in", "and", "or", "not", "with"];
/// Words before a name that is declared with a literal.
const DECLARES: [&str; 14] = [
    "const", "let", "var", "val", "static", "final", "string", "String", "str", "mut", "export", "readonly", "public",
    "private",
];
/// Signs of a line that has parameters.
const HEADS: [&str; 6] = ["def ", "function", "func ", "fn ", "=>", "lambda "];

/// Every name that is assigned a literal once. One that is assigned again, changed, or is a parameter somewhere, may be anything.
pub(super) fn constants(text: &str) -> Constants {
    let mut found: Vec<(&str, usize)> = Vec::new();
    let mut open: BTreeSet<&str> = BTreeSet::new();
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let start = at;
        at += line.len();
        let bare = line.trim_start();
        if bare.starts_with(['#', '*', '/']) {
            continue;
        }
        let assigned = assigned(line);
        if let Some((name, value)) = assigned {
            found.push((name, start + value));
        }
        let heads = HEADS.iter().any(|sign| line.contains(sign));
        let mut before = "";
        for (word, from) in words(line) {
            let own = assigned.is_some_and(|(name, value)| name == word && from < value);
            let changes = line
                .get(from + word.len()..)
                .map(str::trim_start)
                .is_some_and(|rest| is_assigned(rest) || rest.starts_with("+=") || rest.starts_with("++"));
            // `String url` of a method's head, `for url in`.
            let gap = line.get(..from).unwrap_or_default();
            let follows = gap.ends_with([' ', '*', '&'])
                && gap.trim_end_matches([' ', '*', '&']).ends_with(before)
                && before.chars().all(|c| c.is_alphanumeric() || c == '_');
            let declared = !before.is_empty() && follows && !USES.contains(&before);
            if !own && (heads || changes || declared) {
                open.insert(word);
            }
            before = word;
        }
    }
    let mut out = Constants { left: Cell::new(MAX_FOLLOWED_BYTES), ..Constants::default() };
    if found.len() > MAX_NAMES {
        return out;
    }
    let mut times: BTreeMap<&str, usize> = BTreeMap::new();
    for (name, _) in &found {
        *times.entry(name).or_default() += 1;
    }
    found.retain(|(name, _)| times.get(name) == Some(&1) && !open.contains(name));
    // Literals that are never closed are each looked through to the bound: together no further than a few times the text.
    let mut left = text.len().saturating_mul(4);
    for (name, at) in found {
        let end = crate::text::boundary(text, text.len().min(at + MAX_LITERAL_BYTES));
        let mut reader = Reader { text, at, end, depth: 0, names: &out };
        let value = reader.literal(0).filter(|_| ends(reader.rest()));
        let looked = reader.at - at;
        if looked > left {
            break;
        }
        left -= looked;
        if let Some(value) = value {
            let size = size(&value);
            out.known.insert(name.to_owned(), (value, size));
        }
    }
    out
}

/// Does a statement end here?
fn ends(rest: &str) -> bool {
    let rest = rest.trim_start_matches([' ', '\t']);
    // A call may be chained to it in the next line.
    let next = rest.split_once('\n').map_or("", |(_, next)| next.trim_start());
    let over = rest.is_empty() || rest.starts_with(['\n', '\r', '#']) || rest.starts_with("//");
    rest.starts_with(';') || rest.starts_with("as const") || over && !next.starts_with(['.', '+', '?', '%', '|'])
}

/// `NAME = …`, `const name: string = …`, `name := …`, `String NAME = …`: the name, and where its value begins.
fn assigned(line: &str) -> Option<(&str, usize)> {
    let sign = line.find('=')?;
    let value = line.get(sign..).filter(|rest| is_assigned(rest))?;
    let head = line.get(..sign)?.trim_end_matches([':', ' ']);
    if head.ends_with(['!', '<', '>', '+', '-', '*', '|', '?']) {
        return None;
    }
    // What a type says behind a colon is not the name.
    let head = head.split_once(':').map_or(head, |(name, _)| name).trim_end();
    let (before, name) = head.rsplit_once([' ', '\t', '*', '&']).unwrap_or(("", head));
    let plain = |word: &str| word.chars().all(|c| c.is_alphanumeric() || c == '_');
    let named = !name.is_empty() && plain(name) && !name.starts_with(|c: char| c.is_ascii_digit());
    let declares = before.split_whitespace().all(|word| DECLARES.contains(&word) || matches!(word, "&" | "*"));
    (named && declares)
        .then(|| (name, sign + 1 + (value.len() - 1 - value.get(1..).map_or(0, |v| v.trim_start().len()))))
}

/// Does a text begin with the sign that assigns?
fn is_assigned(rest: &str) -> bool {
    let rest = rest.strip_prefix(':').unwrap_or(rest);
    rest.starts_with('=') && !rest.starts_with("==") && !rest.starts_with("=>")
}

/// Names in a line, with where they begin; what stands in quotes is none.
fn words(line: &str) -> impl Iterator<Item = (&str, usize)> {
    let mut quote = None;
    let mut from = None;
    let mut out = Vec::new();
    for (at, c) in line.char_indices().chain([(line.len(), '\n')]) {
        if quote.is_none() && (c.is_alphanumeric() || c == '_') {
            from.get_or_insert(at);
            continue;
        }
        if let Some(start) = from.take() {
            out.extend(line.get(start..at).map(|word| (word, start)));
        }
        match quote {
            Some(open) if open == c => quote = None,
            None if matches!(c, '"' | '\'' | '`') => quote = Some(c),
            _ => {}
        }
    }
    out.into_iter()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(text: &str) -> Vec<String> {
        let texts = |node: &Node| node.items().iter().filter_map(Node::text).collect::<Vec<_>>().join(" ");
        let value = |node: &Node| node.text().map_or_else(|| texts(node), str::to_owned);
        constants(text).known.iter().map(|(name, (node, _))| format!("{name}={}", value(node))).collect()
    }

    #[test]
    fn what_is_assigned_once_stands_for_its_literal() {
        for (text, want) in [
            ("URL = \"https://a.example/mcp\"\nprint(URL)\n", &["URL=https://a.example/mcp"][..]),
            ("const url: string = 'u';\nlet n = 3;\n", &["url=u"]),
            ("  url := \"u\"\n", &["url=u"]),
            ("private static final String URL = \"u\";\n", &["URL=u"]),
            ("const URL: &str = \"u\";\n", &["URL=u"]),
            ("var url = \"u\"; // ours\n", &["url=u"]),
            ("PKG = \"tides\"\nARGS = [\"-y\", PKG]  # both\n", &["ARGS=-y tides", "PKG=tides"]),
            ("url = \"u\"\nreturn url\n", &["url=u"]),
            // Look-alikes: it may be something else where it is used.
            ("url = \"u\"\nif x:\n    url = \"v\"\n", &[]),
            ("url = \"u\"\nurl += \"/sse\"\n", &[]),
            ("url = \"u\"\ndef call(url):\n    sse_client(url)\n", &[]),
            ("String url = \"u\";\nvoid call(String url) {\n", &[]),
            ("const url = \"u\" + host;\n", &[]),
            ("url = \"u\".format(x)\n", &[]),
            ("const url = \"u\"\n  .concat(x);\n", &[]),
            ("if url == \"u\":\n", &[]),
            ("settings.url = \"u\"\n", &[]),
            ("url = \"u\"\nfor url in urls:\n", &[]),
            ("url = \"a\" if x else \"b\"\n", &[]),
            ("# url = \"u\"\n", &[]),
        ] {
            assert_eq!(told(text), want, "{text}");
        }
    }

    #[test]
    fn whatever_is_in_it_it_ends() {
        for piece in ["a = [\n", "a = \"", "a = {\n", "a = [a, ", "const a = `", "=", ":=", "a = ((("] {
            let _ = constants(&piece.repeat(20_000));
        }
        let many: String = (0..900).map(|n| format!("a{n} = [\n")).collect();
        assert!(constants(&many).known.len() < 2);
        // Each list holds the one before a thousand times.
        let grows: String = (1..200).map(|n| format!("a{n} = [{}]\n", format!("a{}, ", n - 1).repeat(1000))).collect();
        let grown = constants(&format!("a0 = \"x\"\n{grows}"));
        assert!(grown.known.values().map(|(_, size)| size).sum::<usize>() < 4 * MAX_FOLLOWED_BYTES);
    }
}
