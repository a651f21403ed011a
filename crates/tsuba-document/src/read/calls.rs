//! Programs that start or call a tool server with the official kits of the protocol: the literal command, arguments, address, variables and headers of
//! the call, nothing guessed: a name counts where it stands for one literal of the program (`constants.rs`). What is put together while it runs is not
//! there.

use super::constants::{Constants, constants};
use super::literal::{MAX_DEPTH, Reader};
use super::pasted::client;
use super::{Node, Value};
use crate::prelude::*;
use crate::text::Span;

/// What a call's name says of what it is handed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Says {
    /// How a server is started, by names or by place: command, arguments.
    Starts,
    /// Where a server is called.
    Calls,
}

/// Names of the kits: parameters of a started server, and clients over HTTP.
const NAMES: &[(&str, Says)] = &[
    // Python
    ("StdioServerParameters", Says::Starts),
    ("MCPServerStdio", Says::Starts),
    ("streamablehttp_client", Says::Calls),
    ("streamable_http_client", Says::Calls),
    ("sse_client", Says::Calls),
    ("MCPServerStreamableHttp", Says::Calls),
    ("MCPServerSse", Says::Calls),
    // TypeScript, C#
    ("StdioClientTransport", Says::Starts),
    ("StdioClientTransportOptions", Says::Starts),
    ("StreamableHTTPClientTransport", Says::Calls),
    ("SSEClientTransport", Says::Calls),
    ("SseClientTransport", Says::Calls),
    ("HttpClientTransportOptions", Says::Calls),
    ("SseClientTransportOptions", Says::Calls),
    // Java
    ("ServerParameters.builder", Says::Starts),
    ("HttpClientSseClientTransport.builder", Says::Calls),
    ("HttpClientStreamableHttpTransport.builder", Says::Calls),
    // Go
    ("mcp.CommandTransport", Says::Starts),
    ("mcp.StreamableClientTransport", Says::Calls),
    ("mcp.SSEClientTransport", Says::Calls),
    // Rust
    ("TokioChildProcess::new", Says::Starts),
    ("StreamableHttpClientTransport::from_uri", Says::Calls),
    ("SseClientTransport::start", Says::Calls),
];

/// Names of what a call is handed, which a variable has for short.
const GIVEN: &[&str] = &["command", "args", "env", "url", "headers"];

/// Words without one of which no text has such a call.
pub(super) const WORDS: &[&str] = &[
    "StdioServerParameters",
    "MCPServer",
    "ClientTransport",
    "ServerParameters",
    "http_client",
    "sse_client",
    "mcp.",
    "TokioChildProcess",
    "HttpTransport",
];

/// A call's arguments are longer nowhere (bytes).
const MAX_CALL_BYTES: usize = 16 << 10;

/// The servers that a program starts or calls, each as a client's setup has it, at most so many.
pub(super) fn calls(text: &str, most: usize) -> Vec<Node> {
    let mut out = Vec::new();
    // Calls that are never closed are each looked through to the bound: together no further than a few times the text.
    let mut left = text.len().saturating_mul(4).saturating_add(MAX_CALL_BYTES);
    let names = core::cell::OnceCell::new();
    for (name, says) in NAMES {
        for at in memchr::memmem::find_iter(text.as_bytes(), name.as_bytes()) {
            let apart = |c: Option<char>| c.is_none_or(|c| !(c.is_alphanumeric() || c == '_'));
            let before = text.get(..at).and_then(|head| head.chars().next_back());
            let behind = text.get(at + name.len()..).unwrap_or_default();
            if out.len() >= most || !apart(before) || !apart(behind.chars().next()) {
                continue;
            }
            if left == 0 {
                return out;
            }
            let (server, end) = call(text, at, name, *says, names.get_or_init(|| constants(text)));
            left = left.saturating_sub(end - at);
            out.extend(server);
        }
    }
    out.sort_by_key(|root| root.span.start);
    out.dedup_by_key(|root| root.span);
    out
}

/// One call: what stands in its parentheses or braces, and, with builders, in those of the calls chained to it.
fn call(text: &str, at: usize, name: &str, says: Says, names: &Constants) -> (Option<Node>, usize) {
    let mut reader = Reader { text, at: at + name.len(), end: text.len().min(at + MAX_CALL_BYTES), depth: 0, names };
    reader.end = crate::text::boundary(text, reader.end);
    let mut given = Given::default();
    reader.blanks();
    let whole = reader.all(&mut given);
    let server = whole.and_then(|()| given.server(says, Span::new(at, reader.at), text));
    (server, reader.at.max(at))
}

/// What a call is handed.
#[derive(Default)]
struct Given {
    /// By name.
    named: Vec<(String, Node)>,
    /// By place.
    placed: Vec<Node>,
}

impl Given {
    fn take(&self, names: &[&str]) -> Option<&Node> {
        let is = |name: &str| names.contains(&crate::text::normal(name).as_str());
        self.named.iter().find(|(name, _)| is(name)).map(|(_, node)| node)
    }

    fn server(self, says: Says, whole: Span, text: &str) -> Option<Node> {
        let first = self.placed.iter().find(|node| node.text().is_some());
        let mut members: Vec<(&str, Node)> = Vec::new();
        match says {
            Says::Starts => {
                let command = self.take(&["command"]).or(first).filter(|node| node.text().is_some())?;
                members.push(("command", command.clone()));
                // Some kits take them by place: `MCPServerStdio("npx", ["-y", "x"])`.
                let listed = || self.placed.iter().find(|node| node.is_list());
                let args = self.take(&["args", "arguments"]).or_else(listed);
                let mut args: Vec<Node> = args.map(|args| args.items().to_vec()).unwrap_or_default();
                if self.take(&["command"]).is_none() {
                    let rest = self.placed.iter().filter(|node| node.text().is_some()).skip(1).cloned();
                    args.splice(0..0, rest);
                }
                let chained = self.named.iter().filter(|(name, _)| matches!(name.as_str(), ".arg" | ".args"));
                for (_, node) in chained {
                    if node.is_list() { args.extend(node.items().iter().cloned()) } else { args.push(node.clone()) }
                }
                members.push(("args", Node::new(whole, Value::List(args))));
                let env = self.take(&["env", "environmentvariables", "environment"]);
                members.extend(env.filter(|env| env.is_map()).map(|env| ("env", env.clone())));
            }
            Says::Calls => {
                let url = self
                    .take(&["url", "endpoint", "uri", "serverurl"])
                    .or(first)
                    .filter(|node| node.text().is_some_and(|url| url.contains("://")))?;
                members.push(("url", url.clone()));
                let headers = self.take(&["headers", "additionalheaders"]).filter(|headers| headers.is_map());
                members.extend(headers.map(|headers| ("headers", headers.clone())));
            }
        }
        let named = self.take(&["name"]).and_then(Node::text).map(str::to_owned);
        let own = || members.first().and_then(|(_, node)| node.text()).unwrap_or("server").to_owned();
        let name = named.unwrap_or_else(|| called(&own(), &members));
        let span = Span::new(whole.start as usize, (whole.end as usize).min(text.len()));
        Some(client(&name, members, span))
    }
}

/// What a server is called that nobody has named: its package or program, else the host that is called.
fn called(first: &str, members: &[(&str, Node)]) -> String {
    if let Some((_, rest)) = first.split_once("://") {
        return rest.split(['/', '?', ':']).next().unwrap_or(rest).to_owned();
    }
    let args = members.iter().find(|(key, _)| *key == "args").map(|(_, args)| args.items()).unwrap_or_default();
    let own = args.iter().filter_map(Node::text).find(|word| !word.starts_with('-') && word.len() > 3);
    let text = own.unwrap_or(first).trim_start_matches('@');
    let bare = text.split(['@', '=']).next().unwrap_or(text);
    bare.rsplit(['/', '\\']).next().unwrap_or(bare).to_owned()
}

impl Reader<'_> {
    /// `.name` of a chained call, where one follows.
    fn chained(&mut self) -> Option<String> {
        let before = self.at;
        self.blanks();
        if self.take('.') {
            let name = format!(".{}", self.word());
            self.blanks();
            if self.peek() == Some('(') {
                return Some(name);
            }
        }
        self.at = before;
        None
    }

    /// What a call and those chained to it are handed: `.args("-y", "x")`.
    fn all(&mut self, given: &mut Given) -> Option<()> {
        self.arguments(given, None)?;
        while let Some(chained) = self.chained() {
            self.arguments(given, Some(&chained))?;
        }
        Some(())
    }

    /// What stands in parentheses or braces; `chained` is the name of the call. `None` where none open.
    fn arguments(&mut self, given: &mut Given, chained: Option<&str>) -> Option<()> {
        let close = match self.peek()? {
            '(' => ')',
            '{' => '}',
            _ => return None,
        };
        self.at += 1;
        loop {
            self.blanks();
            if self.take(close) {
                break;
            }
            self.peek()?;
            let before = self.at;
            self.argument(given, chained, 0);
            self.past(close);
            if !self.take(',') && self.peek() != Some(close) && self.at == before {
                return None;
            }
        }
        // `new StdioClientTransportOptions() { … }`
        let after = self.at;
        self.blanks();
        if close == ')' && self.peek() == Some('{') && chained.is_none() {
            return self.arguments(given, chained);
        }
        self.at = after;
        Some(())
    }

    /// One argument: `name = value`, `name: value`, a mapping of such, a value.
    fn argument(&mut self, given: &mut Given, chained: Option<&str>, depth: usize) {
        let before = self.at;
        let word = self.word();
        self.blanks();
        let assigns = matches!(self.peek(), Some('=' | ':'))
            && !["==", "=>", "::"].iter().any(|sign| self.rest().starts_with(sign));
        if !word.is_empty() && assigns {
            self.at += 1;
            self.blanks();
            // `params={…}`, `cmd: exec.Command(…)`, `Command: exec.Command(…)`
            let holds =
                matches!(crate::text::normal(&word).as_str(), "params" | "serverparams" | "options" | "requestinit");
            if holds && self.peek() == Some('{') && depth < MAX_DEPTH {
                return self.members(given, depth + 1);
            }
            let start = self.at;
            match self.value(0) {
                Some(value) => given.named.push((word, value)),
                None => {
                    self.at = start;
                    self.inner(given);
                }
            }
            return;
        }
        self.at = before;
        // `.configure(|command| { command.arg("-y"); })`
        if chained == Some(".configure") && self.peek() == Some('|') {
            return self.closure(given);
        }
        // `new() { Name = … }`
        if self.rest().starts_with("new()") {
            self.at += "new()".len();
            self.blanks();
        }
        if self.peek() == Some('{') && chained.is_none() && depth < MAX_DEPTH {
            return self.members(given, depth + 1);
        }
        match self.value(0) {
            Some(value) => match chained {
                Some(name) => given.named.push((name.to_owned(), value)),
                // `{ command, args }`: what stands for itself.
                None if GIVEN.contains(&word.as_str()) => given.named.push((word, value)),
                None => given.placed.push(value),
            },
            None => {
                self.at = before;
                self.inner(given);
            }
        }
    }

    /// What a function without a name does to the command that it is handed.
    fn closure(&mut self, given: &mut Given) {
        self.at += 1;
        self.at += self.rest().find('|').map_or(0, |end| end + 1);
        let mut open = 0_usize;
        while let Some(c) = self.peek() {
            match c {
                '(' | '[' | '{' => open += 1,
                ')' | ']' | '}' if open == 0 => return,
                ')' | ']' | '}' => open -= 1,
                '"' if self.string(c).is_some() => continue,
                '.' => {
                    if let Some(name) = self.chained()
                        && self.arguments(given, Some(&name)).is_some()
                    {
                        continue;
                    }
                }
                _ => {}
            }
            self.at += self.peek().map_or(0, char::len_utf8);
        }
    }

    /// `{ name: value, … }` as arguments.
    fn members(&mut self, given: &mut Given, depth: usize) {
        self.at += 1;
        loop {
            self.blanks();
            if self.take('}') || self.peek().is_none() {
                return;
            }
            let before = self.at;
            // Names in quotes are names all the same.
            if let Some('"' | '\'') = self.peek() {
                if let Some(Value::Text(name)) = self.value(0).map(|node| node.value) {
                    self.blanks();
                    if self.take(':') {
                        self.blanks();
                        if let Some(value) = self.value(0) {
                            given.named.push((name, value));
                        }
                    }
                }
            } else {
                self.argument(given, None, depth);
            }
            self.past('}');
            self.take(',');
            if self.at == before {
                self.at += 1;
            }
        }
    }

    /// A call within: `new URL("…")`, `new Uri("…")`, `exec.Command("npx", "-y")`, `Command::new("npx")`, `&exec.Cmd{…}`. What it is handed counts.
    fn inner(&mut self, given: &mut Given) {
        const CALLS: &[&str] = &["new URL", "new Uri", "exec.Command", "Command::new", "new ProcessBuilder"];
        let rest = self.rest().trim_start_matches(['&', ' ']);
        let lead = self.rest().len() - rest.len();
        if let Some(name) = CALLS.iter().find(|name| rest.starts_with(*name)).filter(|_| self.depth < MAX_DEPTH) {
            self.depth += 1;
            self.at += lead + name.len();
            self.blanks();
            let before = given.placed.len();
            if self.arguments(given, None).is_some() {
                while let Some(chained) = self.chained() {
                    if self.arguments(given, Some(&chained)).is_none() {
                        break;
                    }
                }
            }
            // An address has a name that says so: nothing else of it is meant.
            if name.starts_with("new U")
                && let Some(url) = given.placed.get(before).cloned()
            {
                given.named.push(("url".to_owned(), url));
            }
            self.depth -= 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(text: &str) -> Vec<String> {
        let server = |root: &Node| {
            let server = &root.get("mcpServers").unwrap().members()[0];
            let node = &server.value;
            let args = node.get("args").map(Node::items).unwrap_or_default().iter().filter_map(Node::text);
            let what = node.first(&["command", "url"]).and_then(|(_, node)| node.text()).unwrap_or_default();
            let set = node.first(&["env", "headers"]).map(|(_, node)| node.members()).unwrap_or_default();
            let set = set.iter().map(|m| format!("{}={}", m.key.text, &text[m.value.span.range()]));
            let words: Vec<String> = [what.to_owned()].into_iter().chain(args.map(str::to_owned)).chain(set).collect();
            format!("{}: {}", server.key.text, words.join(" "))
        };
        calls(text, 9).iter().map(server).collect()
    }

    #[test]
    fn literals_of_every_kit_are_read() {
        for (text, want) in [
            (
                "p = StdioServerParameters(\n  command=\"npx\",  # ours\n  args=[\"-y\", \"@saltmarsh/tides\"],\n  env={\"TIDE_KEY\": \"q8Zk\", \"HOME\": os.environ[\"HOME\"]},\n)",
                &["tides: npx -y @saltmarsh/tides TIDE_KEY=\"q8Zk\""][..],
            ),
            (
                "async with MCPServerStdio(name=\"quay\", params={\"command\": \"uvx\", \"args\": [\"saltmarsh-quay\"]}) as s:",
                &["quay: uvx saltmarsh-quay"],
            ),
            (
                "server = MCPServerStdio('uvx', ['saltmarsh-quay==1.0'], env={'QUAY_KEY': 'q8Zk'})",
                &["saltmarsh-quay: uvx saltmarsh-quay==1.0 QUAY_KEY='q8Zk'"],
            ),
            (
                "async with streamablehttp_client(\"https://quay.example/mcp\", headers={\"X-Key\": \"q8Zk\"}) as c:",
                &["quay.example: https://quay.example/mcp X-Key=\"q8Zk\""],
            ),
            (
                "const t = new StdioClientTransport({ command: 'npx', args: ['-y', `@saltmarsh/tides`], env: { ...process.env, TIDE_KEY: 'q8Zk' } });",
                &["tides: npx -y @saltmarsh/tides TIDE_KEY='q8Zk'"],
            ),
            (
                "new StreamableHTTPClientTransport(new URL(\"https://quay.example/mcp\"), { requestInit: { headers: { Authorization: \"Bearer q8Zk\" } } })",
                &["quay.example: https://quay.example/mcp Authorization=\"Bearer q8Zk\""],
            ),
            (
                "new StdioClientTransport(new StdioClientTransportOptions { Name = \"Tides\", Command = \"npx\", Arguments = [\"-y\", \"tides\"] });",
                &["Tides: npx -y tides"],
            ),
            (
                "new SseClientTransport(new SseClientTransportOptions() { Endpoint = new Uri(\"https://quay.example/sse\") })",
                &["quay.example: https://quay.example/sse"],
            ),
            (
                "var p = ServerParameters.builder(\"npx\")\n  .args(\"-y\", \"@saltmarsh/tides\")\n  .build();",
                &["tides: npx -y @saltmarsh/tides"],
            ),
            (
                "t := &mcp.CommandTransport{Command: exec.Command(\"npx\", \"-y\", \"@saltmarsh/tides\")}",
                &["tides: npx -y @saltmarsh/tides"],
            ),
            (
                "&mcp.StreamableClientTransport{Endpoint: \"https://quay.example/mcp\"}",
                &["quay.example: https://quay.example/mcp"],
            ),
            (
                "TokioChildProcess::new(Command::new(\"npx\").arg(\"-y\").arg(\"tides-mcp\"))",
                &["tides-mcp: npx -y tides-mcp"],
            ),
            (
                "new StdioClientTransport(new()\n{\n  Name = \"cranes\",\n  Command = \"npx\",\n  Arguments = [\"-y\", \"cranes\"],\n});",
                &["cranes: npx -y cranes"],
            ),
            ("sse_client(\"https://qu\\x61y.example/\\u006dcp\")", &["quay.example: https://quay.example/mcp"]),
            (
                "URL = \"https://quay.example/mcp\"\nHEADERS = {\"X-Key\": \"q8Zk\"}\nasync with sse_client(URL, headers=HEADERS) as c:",
                &["quay.example: https://quay.example/mcp X-Key=\"q8Zk\""],
            ),
            (
                "const pkg = '@saltmarsh/tides';\nconst args = ['-y', pkg];\nnew StdioClientTransport({ command: 'npx', args });\nnew StdioClientTransport({ command: 'npx', args: args });",
                &["tides: npx -y @saltmarsh/tides"; 2],
            ),
            (
                "endpoint := \"https://quay.example/mcp\"\nt := &mcp.StreamableClientTransport{Endpoint: endpoint}",
                &["quay.example: https://quay.example/mcp"],
            ),
            (
                "const serverUrl = \"https://quay.example/mcp\";\nnew StreamableHTTPClientTransport(new URL(serverUrl))",
                &["quay.example: https://quay.example/mcp"],
            ),
            // Look-alikes: nothing is guessed.
            ("url = \"https://quay.example/\"\nsse_client(url + \"mcp\")", &[]),
            ("URL = \"https://quay.example/mcp\"\ndef run(URL):\n  sse_client(URL)", &[]),
            ("p = StdioServerParameters(command=cmd, args=[\"-y\", package])", &[]),
            ("import { StdioClientTransport } from \"@saltmarsh/kit\";", &[]),
            ("class StdioServerParameters(BaseModel):\n    command: str\n    args: list[str] = []", &[]),
            ("new StreamableHTTPClientTransport(new URL(`https://${host}/mcp`))", &[]),
            ("url = \"https://\" + host\nsse_client(url + \"/sse\")", &[]),
            ("function MyStdioClientTransport(a) { command: 'x' }", &[]),
        ] {
            assert_eq!(told(text), want, "{text}");
        }
    }

    #[test]
    fn whatever_is_in_it_it_ends() {
        for piece in [
            "StdioServerParameters(",
            "sse_client(\"",
            "mcp.CommandTransport{Command: exec.Command(",
            "MCPServerStdio(params={",
        ] {
            for rest in [
                "",
                "exec.Command(",
                "a={",
                "params={",
                "(((((((((",
                "{{{{[[[[",
                "\"a\", ",
                "a=",
                "{a:{a:{a:",
                "`${",
                "\\",
            ] {
                let text = format!("{piece}{}", rest.repeat(2000));
                let _ = calls(&text, 400);
                let _ = calls(&text.repeat(20), 400);
            }
        }
    }
}
