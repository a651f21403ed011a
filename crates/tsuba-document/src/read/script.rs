//! Scripts: lines that add a server to a client, and configurations that they write.

use super::adding::{self, added};
use super::calls;
use super::constants::constants;
use super::objects::{self, objects};
use super::shown;
use super::starting;
use super::words::{Dialect, commands, whole};
use super::{Member, Node, Value};
use crate::prelude::*;
use crate::text::Span;

/// More of both are not looked at in one script.
const MAX_FOUND: usize = 400;
/// A longer line (bytes) adds nothing.
pub(super) const MAX_LINE_BYTES: usize = 64 << 10;

/// Reads a script, by the dialect that its path names.
pub(super) fn parse(path: &str, text: &str) -> Vec<Node> {
    let ending = path.rsplit_once('.').map_or("", |(_, ending)| ending);
    let mut out = roots(text, Dialect::named(ending));
    if is_shell(path, text) && starting::may_hold(text) {
        out.extend(together(starting::lines(text, Dialect::named(ending), starting::Lines::of(path))));
    }
    if calls::WORDS.iter().any(|word| text.contains(word)) {
        out.extend(together(calls::calls(text, MAX_FOUND)));
    }
    if !is_shell(path, text) && shown::may_hold(text) {
        // What is a configuration or is handed to a kit is known already.
        let known: Vec<Span> = out.iter().map(|root| root.span).chain(out.iter().flat_map(spans)).collect();
        let servers = shown::servers(text, &constants(text), MAX_FOUND);
        out.extend(together(servers.into_iter().filter(|node| !known.iter().any(|k| node.span.within(*k))).collect()));
    }
    out
}

/// Are the lines of a script commands? Those of a program in another language are not.
fn is_shell(path: &str, text: &str) -> bool {
    let name = path.rsplit(['/', '\\']).next().unwrap_or(path).to_ascii_lowercase();
    let by_name = ["makefile", "gnumakefile", "justfile", "procfile", "crontab"];
    match name.rsplit_once('.').map(|(_, ending)| ending) {
        Some(ending) if SHELLS.contains(&ending) => true,
        _ if by_name.iter().any(|known| name.split('.').next() == Some(known)) => true,
        _ => text.starts_with("#!") && text.lines().next().is_some_and(|line| line.trim_end().ends_with("sh")),
    }
}

/// Endings of what is a list of commands.
const SHELLS: &[&str] =
    &["sh", "bash", "zsh", "fish", "ksh", "ps1", "psm1", "bat", "cmd", "mk", "make", "just", "cron"];

/// May a text be a script that configures servers?
pub(super) fn may_hold(text: &str) -> bool {
    adding::WORDS.iter().any(|word| text.contains(word)) || objects::may_hold(text)
}

/// What a script sets up: what its lines add, in one collection, and what it writes.
pub(super) fn roots(text: &str, dialect: Dialect) -> Vec<Node> {
    let mut out = Vec::new();
    let written = if objects::may_hold(text) { objects(text, MAX_FOUND) } else { Vec::new() };
    if adding::WORDS.iter().any(|word| text.contains(word)) {
        let servers = lines(text, dialect);
        // What is added in a line that also writes it is one.
        let within = |node: &Node| {
            let start = node.span.start as usize;
            written.iter().any(|object| object.range.contains(&start))
        };
        out.extend(together(servers.into_iter().filter(|node| !within(node)).collect()));
        let lines: Vec<Span> = out.iter().flat_map(spans).collect();
        let is_new = |range: &core::ops::Range<usize>| {
            !lines.iter().any(|line| line.range().start <= range.start && range.end <= line.range().end)
        };
        out.extend(written.into_iter().filter(|object| is_new(&object.range)).map(|object| object.root));
        return out;
    }
    written.into_iter().map(|object| object.root).collect()
}

/// Where the lines stand of which a collection was made.
fn spans(root: &Node) -> Vec<Span> {
    root.members().iter().flat_map(|servers| servers.value.members()).map(|server| server.key.span).collect()
}

/// What each command adds.
pub(super) fn lines(text: &str, dialect: Dialect) -> Vec<Node> {
    let mut out = Vec::new();
    for (line, at) in joined(text, dialect) {
        if out.len() >= MAX_FOUND {
            break;
        }
        if line.len() > MAX_LINE_BYTES || !adding::WORDS.iter().any(|word| line.contains(word)) {
            continue;
        }
        // Before the command stand marks of what runs it: of a prompt, of a recipe.
        let bare = line.trim_start().trim_start_matches(['$', '%', '>', '@', '-', '!', ' ']);
        let at = at + (line.len() - bare.len());
        for words in commands(bare, at, dialect) {
            out.extend(whole(&words).and_then(|whole| added(&words, whole)));
        }
    }
    out
}

/// The lines of a script with their places; what is continued or within quotes goes on.
pub(super) fn joined(text: &str, dialect: Dialect) -> Vec<(&str, usize)> {
    let (mut out, mut from, mut at) = (Vec::new(), 0, 0);
    let mut open = false;
    for line in text.split_inclusive('\n') {
        at += line.len();
        // A configuration in quotes may have lines of its own.
        // In a comment a quote opens nothing.
        let comment = !open && line.trim_start().starts_with('#');
        if !comment && (line.contains("-json") || line.contains("add-mcp") || open) {
            open ^= line.matches('\'').count() % 2 == 1;
        }
        if !open && !line.trim_end().ends_with(dialect.escape()) {
            out.extend(text.get(from..at).map(|line| (line, from)));
            from = at;
        }
    }
    out.extend(text.get(from..).filter(|rest| !rest.is_empty()).map(|rest| (rest, from)));
    out
}

/// Collections of one server each as one: where a server stands then does not change with the lines before it. Of a name that is added twice each
/// counts, in collections of their own: only one of two branches may run.
pub(super) fn together(roots: Vec<Node>) -> Vec<Node> {
    let mut names = BTreeSet::new();
    let (mut members, mut more, mut span): (Vec<Member>, Vec<Node>, Option<Span>) = (Vec::new(), Vec::new(), None);
    let mut key = None;
    for root in roots {
        let own = root.get("mcpServers").map(Node::members).unwrap_or_default();
        if own.is_empty() || own.iter().any(|member| !names.insert(member.key.text.clone())) {
            more.push(root);
            continue;
        }
        span.get_or_insert(root.span);
        key = key.or_else(|| root.members().first().map(|member| member.key.clone()));
        members.extend(own.iter().cloned());
    }
    let first = key.zip(span).map(|(key, span)| {
        let servers = Node::new(span, Value::Map(members));
        Node::new(span, Value::Map(vec![Member { key, value: servers }]))
    });
    first.into_iter().chain(more).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The servers as `name: command or address`, with what is written there.
    fn told(path: &str, text: &str) -> Vec<String> {
        let mut out = Vec::new();
        for root in parse(path, text) {
            for servers in root.members() {
                for Member { key, value } in servers.value.members() {
                    let args: Vec<&str> =
                        value.get("args").map(Node::items).unwrap_or_default().iter().filter_map(Node::text).collect();
                    let what = value.first(&["command", "url"]).and_then(|(_, node)| node.text()).unwrap_or_default();
                    let set = value.first(&["env", "headers"]).map(|(_, node)| node.members()).unwrap_or_default();
                    let set: Vec<String> = set
                        .iter()
                        .map(|m| {
                            format!(
                                "{}={}@{}",
                                m.key.text,
                                m.value.text().unwrap_or_default(),
                                &text[m.value.span.range()]
                            )
                        })
                        .collect();
                    out.push(
                        format!("{}: {} {} {}", key.text, what, args.join(" "), set.join(",")).trim_end().to_owned(),
                    );
                }
            }
        }
        out
    }

    #[test]
    fn scripts_tell_what_they_add() {
        for (path, text, want) in [
            (
                "a.sh",
                "#!/bin/sh\nset -e\nagent mcp add tide -e TIDE_KEY=\"q8Zk\" -- npx -y @saltmarsh/tide-table > /dev/null\n",
                &["tide: npx -y @saltmarsh/tide-table TIDE_KEY=q8Zk@q8Zk"][..],
            ),
            (
                "a.sh",
                "agent mcp add --transport http quay \\\n  https://quay.example/mcp \\\n  --header 'X-Key: q8Zk'\n",
                &["quay: https://quay.example/mcp  X-Key=q8Zk@q8Zk"],
            ),
            (
                "a.ps1",
                "agent mcp add tide `\r\n  -e TIDE_KEY='q8Zk' -- npx tide\r\n",
                &["tide: npx tide TIDE_KEY=q8Zk@q8Zk"],
            ),
            (
                "a.bat",
                "agent mcp add-json tide \"{\\\"command\\\":\\\"npx\\\",\\\"args\\\":[\\\"tide\\\"]}\"\r\n",
                &["tide: npx tide"],
            ),
            (
                "a.sh",
                "agent --add-mcp '{\"name\":\"tide\",\n \"command\":\"npx\"}'\nagent --add-mcp='{\"name\":\"quay\",\"url\":\"u\"}'\n",
                &["tide: npx", "quay: u"],
            ),
            (
                "Makefile",
                "setup:\n\t@agent mcp add tide -- uvx tide\n\tif true; then agent mcp add tide -- uvx other; fi\n",
                &["tide: uvx tide", "tide: uvx other"],
            ),
            (
                "a.sh",
                "cat > .mcp.json <<'EOF'\n{\"mcpServers\": {\"tide\": {\"command\": \"npx\", \"args\": [\"tide\"]}}}\nEOF\n",
                &["tide: npx tide"],
            ),
            (
                "a.sh",
                "agent mcp add --name tide --url https://tide.example/mcp --bearer-token q8Zk\n",
                &["tide: https://tide.example/mcp"],
            ),
            (
                "a.sh",
                "agent mcp add tide https://tide.example/mcp -e TIDE_KEY=q8Zk\n",
                &["tide: https://tide.example/mcp  TIDE_KEY=q8Zk@q8Zk"],
            ),
            ("a.sh", "# don't use add-json\nagent mcp add tide -- npx tide\n", &["tide: npx tide"]),
            // Look-alikes: comments, help, other verbs.
            ("a.sh", "# agent mcp add tide -- npx tide\n", &[]),
            ("a.sh", "echo \"agent mcp add <name> <command>\"\nagent mcp add <name> <command> [args...]\n", &[]),
            ("a.sh", "agent mcp list; agent mcp remove tide; git add mcp\n", &[]),
        ] {
            assert_eq!(told(path, text), want, "{text}");
        }
    }
}
