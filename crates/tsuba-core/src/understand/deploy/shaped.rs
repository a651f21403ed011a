//! Containers wherever a file describes them: task definitions of container services, jobs of schedulers, infrastructure as code, the values of a
//! chart; and programs that an editor starts. They are known by their shape: an image, and beside it what it is started with.

use super::{Made, Running, command, word};
use crate::prelude::*;
use crate::read::{Document, Key, Member, Node, Notation, Value};
use crate::text::{Located, Pointer, Span, speaks_of_servers, words_of};

/// Deeper no container is looked for.
const MAX_SEARCH: usize = 16;
/// Nor below a key of more bytes: each value below would copy it.
const MAX_KEY_BYTES: usize = 1024;
/// More are not told of one file.
const MAX_CONTAINERS: usize = 2_000;
/// So many settings of a chart are looked at.
const MAX_VALUES: usize = 500;
/// Keys of lists of containers, and of programs that an editor starts.
const LISTED: &[&str] = &["containerDefinitions", "container_definitions", "containers", "configurations"];
/// Keys under which variables stand.
const ENVIRONMENT: &[&str] = &["environment", "env", "envVars", "extraEnv", "extraEnvVars", "environment_variables"];
/// What a container has besides its image.
const BESIDE: &[&str] = &[
    "environment",
    "env",
    "command",
    "args",
    "entryPoint",
    "entrypoint",
    "essential",
    "ports",
    "port_mappings",
    "volumes",
];

/// The containers of a document that run tool servers.
pub(super) fn made(document: &Document) -> Vec<Made> {
    let mut found = Found { out: Vec::new(), infrastructure: document.notation == Notation::Hcl };
    for (at, root) in document.rooted() {
        match document.notation {
            Notation::Yaml => found.out.extend(chart(document, root, &at)),
            Notation::Json if !LISTED.iter().any(|key| document.text.contains(key)) => {}
            _ => found.search(root, &at, 0, false),
        }
    }
    found.out
}

struct Found {
    out: Vec<Made>,
    /// Is every container of the file meant, and not only those in lists of containers?
    infrastructure: bool,
}

impl Found {
    fn search(&mut self, node: &Node, at: &Pointer, depth: usize, listed: bool) {
        if depth > MAX_SEARCH || self.out.len() >= MAX_CONTAINERS {
            return;
        }
        if listed || self.infrastructure {
            self.out.extend(container(node, at).and_then(Running::made));
        }
        if !self.infrastructure && at.as_str().contains("/configurations/") {
            self.out.extend(debugged(node, at));
        }
        for (index, item) in node.items().iter().enumerate() {
            self.search(item, &at.index(index), depth + 1, listed);
        }
        for member in node.effective() {
            let key = &member.key.text;
            let listed = key != "configurations" && LISTED.contains(&key.as_str());
            if (member.value.is_map() || member.value.is_list()) && key.len() <= MAX_KEY_BYTES {
                self.search(&member.value, &at.key(key), depth + 1, listed);
            }
        }
    }
}

/// A mapping with an image, as a container.
fn container(node: &Node, at: &Pointer) -> Option<Running> {
    // A scheduler has the image among the settings of its driver, and the variables beside those.
    let (inner, inner_at) = match node.get("config").filter(|config| config.get("image").is_some()) {
        Some(config) => (config, at.key("config")),
        None => (node, at.clone()),
    };
    let image = inner.get("image").filter(|image| image.text().is_some_and(names_image))?;
    if !BESIDE.iter().any(|key| node.get(key).is_some() || inner.get(key).is_some()) {
        return None;
    }
    let label = || at.as_str().rsplit('/').find(|part| !part.is_empty() && part.parse::<usize>().is_err());
    let name = match node.get("name").and_then(|name| name.located(at.key("name"))) {
        Some(name) => name,
        None => Located { text: label().unwrap_or("container").to_owned(), span: head(node), pointer: at.clone() },
    };
    let mut running = Running::new(name, at.clone(), node.span);
    running.image = Some(image.clone().placed(&inner_at.key("image")));
    for key in ["entryPoint", "entrypoint", "command", "args"] {
        if let Some(words) = inner.get(key) {
            running.command.extend(command(words, &inner_at.key(key), false));
        }
    }
    if let Some(privileged) = inner.get("privileged").filter(|node| node.truth() == Some(true)) {
        running.switch("--privileged", privileged.span, &inner_at.key("privileged"));
    }
    for (index, item) in inner.get("volumes").map(Node::items).unwrap_or_default().iter().enumerate() {
        if let Some(text) = item.text() {
            running.option("--volume", text, item.span, &inner_at.key("volumes").index(index));
        }
    }
    let env = node.first(ENVIRONMENT).or_else(|| inner.first(ENVIRONMENT));
    running.env = env.map(|(key, env)| environment(env, &at.key(key)));
    Some(running)
}

/// Where a mapping begins: what has no name stands there, and nothing of it stands in that.
fn head(node: &Node) -> Span {
    Span { end: node.span.start.saturating_add(1).min(node.span.end), ..node.span }
}

/// A program as an editor starts it to look into it: `{type, program, args, env}`.
fn debugged(node: &Node, at: &Pointer) -> Option<Made> {
    let (key, program) = node.first(&["program", "module", "runtimeExecutable"])?;
    let program = program.located(at.key(key))?;
    let words = node.get("args").map(Node::items).unwrap_or_default();
    let texts = words.iter().filter_map(Node::text).chain([program.text.as_str()]);
    if !texts.into_iter().any(speaks_of_servers) {
        return None;
    }
    let member = |text: &str, value: Node| Member { key: Key { text: text.to_owned(), span: program.span }, value };
    let started = |text: &str| word(text, program.span, &program.pointer);
    let mut args = Vec::new();
    let command = match (key, node.get("type").and_then(Node::text)) {
        ("runtimeExecutable", _) => started(&program.text),
        ("module", _) => {
            args.extend([started("-m"), started(&program.text)]);
            started("python")
        }
        (_, kind) => {
            args.push(started(&program.text));
            started(if kind.is_some_and(|kind| kind.contains("py")) { "python" } else { "node" })
        }
    };
    args.extend(words.iter().enumerate().map(|(index, item)| item.clone().placed(&at.key("args").index(index))));
    let mut members = vec![member("command", command), member("args", Node::new(node.span, Value::List(args)))];
    for key in ["env", "envFile", "cwd"] {
        members.extend(node.get(key).map(|value| member(key, value.clone().placed(&at.key(key)))));
    }
    let name = node.get("name").and_then(|name| name.located(at.key("name"))).unwrap_or_else(|| program.clone());
    Some(Made::whole(name, at.clone(), Node::new(node.span, Value::Map(members))))
}

/// A picture or a template of a machine is called so, too.
fn names_image(text: &str) -> bool {
    let ending = text.rsplit_once('.').map_or("", |(_, ending)| ending);
    !matches!(ending, "gif" | "jpeg" | "jpg" | "png" | "svg" | "webp") && !text.contains([' ', '\n'])
}

/// Variables as a mapping or as a list; a single block of a name and a value is a list of one.
fn environment(env: &Node, at: &Pointer) -> Node {
    let single = env.members().len() == 2 && env.get("name").is_some() && env.get("value").is_some();
    let env = env.clone().placed(at);
    if single { Node { at: env.at.clone(), ..Node::new(env.span, Value::List(vec![env])) } } else { env }
}

/// The values of a chart: an image by its parts, and settings of whatever names beside it.
fn chart(document: &Document, root: &Node, at: &Pointer) -> Vec<Made> {
    let parts = |node: &Node| node.get("image").is_some_and(|image| image.get("repository").is_some());
    let below = root.effective().filter(|member| member.value.is_map());
    let nested = below.map(|member| (&member.value, at.key(&member.key.text))).collect::<Vec<_>>();
    let all = core::iter::once((root, at.clone())).chain(nested).filter(|(node, _)| parts(node));
    all.take(MAX_CONTAINERS).filter_map(|(node, own)| released(document, node, &own)).collect()
}

fn released(document: &Document, node: &Node, at: &Pointer) -> Option<Made> {
    let (image, image_at) = (node.get("image")?, at.key("image"));
    let part = |key: &str| image.get(key).and_then(Node::scalar).filter(|text| !text.is_empty());
    let repository = part("repository")?;
    let registry = part("registry").map(|registry| format!("{registry}/")).unwrap_or_default();
    let version = match (part("digest"), part("tag")) {
        (Some(digest), _) => format!("@{digest}"),
        (None, Some(tag)) => format!(":{tag}"),
        // The chart itself names its version, which is not written here.
        (None, None) => format!(":{UNWRITTEN}"),
    };
    let name = node.first(&["fullnameOverride", "nameOverride"]).and_then(|(key, name)| name.located(at.key(key)));
    let folder = document.path.rsplit(['/', '\\']).nth(1).unwrap_or("chart");
    let own = || repository.rsplit('/').next().unwrap_or(folder).to_owned();
    let name = name.filter(|name| !name.text.is_empty());
    let name = name.unwrap_or_else(|| Located { text: own(), span: image.span, pointer: image_at.clone() });
    let mut running = Running::new(name, at.clone(), node.span);
    let span = image.get("repository")?.span;
    running.image = Some(word(format!("{registry}{repository}{version}"), span, &image_at.key("repository")));
    let mut set = Vec::new();
    values(node, at, 0, &mut set);
    running.env = Some(Node { at: Some(Box::new(at.clone())), ..Node::new(node.span, Value::Map(set)) });
    running.about.push(folder.to_owned());
    running.made()
}

/// What a chart calls the version of an image that it fills in itself.
const UNWRITTEN: &str = "${APP_VERSION}";

/// Settings with a value, and variables by their own names.
fn values(node: &Node, at: &Pointer, depth: usize, out: &mut Vec<Member>) {
    for member in node.effective().filter(|member| member.key.text != "image") {
        if out.len() >= MAX_VALUES || depth > 4 {
            return;
        }
        let own = at.key(&member.key.text);
        if member.value.text().is_some() {
            // Names of words, since settings are not written as variables are.
            let name = words_of(&member.key.text).join("_").to_uppercase();
            let key = Key { text: name, span: member.key.span };
            out.push(Member { key, value: member.value.clone().placed(&own) });
        } else if member.value.is_map() {
            values(&member.value, &own, depth + 1, out);
        }
        for (index, item) in member.value.items().iter().enumerate() {
            if let (Some(name), Some(value)) = (item.get("name").and_then(Node::text), item.get("value")) {
                let key = Key { text: name.to_owned(), span: value.span };
                out.push(Member { key, value: value.clone().placed(&own.index(index).key("value")) });
            }
        }
    }
}
