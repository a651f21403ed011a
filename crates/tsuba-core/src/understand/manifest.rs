//! Manifests by which a server is published: an entry of the open server registry (`server.json`), the manifest inside a bundle, and the
//! package's own manifest beside them.

use super::deploy::Made;
use super::launch::Package;
use super::own_package;
use super::setup::SetupKind;
use crate::prelude::*;
use crate::read::{Document, Key, Member, Node, Value};
use crate::text::{Located, Pointer, Span};

/// What a manifest says of what it publishes.
#[derive(Clone, Debug, Default)]
pub struct Manifest {
    /// The server's name in the registry.
    pub name: Option<Located>,
    /// Its version.
    pub version: Option<Located>,
    /// The packages that it names, or is.
    pub packages: Vec<Published>,
    /// Variables and headers whose values are secrets by their names, and which are not marked so.
    pub unmarked: Vec<Located>,
    /// Fields that still hold what a template put there.
    pub unfilled: Vec<Located>,
    /// Scripts that run when the package is installed, where it is the package's own manifest: the name of each, and what runs.
    pub scripts: Vec<(String, Located)>,
    /// What comes with the package, likewise.
    pub dependencies: Vec<Package>,
    /// What is packed with it, and comes from no registry: the name of each.
    pub bundled: Vec<Located>,
    /// The addresses that some of it comes from: they may hold a login.
    pub addresses: Vec<Located>,
}

/// A package of a manifest.
#[derive(Clone, Debug)]
pub struct Published {
    /// `npm`, `pypi`, `oci`, `nuget`, `mcpb`.
    pub kind: String,
    /// Its name.
    pub name: Located,
    /// Its version, where one is written.
    pub version: Option<Located>,
    /// Is the hash of its file written beside it?
    pub hashed: bool,
}

/// The servers that a manifest publishes, and what it says of them.
pub(super) fn made(document: &Document) -> Option<(SetupKind, Vec<Made>, Manifest)> {
    let root = document.roots.first().filter(|root| root.is_map())?;
    if is_registry_entry(root) {
        let (made, manifest) = registry_entry(root);
        return Some((SetupKind::Manifest, made, manifest));
    }
    if let Some(found) = bundle(root) {
        return Some((SetupKind::Manifest, found.0, found.1));
    }
    own_package::manifest(document, root).map(|manifest| (SetupKind::Manifest, Vec::new(), manifest))
}

const KINDS: &[&str] = &["registryType", "registry_type", "registry_name", "registryName"];

fn is_registry_entry(root: &Node) -> bool {
    let named = root.get("name").and_then(Node::text).is_some_and(|name| name.contains('/'));
    let packages = root.get("packages").map(Node::items).unwrap_or_default();
    let remotes = root.get("remotes").map(Node::items).unwrap_or_default();
    let is_package = |node: &Node| node.first(KINDS).is_some() && node.first(&["identifier", "name"]).is_some();
    let is_remote = |node: &Node| {
        let kind = node.first(&["type", "transport_type"]).and_then(|(_, kind)| kind.text());
        matches!(kind, Some("streamable-http" | "sse" | "http")) && node.get("url").is_some()
    };
    named && (packages.iter().any(is_package) || remotes.iter().any(is_remote))
}

fn registry_entry(root: &Node) -> (Vec<Made>, Manifest) {
    let field = |key: &str| root.get(key).and_then(|node| node.located(Pointer::root().key(key)));
    let mut manifest = Manifest {
        name: field("name"),
        version: field("version").or_else(|| {
            let detail = root.get("version_detail")?.get("version")?;
            detail.located(Pointer::root().key("version_detail").key("version"))
        }),
        unfilled: unfilled(root, &Pointer::root(), &["name", "version", "description"]),
        ..Manifest::default()
    };
    let short = manifest.name.as_ref().map(|name| name.with_text(name.text.rsplit('/').next().unwrap_or_default()));
    let name = short.unwrap_or_default();
    let mut out = Vec::new();
    for (index, package) in root.get("packages").map(Node::items).unwrap_or_default().iter().enumerate() {
        let at = Pointer::root().key("packages").index(index);
        out.extend(of_package(package, &at, &name, &mut manifest));
    }
    for (index, remote) in root.get("remotes").map(Node::items).unwrap_or_default().iter().enumerate() {
        let at = Pointer::root().key("remotes").index(index);
        let mut members = members(remote, &at, &["url", "type"]);
        members.push(member("headers", settings(remote, "headers", &at, &mut manifest.unmarked), remote.span));
        out.push(made_of(&name, &at, remote.span, members));
    }
    (out, manifest)
}

fn of_package(package: &Node, at: &Pointer, name: &Located, manifest: &mut Manifest) -> Option<Made> {
    let (_, kind) = package.first(KINDS)?;
    let kind = kind.text()?.to_owned();
    let (key, identifier) = package.first(&["identifier", "name"])?;
    let identifier = identifier.located(at.key(key))?;
    let version = package.get("version").and_then(|node| node.located(at.key("version")));
    manifest.packages.push(Published {
        kind: kind.clone(),
        name: identifier.clone(),
        version: version.clone(),
        hashed: package.first(&["fileSha256", "file_sha256"]).is_some(),
    });
    let pinned = |mark: &str| {
        let version = version.as_ref().map(|version| format!("{mark}{}", version.text)).unwrap_or_default();
        format!("{}{version}", identifier.text)
    };
    let (runner, spec): (&[&str], String) = match kind.as_str() {
        "npm" => (&["npx", "-y"], pinned("@")),
        "pypi" => (&["uvx"], pinned("==")),
        "oci" | "docker" => (
            &["docker", "run", "-i", "--rm"],
            if identifier.text.contains([':', '@']) { identifier.text.clone() } else { pinned(":") },
        ),
        "nuget" => (&["dnx"], pinned("@")),
        // A bundle is judged where it lies.
        _ => return None,
    };
    let place = |text: &str| Node {
        at: Some(Box::new(identifier.pointer.clone())),
        ..Node::new(identifier.span, Value::Text(text.to_owned()))
    };
    let mut words: Vec<Node> = runner.iter().map(|word| place(word)).collect();
    words.extend(arguments(package, &["runtimeArguments", "runtime_arguments"], at));
    words.push(place(&spec));
    words.extend(arguments(package, &["packageArguments", "package_arguments"], at));
    let mut words = words.into_iter();
    let mut members = vec![member("command", words.next()?, package.span)];
    members.push(member("args", Node::new(package.span, Value::List(words.collect())), package.span));
    for key in ["environmentVariables", "environment_variables"] {
        if package.get(key).is_some() {
            members.push(member("env", settings(package, key, at, &mut manifest.unmarked), package.span));
        }
    }
    if let Some(transport) = package.get("transport").filter(|transport| transport.get("url").is_some()) {
        members.extend(self::members(transport, &at.key("transport"), &["url", "type"]));
    }
    Some(made_of(name, at, package.span, members))
}

/// The arguments that are written: named ones with their names.
fn arguments(package: &Node, keys: &[&str], at: &Pointer) -> Vec<Node> {
    let Some((key, list)) = package.first(keys) else { return Vec::new() };
    let mut out = Vec::new();
    for (index, argument) in list.items().iter().enumerate() {
        let own = at.key(key).index(index);
        for field in ["name", "value"] {
            let named = field != "name" || argument.get("type").and_then(Node::text) == Some("named");
            if let Some(node) = argument.get(field).filter(|node| named && node.text().is_some()) {
                out.push(node.clone().placed(&own.key(field)));
            }
        }
    }
    out
}

/// Variables or headers with the values that are written, as a client has them. What is a secret by its name and is not marked so is noted.
fn settings(holder: &Node, key: &str, at: &Pointer, unmarked: &mut Vec<Located>) -> Node {
    let list = holder.get(key);
    let mut out = Vec::new();
    for (index, item) in list.map(Node::items).unwrap_or_default().iter().enumerate() {
        let own = at.key(key).index(index);
        let Some((name, node)) = item.get("name").and_then(|node| Some((node.text()?, node))) else { continue };
        let says = super::credential::name_says(name);
        let secret = says >= super::credential::NameSays::Secret || name.eq_ignore_ascii_case("authorization");
        let marked = item.first(&["isSecret", "is_secret"]).is_some_and(|(_, mark)| mark.truth() == Some(true));
        if secret && !marked {
            unmarked.extend(node.located(own.key("name")));
        }
        // A default is only proposed, and a value in braces is asked for.
        if let Some((field, value)) = item.first(&["value", "default"])
            && value.text().is_none_or(|text| !text.contains('{'))
        {
            let key = Key { text: name.to_owned(), span: node.span };
            out.push(Member { key, value: value.clone().placed(&own.key(field)) });
        }
    }
    Node::new(list.map_or(holder.span, |list| list.span), Value::Map(out))
}

/// The manifest inside a bundle: its server's command, and what it asks its user for.
fn bundle(root: &Node) -> Option<(Vec<Made>, Manifest)> {
    root.first(&["manifest_version", "dxt_version"])?;
    let server = root.get("server").filter(|server| server.is_map())?;
    let at = Pointer::root().key("server").key("mcp_config");
    let config = server.get("mcp_config")?;
    let field = |key: &str| root.get(key).and_then(|node| node.located(Pointer::root().key(key)));
    let name = field("name")?;
    let mut unmarked = Vec::new();
    let asked = root.get("user_config").map(Node::members).unwrap_or_default();
    for member in asked {
        let secret = super::credential::name_says(&member.key.text) >= super::credential::NameSays::Secret;
        let marked = member.value.get("sensitive").and_then(Node::truth) == Some(true);
        if secret && !marked {
            let pointer = Pointer::root().key("user_config").key(&member.key.text);
            unmarked.push(Located { text: member.key.text.clone(), span: member.key.span, pointer });
        }
    }
    let made = Made::whole(name.clone(), at.clone(), config.clone().placed(&at));
    let manifest = Manifest {
        name: Some(name),
        version: field("version"),
        unmarked,
        unfilled: unfilled(root, &Pointer::root(), &["name", "version", "description", "display_name"]),
        ..Manifest::default()
    };
    Some((vec![made], manifest))
}

/// Fields that still hold what a template put there.
pub(super) fn unfilled(table: &Node, at: &Pointer, keys: &[&str]) -> Vec<Located> {
    let left = |text: &str| {
        let lower = text.to_ascii_lowercase();
        let braced = |open: &str, close: &str| text.contains(open) && text.contains(close);
        braced("{{", "}}")
            || braced("<%", "%>")
            || (text.starts_with('<') && text.ends_with('>'))
            || ["todo", "changeme", "your-", "your_", "my-mcp-server", "example-server", "replace-me", "lorem ipsum"]
                .iter()
                .any(|mark| lower.starts_with(mark) || lower.contains(&format!("/{mark}")))
    };
    let fields = keys.iter().filter_map(|key| table.get(key)?.located(at.key(key)));
    fields.filter(|field| left(field.text.trim())).collect()
}

fn made_of(name: &Located, at: &Pointer, span: Span, members: Vec<Member>) -> Made {
    let node = Node::new(span, Value::Map(members));
    Made::whole(Located { pointer: at.clone(), ..name.clone() }, at.clone(), node)
}

fn member(text: &str, value: Node, span: Span) -> Member {
    Member { key: Key { text: text.to_owned(), span }, value }
}

fn members(node: &Node, at: &Pointer, keys: &[&str]) -> Vec<Member> {
    let of = |key: &&str| Some(member(key, node.get(key)?.clone().placed(&at.key(key)), node.span));
    keys.iter().filter_map(of).collect()
}
