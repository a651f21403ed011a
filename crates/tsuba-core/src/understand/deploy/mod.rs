//! Deployment files: what they run is put into the words of a container engine's command line, each word at the place where it is written, and
//! is then understood and judged like any other entry. Only what runs a tool server counts: an ordinary service is nobody's setup.

mod annotations;
mod cluster;
mod compose;
mod dockerfile;
mod kept;
mod kubernetes;
mod proxied;
mod quadlet;
mod shaped;
mod unit;

use super::launch::{BUILT_HERE, unwrap};
use super::setup::SetupKind;
use crate::prelude::*;
use crate::read::{Document, Key, Member, Node, Notation, Value};
use crate::text::{Located, Pointer, Span, speaks_of_servers};

pub(crate) use cluster::Workload;
pub(in crate::understand) use cluster::cluster;
pub use cluster::{Binding, Cluster, Grant, Route, Service};
pub(crate) use kept::REFERENCE;
pub(crate) use unit::USER;

/// A secret that a file keeps for a tool server in a cluster: what it is called, and what it holds.
pub(super) struct ClusterSecret {
    pub(super) name: String,
    pub(super) values: Vec<(String, Located)>,
}

/// The secrets of a document that are tool servers' by their names.
pub(super) fn cluster_secrets(document: &Document) -> Vec<ClusterSecret> {
    let objects = document.rooted().flat_map(|(at, root)| kubernetes::objects(root, &at));
    let generated = document.rooted().flat_map(|(at, root)| kept::generated(root, &at));
    objects.filter_map(|(at, object)| kept::secret(object, &at)).chain(generated).collect()
}

/// Does a document keep secrets of a cluster in a form in which they cannot be masked line by line?
pub(crate) fn packs_secrets(document: &Document) -> bool {
    document.rooted().flat_map(|(at, root)| kubernetes::objects(root, &at)).any(|(_, object)| kept::packs(object))
}

/// A server that is put together from several places of a document.
#[derive(Clone, Debug)]
pub(crate) struct Made {
    /// Its name.
    pub(crate) name: Located,
    /// Where it is.
    pub(crate) pointer: Pointer,
    /// Its settings, as a client would have them.
    pub(crate) node: Node,
    /// Shell lines that are run while it is built.
    pub(crate) lines: Vec<Located>,
    /// Images that something is taken from while it is built.
    pub(crate) images: Vec<Located>,
    /// Is it a file that builds an image, and starts none?
    pub(crate) builds: bool,
}

impl Made {
    /// A server that is written as a client has it, at another place than a client would write it.
    pub(crate) fn whole(name: Located, pointer: Pointer, node: Node) -> Self {
        Self { name, pointer, node, lines: Vec::new(), images: Vec::new(), builds: false }
    }
}

/// What of a document runs tool servers, and what kind of document that makes it.
pub(super) fn made(document: &Document) -> Option<(SetupKind, Vec<Made>)> {
    let found = match document.notation {
        Notation::Dockerfile => (SetupKind::Image, Some(dockerfile::made(document))),
        Notation::Unit => (SetupKind::Unit, Some(unit::made(document))),
        Notation::Yaml | Notation::Json => {
            let roots: Vec<(Pointer, &Node)> = document.rooted().collect();
            let kubernetes = kubernetes::made(&roots);
            let compose = || roots.iter().flat_map(|(at, root)| compose::made(root, at)).collect::<Vec<_>>();
            match kubernetes.is_empty() {
                true => (SetupKind::Compose, Some(compose()).filter(|made| !made.is_empty())),
                false => (SetupKind::Kubernetes, Some(kubernetes)),
            }
        }
        Notation::Hcl => (SetupKind::Workload, None),
        Notation::Plist => (SetupKind::Unit, Some(unit::desktop(document))),
        Notation::Toml
        | Notation::Dotenv
        | Notation::Csv
        | Notation::Fields
        | Notation::Script
        | Notation::Prose
        | Notation::Pasted
        | Notation::Key
        | Notation::Token => return None,
    };
    let (kind, made) = match found {
        (kind, Some(made)) => (kind, made),
        (_, None) => (SetupKind::Workload, shaped::made(document)),
    };
    (!made.is_empty()).then_some((kind, made))
}

/// Could these bytes deploy or publish a tool server? For files that cannot be parsed.
pub(super) fn looks_like_deployment(bytes: &[u8]) -> bool {
    let has = |word: &str| memchr::memmem::find(bytes, word.as_bytes()).is_some();
    let kinds = ["\nservices:", "apiVersion:", "\"registryType\"", "\"manifest_version\"", "\"identityRoles\""];
    (has("mcp") || has("MCP")) && (kinds.iter().any(|word| has(word)) || bytes.starts_with(b"services:"))
}

/// A setting of a deployment file as it is written there, without the option of a command line that it stands for: `hostNetwork: true`,
/// `USER root`. `None` where the kind of file has command lines, which are quoted as they are.
pub(crate) fn as_written(kind: SetupKind, text: &str, setting: &Located) -> Option<String> {
    let between = match kind {
        SetupKind::Compose | SetupKind::Kubernetes | SetupKind::Workload => ": ",
        SetupKind::Unit => "=",
        SetupKind::Image => " ",
        _ => return None,
    };
    let is_index = |part: &&str| part.bytes().all(|byte| byte.is_ascii_digit());
    let key = setting.pointer.as_str().rsplit('/').find(|part| !is_index(part))?;
    let value = text.get(setting.span.range())?.trim().trim_matches(['"', '\'']);
    Some(format!("{key}{between}{value}"))
}

/// A word at a place.
fn word(text: impl Into<String>, span: Span, at: &Pointer) -> Node {
    Node { at: Some(Box::new(at.clone())), ..Node::new(span, Value::Text(text.into())) }
}

/// A container that a file runs.
#[derive(Clone, Debug)]
struct Running {
    name: Located,
    pointer: Pointer,
    span: Span,
    /// Options of the engine.
    options: Vec<Node>,
    image: Option<Node>,
    /// What is run in it, where that is written.
    command: Vec<Node>,
    env: Option<Node>,
    lines: Vec<Located>,
    images: Vec<Located>,
    /// Other words that may say what it is.
    about: Vec<String>,
    builds: bool,
}

impl Running {
    fn new(name: Located, pointer: Pointer, span: Span) -> Self {
        Self {
            name,
            pointer,
            span,
            options: Vec::new(),
            image: None,
            command: Vec::new(),
            env: None,
            lines: Vec::new(),
            images: Vec::new(),
            about: Vec::new(),
            builds: false,
        }
    }

    /// An option with a value, at the place of the value.
    fn option(&mut self, name: &str, text: impl Into<String>, span: Span, at: &Pointer) {
        self.options.push(word(format!("{name}={}", text.into()), span, at));
    }

    /// A switch.
    fn switch(&mut self, name: &str, span: Span, at: &Pointer) {
        self.options.push(word(name, span, at));
    }

    /// As a client would have it; `None` where it runs no tool server.
    fn made(self) -> Option<Made> {
        let own = core::iter::once(&self.name.text).chain(&self.about);
        let texts = |nodes: &[Node]| nodes.iter().filter_map(|node| node.text().map(str::to_owned)).collect::<Vec<_>>();
        let written =
            texts(&self.command).into_iter().chain(self.image.iter().filter_map(|i| i.text().map(str::to_owned)));
        let said = own.cloned().chain(written).any(|text| speaks_of_servers(&text));
        let env = self
            .env
            .iter()
            .flat_map(variables)
            .any(|(name, value)| speaks_of_servers(&name) || speaks_of_servers(&value));
        let words: Vec<Located> = self.command.iter().filter_map(|node| node.located(Pointer::root())).collect();
        let bridged = || !words.is_empty() && unwrap("", &words).is_bridged();
        if !(said || env || bridged()) {
            return None;
        }
        let mut args = vec![word("run", self.name.span, &self.pointer)];
        args.extend(self.options);
        // What is built here is what lies here: no registry can put another in its place.
        let built = || word(format!("{}@{BUILT_HERE}", self.name.text), self.name.span, &self.pointer);
        let image = self.image.unwrap_or_else(built);
        args.push(image);
        args.extend(self.command);
        let member =
            |text: &str, value: Node| Member { key: Key { text: text.to_owned(), span: self.name.span }, value };
        let mut members = vec![
            member("command", word("docker", self.name.span, &self.pointer)),
            member("args", Node::new(self.span, Value::List(args))),
        ];
        members.extend(self.env.map(|env| member("env", env)));
        let node = Node::new(self.span, Value::Map(members));
        let (lines, images, builds) = (self.lines, self.images, self.builds);
        Some(Made { name: self.name, pointer: self.pointer, node, lines, images, builds })
    }
}

/// Names and values of an environment, as a map or as a list.
fn variables(env: &Node) -> Vec<(String, String)> {
    let of_members = env
        .members()
        .iter()
        .map(|member| (member.key.text.clone(), member.value.scalar().map(Cow::into_owned).unwrap_or_default()));
    let of_items = env.items().iter().filter_map(|item| match item.get("name") {
        Some(name) => {
            let value = item.get("value").and_then(Node::scalar).map(Cow::into_owned).unwrap_or_default();
            Some((name.text()?.to_owned(), value))
        }
        None => item.scalar().map(|text| {
            let (name, value) = text.split_once('=').unwrap_or((&text, ""));
            (name.to_owned(), value.to_owned())
        }),
    });
    of_members.chain(of_items).collect()
}

/// The words of a command that is written as a list, or as one line for a shell.
fn command(node: &Node, pointer: &Pointer, shell: bool) -> Vec<Node> {
    if node.is_list() {
        return node.clone().placed(pointer).items().to_vec();
    }
    let Some(text) = node.scalar().filter(|text| !text.trim().is_empty()) else { return Vec::new() };
    if shell {
        let inside = |text: &str| word(text, node.span, pointer);
        return vec![inside("sh"), inside("-c"), word(text.into_owned(), node.span, pointer)];
    }
    text.split_whitespace().map(|part| word(part, node.span, pointer)).collect()
}

#[cfg(test)]
mod tests;
