//! Lines that start a tool server: `TIDE_KEY=… npx -y @saltmarsh/tide-mcp`, `docker run … saltmarsh/tide-mcp`, in a script, a task, a pipeline.
//! Which of the many commands of a script starts one is told by the name of what is started; a program of the folder itself is not told so.

use super::pasted::{is_assignment, started, text_at};
use super::script::joined;
use super::words::{Dialect, Word, commands, whole};
use super::{Key, Member, Node, Value};
use crate::prelude::*;
use crate::text::{speaks_of_servers, words_of};

/// Programs that start another by its name, with the words that have them do so.
const RUNNERS: &[(&str, &[&[&str]])] = &[
    ("npx", &[&[]]),
    ("bunx", &[&[]]),
    ("pnpx", &[&[]]),
    ("uvx", &[&[]]),
    ("npm", &[&["exec"], &["x"]]),
    ("pnpm", &[&["dlx"], &["exec"]]),
    ("yarn", &[&["dlx"]]),
    ("bun", &[&["x"]]),
    ("pipx", &[&["run"]]),
    ("uv", &[&["tool", "run"], &["run"]]),
    ("python", &[&["-m"]]),
    ("python3", &[&["-m"]]),
    ("py", &[&["-m"]]),
    ("docker", &[&["run"], &["container", "run"]]),
    ("podman", &[&["run"], &["container", "run"]]),
    ("nerdctl", &[&["run"]]),
];
/// Those of them that start images.
const ENGINES: &[&str] = &["docker", "podman", "nerdctl"];
/// Options of the others that name a package.
const PACKAGES: &[&str] = &["-p", "--package", "--from", "--spec"];
/// Options of the others that take a value.
const VALUED: &[&str] = &[
    "-c",
    "--call",
    "--with",
    "--python",
    "--registry",
    "--index",
    "--index-url",
    "--extra-index-url",
    "--directory",
    "--project",
    "--env-file",
    "--prefix",
    "--cache",
];
/// Options of an engine without a value, of those with a long name.
const SWITCHES: &[&str] = &[
    "--rm",
    "--init",
    "--interactive",
    "--tty",
    "--detach",
    "--privileged",
    "--read-only",
    "--publish-all",
    "--quiet",
];
/// What stands before a command and changes nothing of what it starts.
const KEYWORDS: &[&str] = &["then", "do", "else", "exec", "command", "call", "cross-env", "if", "!", "time"];
/// What starts a command, and is unwrapped where an entry is understood.
const WRAPPERS: &[&str] =
    &["sudo", "doas", "env", "nohup", "nice", "timeout", "setsid", "stdbuf", "xvfb-run", "op", "start"];
/// Programs that are handed a command as one word, and start it here or elsewhere.
const HANDED: &[&str] = &["sh", "bash", "zsh", "dash", "ksh", "ssh", "su", "concurrently", "wsl"];
/// Words in the name of a program that makes, looks at or hands out tool servers, and is none.
const TOOLS: &[&str] = &["create", "generator", "init", "inspector", "install", "installer", "publish", "publisher"];
/// With one of these nothing is served.
const ASKS: &[&str] = &["--help", "-h", "--version", "-V"];
/// Before the program of a command stand at most so many words of a wrapper.
const MAX_LEAD: usize = 6;
/// So many variables that a script has set are handed to what it starts.
const MAX_VARIABLES: usize = 64;
/// More servers are not looked for in one text.
const MAX_FOUND: usize = 100;

/// May a text hold such a line?
pub(super) fn may_hold(text: &str) -> bool {
    let has = |word: &str| memchr::memmem::find(text.as_bytes(), word.as_bytes()).is_some();
    (has("mcp") || has("MCP") || has("modelcontextprotocol")) && RUNNERS.iter().any(|(name, _)| has(name))
}

/// What kind of text the lines stand in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Lines {
    /// Commands.
    Plain,
    /// A name and a colon before each (a list of processes).
    Named,
    /// A time before each (a table of jobs).
    Timed,
}

impl Lines {
    /// By the name of the file.
    pub(super) fn of(path: &str) -> Self {
        let name = path.rsplit(['/', '\\']).next().unwrap_or(path).to_ascii_lowercase();
        match name.split('.').next() {
            Some("procfile") => Self::Named,
            Some("crontab") => Self::Timed,
            _ if name.ends_with(".cron") => Self::Timed,
            _ => Self::Plain,
        }
    }

    /// The words of the command itself.
    fn bare(self, words: &[Word]) -> &[Word] {
        let field = |word: &Word| word.text().chars().all(|c| c.is_ascii_alphanumeric() || "*,/-".contains(c));
        let skipped = match self {
            Self::Plain => 0,
            Self::Named => usize::from(words.first().is_some_and(|word| word.text().ends_with(':'))),
            Self::Timed if words.first().is_some_and(|word| word.text().starts_with('@')) => 1,
            Self::Timed if words.len() > 5 && words.iter().take(5).all(field) => 5,
            Self::Timed => 0,
        };
        let words = words.get(skipped..).unwrap_or_default();
        // The table of the system names an account before the command.
        let account = self == Self::Timed && skipped > 0 && words.get(1).is_some_and(|word| is_command(word.text()));
        match words.first() {
            Some(first) if account && !is_command(first.text()) => words.get(1..).unwrap_or_default(),
            _ => words,
        }
    }
}

fn is_command(word: &str) -> bool {
    is_assignment(word) || runner(word).is_some() || WRAPPERS.contains(&base(word))
}

/// What the lines of a text start, each as a client's setup has it.
pub(super) fn lines(text: &str, dialect: Dialect, kind: Lines) -> Vec<Node> {
    let (mut out, mut set): (Vec<Node>, Vec<Member>) = (Vec::new(), Vec::new());
    for (line, at) in joined(text, dialect) {
        if out.len() >= MAX_FOUND {
            break;
        }
        let sets = line.contains("export ") || line.contains("$env:") || line.trim_start().starts_with("set ");
        if line.len() > super::script::MAX_LINE_BYTES || !(sets || may_hold(line)) {
            continue;
        }
        let bare = line.trim_start().trim_start_matches(['$', '%', '>', '@', '-', ' ']);
        // A variable of PowerShell begins with the sign of a prompt, a time with that of a recipe.
        let bare =
            if line.trim_start().starts_with("$env:") || kind == Lines::Timed { line.trim_start() } else { bare };
        let from = at + (line.len() - bare.len());
        for words in commands(bare, from, dialect) {
            let words = kind.bare(&words);
            set.extend(exported(words).into_iter().take(MAX_VARIABLES.saturating_sub(set.len())));
            out.extend(starts(words, &set));
        }
    }
    out
}

/// The same servers, handed what is set for them from outside; what they set themselves goes before.
pub(super) fn handed(mut root: Node, set: &[Member]) -> Node {
    let Value::Map(collections) = &mut root.value else { return root };
    let servers = collections.iter_mut().filter_map(|member| match &mut member.value.value {
        Value::Map(servers) => Some(servers),
        _ => None,
    });
    for Member { value: server, .. } in servers.flatten() {
        let Value::Map(members) = &mut server.value else { continue };
        let own = members.iter_mut().find(|member| member.key.text == "env");
        let mut all = set.to_vec();
        match own.map(|member| &mut member.value.value) {
            Some(Value::Map(own)) => {
                let names: BTreeSet<&str> = own.iter().map(|member| member.key.text.as_str()).collect();
                all.retain(|member| !names.contains(member.key.text.as_str()));
                all.append(own);
                *own = all;
            }
            _ if all.is_empty() => {}
            _ => {
                let key = Key { text: "env".to_owned(), span: server.span };
                members.push(Member { key, value: Node::new(server.span, Value::Map(all)) });
            }
        }
    }
    root
}

/// `export NAME=value`, `set NAME=value`, `$env:NAME = "value"`: what is set for every program that follows.
fn exported(words: &[Word]) -> Vec<Member> {
    let Some((first, rest)) = words.split_first() else { return Vec::new() };
    match first.text() {
        "export" | "set" | "SET" => rest.iter().filter_map(assignment).collect(),
        text => {
            let Some(name) = text.strip_prefix("$env:") else { return Vec::new() };
            let value = rest.get(1).filter(|_| rest.first().is_some_and(|sign| sign.text() == "="));
            let member = |value: &Word| Member {
                key: Key { text: name.to_owned(), span: first.span() },
                value: text_at(value.text(), value.place(0..value.text().len())),
            };
            value.map(member).into_iter().collect()
        }
    }
}

fn assignment(word: &Word) -> Option<Member> {
    let text = word.text();
    let (name, value) = text.split_once('=').filter(|_| is_assignment(text))?;
    let place = word.place(name.len() + 1..text.len());
    Some(Member { key: Key { text: name.to_owned(), span: word.span() }, value: text_at(value, place) })
}

/// The server that a command starts.
fn starts(words: &[Word], set: &[Member]) -> Option<Node> {
    let own = words.iter().take_while(|word| is_lead(word.text())).count();
    let (lead, command) = words.split_at_checked(own)?;
    let program = base(command.first()?.text());
    // A shell, another machine or a bridge is handed the command as a word.
    if let Some(name) = (HANDED.contains(&program) || runner(program).is_some()).then(|| handed_on(command)).flatten() {
        return Some(started(name, command, settings(lead, set), whole(words)?));
    }
    let at = match program {
        first if WRAPPERS.contains(&first) => {
            command.iter().take(MAX_LEAD).position(|word| runner(word.text()).is_some())?
        }
        _ => 0,
    };
    let (name, ways) = runner(command.get(at)?.text())?;
    let rest = command.get(at + 1..)?;
    let rest = ways.iter().find_map(|way| {
        let said = rest.iter().map(Word::text).take(way.len()).eq(way.iter().copied());
        rest.get(way.len()..).filter(|_| said)
    })?;
    let target = if ENGINES.contains(&name) { image(rest) } else { package(rest) }?;
    let asks = |word: &Word| ASKS.contains(&word.text());
    if !ENGINES.contains(&name) && rest.iter().any(asks) || rest.iter().any(|word| word.text().starts_with(['<', '[']))
    {
        return None;
    }
    Some(started(called(target), command, settings(lead, set), whole(words)?))
}

/// What is set for a command: by its own words before what was set for all.
fn settings(lead: &[Word], set: &[Member]) -> Vec<Member> {
    let own: Vec<Member> = lead.iter().filter_map(assignment).collect();
    let names: BTreeSet<&str> = own.iter().map(|member| member.key.text.as_str()).collect();
    let outer = set.iter().filter(|member| !names.contains(member.key.text.as_str()));
    outer.cloned().chain(own.iter().cloned()).collect()
}

/// The name of the server that a word of a command starts, which is a command itself.
fn handed_on(words: &[Word]) -> Option<String> {
    let inner = words.iter().map(Word::text).filter(|text| text.contains(' ') && may_hold(text));
    let mut servers = inner.flat_map(|text| lines(text, Dialect::Posix, Lines::Plain));
    servers.find_map(|root| Some(root.get("mcpServers")?.members().first()?.key.text.clone()))
}

fn is_lead(word: &str) -> bool {
    is_assignment(word) || KEYWORDS.contains(&word)
}

/// The name of a program, without its folder and the ending that it has on Windows.
fn base(word: &str) -> &str {
    let name = word.rsplit(['/', '\\']).next().unwrap_or(word);
    name.strip_suffix(".exe").or_else(|| name.strip_suffix(".cmd")).unwrap_or(name)
}

fn runner(word: &str) -> Option<(&'static str, &'static [&'static [&'static str]])> {
    let name = base(word);
    RUNNERS.iter().find(|(runner, _)| *runner == name).copied()
}

/// Is this the name of a tool server?
fn names_server(text: &str) -> bool {
    speaks_of_servers(text) && !text.contains('$') && !words_of(text).iter().any(|word| TOOLS.contains(&word.as_str()))
}

/// The package or module that is started, where its name is a tool server's.
fn package(words: &[Word]) -> Option<&str> {
    let (mut at, mut named) = (0, None);
    while let Some(word) = words.get(at).map(Word::text) {
        at += 1;
        if !word.starts_with('-') {
            return Some(named.unwrap_or(word))
                .filter(|text| names_server(text))
                .or_else(|| Some(word).filter(|w| names_server(w)));
        }
        let (option, inline) = word.split_once('=').map_or((word, None), |(option, value)| (option, Some(value)));
        let names = PACKAGES.contains(&option);
        if names || VALUED.contains(&option) {
            let value = inline.or_else(|| words.get(at).map(Word::text));
            at += usize::from(inline.is_none());
            named = if names { value } else { named };
        }
    }
    None
}

/// The image that is started, likewise.
fn image(words: &[Word]) -> Option<&str> {
    let mut at = 0;
    while let Some(word) = words.get(at).map(Word::text) {
        at += 1;
        if !word.starts_with('-') {
            return Some(word).filter(|text| names_server(text));
        }
        let switch = match word.strip_prefix("--") {
            Some(_) => word.contains('=') || SWITCHES.contains(&word),
            // Of letters in a row the last may take a value: what follows it at once is that.
            None => word.chars().skip(1).all(|c| matches!(c, 'd' | 'i' | 't' | 'q' | 'P')) || word.len() > 2,
        };
        at += usize::from(!switch);
    }
    None
}

/// What a server is called that nobody has named: by what is started.
fn called(target: &str) -> String {
    let own = target.split('@').find(|part| !part.is_empty()).unwrap_or(target);
    let own = own.rsplit('/').next().unwrap_or(own);
    own.split(['=', ':', '[', '<', '>', '~']).next().unwrap_or(own).to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// `name: command args | NAME=value@place`.
    fn told(text: &str, dialect: Dialect, kind: Lines) -> Vec<String> {
        let each = |root: Node| {
            let server = &root.get("mcpServers").unwrap().members()[0];
            let args = server.value.get("args").unwrap().items().iter().filter_map(Node::text).collect::<Vec<_>>();
            let command = server.value.get("command").and_then(Node::text).unwrap();
            let env = server.value.get("env").map(Node::members).unwrap_or_default();
            let env: Vec<String> =
                env.iter().map(|m| format!("{}={}", m.key.text, &text[m.value.span.range()])).collect();
            format!("{}: {command} {} | {}", server.key.text, args.join(" "), env.join(" "))
        };
        lines(text, dialect, kind).into_iter().map(each).collect()
    }

    #[test]
    fn lines_tell_what_they_start() {
        use Dialect::{Batch, Posix, PowerShell};
        use Lines::{Named, Plain, Timed};
        for (text, dialect, kind, want) in [
            (
                "TIDE_KEY=q8Zk npx -y @saltmarsh/tide-mcp@1.2.0 --stdio",
                Posix,
                Plain,
                "tide-mcp: npx -y @saltmarsh/tide-mcp@1.2.0 --stdio | TIDE_KEY=q8Zk",
            ),
            (
                "export A=1\nexport TIDE_KEY='q 8'\nexec uvx tide-mcp==1.0",
                Posix,
                Plain,
                "tide-mcp: uvx tide-mcp==1.0 | A=1 TIDE_KEY=q 8",
            ),
            ("if true; then sudo -u svc npx tide-mcp; fi", Posix, Plain, "tide-mcp: sudo -u svc npx tide-mcp | "),
            (
                "docker run -d --name x -v /:/host -p 80:80 \\\n  saltmarsh/tide-mcp:1.0 --all",
                Posix,
                Plain,
                "tide-mcp: docker run -d --name x -v /:/host -p 80:80 saltmarsh/tide-mcp:1.0 --all | ",
            ),
            (
                "podman run --rm -i -e KEY saltmarsh/mcp-tide",
                Posix,
                Plain,
                "mcp-tide: podman run --rm -i -e KEY saltmarsh/mcp-tide | ",
            ),
            (
                "python3 -m tide_mcp.server --http",
                Posix,
                Plain,
                "tide_mcp.server: python3 -m tide_mcp.server --http | ",
            ),
            (
                "uvx --from git+https://git.example/tide-mcp tide",
                Posix,
                Plain,
                "tide-mcp: uvx --from git+https://git.example/tide-mcp tide | ",
            ),
            ("uv tool run --python 3.12 tide-mcp", Posix, Plain, "tide-mcp: uv tool run --python 3.12 tide-mcp | "),
            (
                "ssh ops@far.example \"KEY=1 npx tide-mcp\"",
                Posix,
                Plain,
                "tide-mcp: ssh ops@far.example KEY=1 npx tide-mcp | ",
            ),
            (
                "npx -y bridge --stdio 'npx tide-mcp' --port 80",
                Posix,
                Plain,
                "tide-mcp: npx -y bridge --stdio npx tide-mcp --port 80 | ",
            ),
            ("npm exec -y -- tide-mcp", Posix, Plain, "tide-mcp: npm exec -y -- tide-mcp | "),
            ("web: KEY=1 npx tide-mcp --port $PORT", Posix, Named, "tide-mcp: npx tide-mcp --port $PORT | KEY=1"),
            (
                "15 3 * * 1-5 KEY=1 /usr/bin/npx tide-mcp >> /var/log/x 2>&1",
                Posix,
                Timed,
                "tide-mcp: /usr/bin/npx tide-mcp | KEY=1",
            ),
            ("@daily root npx tide-mcp", Posix, Timed, "tide-mcp: npx tide-mcp | "),
            (
                "$env:TIDE_KEY = \"q8Zk\"\r\nnpx.cmd tide-mcp\r\n",
                PowerShell,
                Plain,
                "tide-mcp: npx.cmd tide-mcp | TIDE_KEY=q8Zk",
            ),
            ("set TIDE_KEY=q8Zk\r\ncall npx tide-mcp\r\n", Batch, Plain, "tide-mcp: npx tide-mcp | TIDE_KEY=q8Zk"),
        ] {
            assert_eq!(told(text, dialect, kind), [want], "{text}");
        }
    }

    #[test]
    fn what_starts_no_tool_server_is_silent() {
        for text in [
            "npx -y @saltmarsh/tides",
            "npm install -g @saltmarsh/tide-mcp",
            "docker build -t saltmarsh/tide-mcp .",
            "docker push saltmarsh/tide-mcp:1.0",
            "docker run --rm -v mcp:/data postgres:16 psql",
            "docker run --name tide-mcp --network mcp postgres:16",
            "echo npx -y tide-mcp",
            "# npx -y tide-mcp",
            "npx -y tide-mcp --help",
            "npx -y <tide-mcp>",
            "npx create-mcp-server tides",
            "npx @modelcontextprotocol/inspector node a.js",
            "agent mcp add tide -- npx -y tide-mcp",
            "pytest tests/mcp && npx eslint mcp",
            "npx $MCP_PACKAGE",
            "Usage: npx -y tide-mcp",
        ] {
            assert!(told(text, Dialect::Posix, Lines::Plain).is_empty(), "{text}");
        }
    }
}
